import type { PointerEvent as ReactPointerEvent } from 'react'
import { snapped } from './format'
import type { Edit } from './api/client'
import { beginPreview, doEdit, edit, endPreview, preview, say } from './session'
import { inUnitOf, isFormula } from './number'
import type { NumberTarget } from './number'
import { inPlane } from './planes'
import type { Plane } from './planes'

const THRESHOLD = 3
/** px of pull away from the number that halve the speed */
const FINER = 60
/** what a number begins with: typed on one that is held or has the focus it goes on in a field */
export const BEGINS = /^[-+.,\d]$/

export interface DragOptions {
  /** change of the number for a pointer movement in px, without the finer factor */
  amount: (dx: number, dy: number) => number
  /** px of pull across the drag, which makes it finer; 0 where both directions count */
  pull: (dx: number, dy: number) => number
  click?: () => void
  /** a figure was typed while it was held: it goes on in a field */
  type?: (text: string) => void
  target: NumberTarget
}

/**
 * While something is held with the pointer the keyboard is its own: figures are typed into it,
 * Enter keeps, Escape puts back, all other shortcuts rest. Modifiers stay what they are to the
 * drag. Call what is returned when it is let go.
 */
export function holdKeys(o: {
  escape: () => void
  enter: () => void
  type?: ((text: string) => void) | undefined
}): () => void {
  const key = (e: KeyboardEvent) => {
    if (['Shift', 'Control', 'Alt', 'Meta'].includes(e.key)) return
    e.preventDefault()
    e.stopImmediatePropagation()
    if (e.key === 'Escape') o.escape()
    else if (e.key === 'Enter') o.enter()
    else if (BEGINS.test(e.key) && !e.ctrlKey && !e.metaKey && !e.altKey) o.type?.(e.key)
  }
  addEventListener('keydown', key, true)
  return () => removeEventListener('keydown', key, true)
}

/**
 * Call `cancel` when what is dragged goes from the page, so that it never hears that it was let go.
 * Call what is returned when it was.
 */
function whenGone(pointer: number, cancel: () => void): () => void {
  const gone = (e: PointerEvent) => {
    if (e.pointerId === pointer) cancel()
  }
  addEventListener('lostpointercapture', gone)
  addEventListener('pointerup', gone)
  return () => {
    removeEventListener('lostpointercapture', gone)
    removeEventListener('pointerup', gone)
  }
}

/** Keep a number within its limits, on its step, and exact in decimals. */
export function within(t: NumberTarget, value: number, step: number): number {
  const on = t.whole ? Math.round(value) : snapped(value, step)
  return Math.min(Math.max(on, t.least), t.most)
}

/**
 * Drag a number: previews while it moves, one edit when it is let go, Escape puts back what was
 * there. Under 3 px it is a click.
 */
export function dragNumber(start: ReactPointerEvent, o: DragOptions): void {
  if (start.button !== 0) return
  start.preventDefault()
  start.stopPropagation()
  const t = o.target
  const element = start.currentTarget
  const first = t.value
  let dragging = false
  let last = { x: start.clientX, y: start.clientY }
  let exact = first ?? 0
  let value = exact
  element.setPointerCapture(start.pointerId)

  const move = (e: Event) => {
    if (!(e instanceof PointerEvent)) return
    const total = [e.clientX - start.clientX, e.clientY - start.clientY] as const
    if (!dragging) {
      if (Math.hypot(...total) < THRESHOLD) return
      if (isFormula(t.raw)) {
        say(`This number is the formula ${t.raw}. Click it to change the formula.`)
        finish()
        return
      }
      if (first === null) {
        finish()
        return
      }
      dragging = true
      beginPreview()
      document.body.style.cursor = 'grabbing'
    }
    const finer = 2 ** (-Math.max(0, Math.abs(o.pull(...total)) - 12) / FINER)
    exact += o.amount(e.clientX - last.x, e.clientY - last.y) * finer
    exact = Math.min(Math.max(exact, t.least), t.most)
    last = { x: e.clientX, y: e.clientY }
    const step = finer < 0.4 ? t.step / 10 : t.step
    const next = within(t, exact, step)
    if (next !== value) {
      value = next
      preview(t.edit(value), t.part)
    }
  }
  const up = () => {
    finish()
    if (!dragging) o.click?.()
    else if (value === first) endPreview()
    else edit(t.edit(value)).catch(() => undefined)
  }
  const cancel = () => {
    finish()
    if (dragging) endPreview()
  }
  const finish = () => {
    element.removeEventListener('pointermove', move)
    element.removeEventListener('pointerup', up)
    element.removeEventListener('pointercancel', cancel)
    letGo()
    still()
    document.body.style.cursor = ''
    if (element.hasPointerCapture(start.pointerId)) element.releasePointerCapture(start.pointerId)
  }
  element.addEventListener('pointermove', move)
  element.addEventListener('pointerup', up)
  element.addEventListener('pointercancel', cancel)
  const still = whenGone(start.pointerId, cancel)
  const letGo = holdKeys({
    escape: cancel,
    enter: up,
    type: (text) => {
      cancel()
      o.type?.(text)
    },
  })
}

export type Pair = readonly [number, number]

/**
 * Drag something in a plane: previews, one edit at the end, Escape puts back. `local` gives the
 * place of the pointer in the plane, `step` what both or each of its numbers go by; Shift keeps to
 * one direction. `o.part` is the part it changes, where that is known; `o.end` hears that it is over.
 */
export function dragPlane(
  e: ReactPointerEvent,
  local: (e: PointerEvent) => Pair,
  step: number | Pair,
  from: readonly number[],
  make: (at: Pair) => Edit,
  o: {
    part?: string
    end?: () => void
    /** what a place goes to instead of the step */
    meant?: (to: Pair, m: PointerEvent) => Pair
    /** the edit was sent */
    kept?: () => void
    /** it was only clicked */
    click?: () => void
  } = {},
): void {
  if (e.button !== 0) return
  e.preventDefault()
  e.stopPropagation()
  const grab = local(e.nativeEvent)
  const [x0 = 0, y0 = 0] = from
  const [stepX, stepY] = typeof step === 'number' ? [step, step] : step
  let last: Edit | null = null
  followPointer(e, {
    move: (m) => {
      const [dx, dy] = [m.clientX - e.clientX, m.clientY - e.clientY]
      if (!last && Math.hypot(dx, dy) < THRESHOLD) return
      if (!last) beginPreview()
      const now = local(m)
      let d: Pair = [now[0] - grab[0], now[1] - grab[1]]
      if (m.shiftKey) d = Math.abs(dx) > Math.abs(dy) ? [d[0], 0] : [0, d[1]]
      const to: Pair = [x0 + d[0], y0 + d[1]]
      const straight = m.shiftKey || !o.meant
      last = make(
        straight ? [snapped(to[0], stepX), snapped(to[1], stepY)] : (o.meant?.(to, m) ?? to),
      )
      preview(last, o.part ?? null)
    },
    up: () => {
      o.end?.()
      if (last) {
        doEdit(last)
        o.kept?.()
      } else o.click?.()
    },
    cancel: () => {
      o.end?.()
      endPreview()
    },
  })
}

/** A point of a curve with two of its coordinates elsewhere; one that is a formula stays one. */
export function movedPoint(
  curve: string,
  point: string,
  written: readonly (number | string)[],
  at: Pair,
  plane: Plane = [0, 1],
): Edit {
  const both = plane.map((k, i) => {
    const was = written[k] ?? null
    return isFormula(was) ? was : inUnitOf(was, at[i] ?? 0)
  })
  const to: [number | string, number | string] = [both[0] ?? 0, both[1] ?? 0]
  return { kind: 'set_point', curve, point, at: inPlane(written, plane, to) }
}

/** Follow a pointer that went down on an element, until it is let go or Enter; Escape calls `cancel`. */
export function followPointer(
  start: ReactPointerEvent,
  o: {
    move: (e: PointerEvent) => void
    up?: () => void
    cancel: () => void
    type?: (text: string) => void
  },
): void {
  const element = start.currentTarget
  element.setPointerCapture(start.pointerId)
  const move = (e: Event) => {
    if (e instanceof PointerEvent) o.move(e)
  }
  const finish = () => {
    element.removeEventListener('pointermove', move)
    element.removeEventListener('pointerup', up)
    element.removeEventListener('pointercancel', cancel)
    letGo()
    still()
  }
  const up = () => {
    finish()
    o.up?.()
  }
  const cancel = () => {
    finish()
    o.cancel()
  }
  element.addEventListener('pointermove', move)
  element.addEventListener('pointerup', up)
  element.addEventListener('pointercancel', cancel)
  const still = whenGone(start.pointerId, cancel)
  const type = (text: string) => {
    cancel()
    o.type?.(text)
  }
  const letGo = holdKeys({ escape: cancel, enter: up, ...(o.type && { type }) })
}
