import { useEffect } from 'react'
import { Matrix4, Vector3 } from 'three'
import {
  addAlong,
  addElements,
  clicked,
  clickedKind,
  notClicked,
  pointsOf,
  toggle,
  usePick,
} from '../../shared/picking'
import type { Elements, Kind } from '../../shared/picking'
import { useView } from '../../shared/viewState'
import type { Spot } from './layout'
import { AROUND, toSegment } from './nearby'
import type { Mark } from './PickMarks'
import type { Sight } from './Sight'
import type { Stage } from './Stage'

const NEAR = 14 // px within which an edge is meant
const CLICK = 4

/** Lines that show elements, relative to their origin: edges themselves, crosses on points, borders of faces. */
export function linesOf(
  e: Elements,
  kind: Kind,
  which: readonly number[],
  arm: number,
): Float32Array {
  const out: number[] = []
  const put = (p: number, k: number, by: number) =>
    out.push(...[0, 1, 2].map((a) => (e.points[3 * p + a] ?? 0) + (a === k ? by : 0)))
  for (const one of which) {
    const points = pointsOf(e, kind, one)
    if (kind === 'points')
      for (const k of [0, 1, 2]) {
        put(one, k, -arm)
        put(one, k, arm)
      }
    else
      points.forEach((p, i) => {
        const q = points[(i + 1) % points.length] ?? p
        if (kind === 'edges' && i === 1) return
        put(p, 0, 0)
        put(q, 0, 0)
      })
  }
  return new Float32Array(out)
}

const arms = new WeakMap<Elements, number>()

/** Half of the cross on a point: a little of the body's size. */
export function armOf(e: Elements): number {
  const held = arms.get(e)
  if (held !== undefined) return held
  let most = 0
  for (const x of e.points) most = Math.max(most, Math.abs(x))
  arms.set(e, most / 40)
  return most / 40
}

function place(e: Elements, matrix: readonly number[]): (point: number) => Vector3 {
  const world = new Matrix4().set(...(matrix as Parameters<Matrix4['set']>))
  const [x = 0, y = 0, z = 0] = e.origin
  return (p) =>
    new Vector3(
      (e.points[3 * p] ?? 0) + x,
      (e.points[3 * p + 1] ?? 0) + y,
      (e.points[3 * p + 2] ?? 0) + z,
    ).applyMatrix4(world)
}

/** The element that the pointer means: of the face under it, the nearest on the screen. */
export function elementAt(stage: Sight, x: number, y: number): number | null {
  const { elements: e, view } = usePick.getState()
  const open = useView.getState().picking
  if (!e || !view || !open) return null
  const at = place(e, view.matrix)
  const kind = clickedKind(view)
  for (const [dx, dy] of AROUND) {
    const hit = stage.faceAt(x + dx, y + dy)
    if (hit?.part !== open.part) continue
    if (kind === 'faces') return hit.face
    let best: number | null = null
    let least = NEAR
    for (let c = e.offsets[hit.face] ?? 0; c < (e.offsets[hit.face + 1] ?? 0); c += 1) {
      const one = (kind === 'edges' ? e.cornerEdge[c] : e.cornerPoint[c]) ?? 0
      const [p = 0, q = p] = pointsOf(e, kind, one)
      const d = toSegment(x, y, stage.project(at(p)), stage.project(at(q)))
      if (d < least) {
        least = d
        best = one
      }
    }
    if (best !== null) return best
  }
  return null
}

/** Places of an element between its middle and its ends, where it is looked whether it is seen. */
function probes(points: readonly Vector3[], middle: Vector3): Vector3[] {
  return [middle, ...points.map((p) => p.clone().lerp(middle, 0.4))]
}

/** The elements whose middles lie in a box on the screen; what lies behind a body only with `through`. */
export function elementsIn(stage: Sight, from: Spot, to: Spot): number[] {
  const { elements: e, view, through } = usePick.getState()
  if (!e || !view) return []
  const kind = clickedKind(view)
  const at = place(e, view.matrix)
  const [x0, x1] = [Math.min(from.x, to.x), Math.max(from.x, to.x)]
  const [y0, y1] = [Math.min(from.y, to.y), Math.max(from.y, to.y)]
  const seen = through ? () => true : stage.seen()
  const many = e.points.length / 3
  const world = Array.from({ length: many }, (_, p) => at(p))
  const count =
    kind === 'points' ? many : kind === 'edges' ? e.edges.length / 2 : e.offsets.length - 1
  const out: number[] = []
  const middle = new Vector3()
  for (let one = 0; one < count; one += 1) {
    const points = pointsOf(e, kind, one)
    middle.set(0, 0, 0)
    for (const p of points) middle.add(world[p] ?? middle)
    middle.divideScalar(points.length)
    const s = stage.project(middle)
    if (!s.ahead || s.x < x0 || s.x > x1 || s.y < y0 || s.y > y1) continue
    if (
      probes(
        points.map((p) => world[p] ?? middle),
        middle.clone(),
      ).some(seen)
    )
      out.push(one)
  }
  return out
}

/** when the pointer last moved or clicked: how long the answer takes is told in the page's measures */
let pointedAt = 0

/** What is picked, drawn over the body, while a pick is open. */
export function usePickMarks(stage: Stage): void {
  const open = useView((s) => s.picking)
  const { view, elements, hovered, fresh } = usePick()
  const part = open?.part
  const digest = view?.mesh
  useEffect(() => {
    // before the pointer comes: the first place it asks for would wait for it
    if (!part || !digest) return
    const soon = window.setTimeout(() => stage.prepare(part), 50)
    return () => clearTimeout(soon)
  }, [stage, part, digest])
  const on = open && view && elements && elements.digest === view.mesh
  useEffect(() => {
    const show = (which: Mark, kind: Kind, rows: readonly number[]) =>
      stage.marks.show(
        which,
        on ? linesOf(elements, kind, rows, armOf(elements)) : null,
        view?.matrix,
        elements?.origin,
      )
    show('picked', view?.kind ?? 'edges', view?.picked ?? [])
    show('by', view?.through?.kind ?? 'faces', view?.through?.picked ?? [])
  }, [stage, on, view, elements])
  useEffect(() => {
    const kind = view ? clickedKind(view) : 'edges'
    const pointed = hovered === null ? fresh : [hovered, ...fresh]
    stage.marks.show(
      'hovered',
      on && pointed.length ? linesOf(elements, kind, pointed, armOf(elements)) : null,
      view?.matrix,
      elements?.origin,
    )
    if (pointedAt > 0) performance.measure('pointed', { start: pointedAt, end: performance.now() })
    pointedAt = 0
  }, [stage, on, view, elements, hovered, fresh])
}

/** Pointer while a pick is open: hover shows, click toggles, double click takes the loop, Shift and drag a box. */
export function usePickPointer(stage: Sight, canvas: HTMLCanvasElement | null): void {
  const open = useView((s) => s.picking)
  useEffect(() => {
    if (!open || !canvas) return
    const where = (e: PointerEvent | MouseEvent): Spot => {
      const r = canvas.getBoundingClientRect()
      return { x: e.clientX - r.left, y: e.clientY - r.top }
    }
    let down: (Spot & { shift: boolean; moved: number }) | null = null
    let frame: HTMLDivElement | null = null
    let waiting = 0
    const press = (e: PointerEvent) => {
      if (e.button !== 0) return
      down = { ...where(e), shift: e.shiftKey, moved: 0 }
      if (e.shiftKey) {
        e.stopImmediatePropagation()
        canvas.setPointerCapture(e.pointerId)
        frame = document.createElement('div')
        frame.className = 'pick-box'
        canvas.parentElement?.append(frame)
      }
    }
    const go = (e: PointerEvent) => {
      const p = where(e)
      if (!down) {
        if (e.buttons === 0) {
          pointedAt = performance.now()
          const which = elementAt(stage, p.x, p.y)
          if (which !== usePick.getState().hovered) usePick.setState({ hovered: which })
        }
        return
      }
      down.moved = Math.max(down.moved, Math.hypot(p.x - down.x, p.y - down.y))
      if (frame) {
        e.stopImmediatePropagation()
        Object.assign(frame.style, {
          left: `${canvas.offsetLeft + Math.min(p.x, down.x)}px`,
          top: `${canvas.offsetTop + Math.min(p.y, down.y)}px`,
          width: `${Math.abs(p.x - down.x)}px`,
          height: `${Math.abs(p.y - down.y)}px`,
        })
      }
    }
    const lift = (e: PointerEvent) => {
      if (!down) return
      pointedAt = performance.now()
      const p = where(e)
      const from = down
      down = null
      if (frame) {
        frame.remove()
        frame = null
        e.stopImmediatePropagation()
        if (from.moved > CLICK) addElements(elementsIn(stage, from, p))
        return
      }
      if (from.moved > CLICK) return
      const which = elementAt(stage, p.x, p.y)
      if (which === null) return
      if (waiting) {
        clearTimeout(waiting)
        waiting = 0
        notClicked(which)
        addAlong(which)
      } else {
        clicked(which)
        waiting = window.setTimeout(() => {
          waiting = 0
          toggle(which)
        }, 260)
      }
    }
    const away = () => usePick.setState({ hovered: null })
    canvas.addEventListener('pointerleave', away)
    canvas.addEventListener('pointerdown', press, true)
    canvas.addEventListener('pointermove', go, true)
    canvas.addEventListener('pointerup', lift, true)
    return () => {
      canvas.removeEventListener('pointerleave', away)
      canvas.removeEventListener('pointerdown', press, true)
      canvas.removeEventListener('pointermove', go, true)
      canvas.removeEventListener('pointerup', lift, true)
      clearTimeout(waiting)
      frame?.remove()
      usePick.setState({ hovered: null })
    }
  }, [stage, canvas, open])
}
