import { useState } from 'react'
import type { PointerEvent as ReactPointerEvent } from 'react'
import { Matrix4, Vector3 } from 'three'
import type { PartView, Placement } from '../../shared/api/client'
import { figure, withUnit } from '../../shared/format'
import { lengthFigure, lengthsOf, niceLength } from '../../shared/units'
import { chosenParts, partOf, viewOf } from '../../shared/parts'
import { movedBy, placementOf, placing, tidy, turnedAbout, zeroOf } from '../../shared/placement'
import type { Three } from '../../shared/placement'
import { holdKeys } from '../../shared/dragging'
import { beginPreview, edit, endPreview, preview, say, useSession } from '../../shared/session'
import { sizeOf } from '../../shared/targets'
import { useView } from '../../shared/viewState'
import { screenWay } from './layout'
import type { Spot } from './layout'
import type { Stage } from './Stage'
import { nearestSpot } from './snapping'
import { onPlane, rayAt } from './surface'

const LONG = 92 // px of a handle's axis
const NAMES = ['X', 'Y', 'Z'] as const
const TURN_STEP = 5

type Placements = Record<string, Required<Placement>>

/** The zero point of the chosen part with its axes: pull along one, round one, or the point itself; a square scales. */
export function Handles({ stage, view }: { stage: Stage; view: PartView }) {
  const locked = partOf(view.part)?.locked ?? false
  const also = useView((s) => s.also)
  const [words, setWords] = useState<string | null>(null)
  useSession((s) => s.bench?.revision)
  const zero = new Vector3(...zeroOf(view))
  const at = stage.project(zero)
  const mm = LONG * stage.mmPerPx()
  const unit = (k: number) => new Vector3(...[0, 1, 2].map((i) => (i === k ? 1 : 0)))
  const tip = (k: number, far = 1) => stage.project(zero.clone().addScaledVector(unit(k), mm * far))
  const arc = (k: number) => {
    const [u, v] = [unit((k + 1) % 3), unit((k + 2) % 3)]
    return Array.from({ length: 13 }, (_, i) => {
      const a = ((18 + i * 4.5) * Math.PI) / 180
      const p = zero.clone()
      p.addScaledVector(u, Math.cos(a) * mm * 0.72).addScaledVector(v, Math.sin(a) * mm * 0.72)
      return stage.project(p)
    })
  }
  const drag = (e: ReactPointerEvent<SVGElement>, make: Make) => startDrag(e, stage, make, setWords)
  return (
    <>
      {words !== null && (
        <div className="handle-words" data-testid="handle-words">
          {words}
        </div>
      )}
      <svg className="callouts handles" data-testid="handles" data-locked={locked}>
        {[0, 1, 2].map((k) => {
          const [end, ring, square] = [tip(k), arc(k), tip(k, 1.28)]
          const short = Math.hypot(end.x - at.x, end.y - at.y) < 14
          const middle = ring[6] ?? at
          return (
            <g key={k} className={`axis-${'xyz'.charAt(k)}`}>
              <line className="long-dash" x1={at.x} y1={at.y} x2={square.x} y2={square.y} />
              {!locked && !short && (
                <>
                  <polygon
                    className="pull"
                    data-testid={`pull-${'xyz'.charAt(k)}`}
                    points={head(at, end)}
                    onPointerDown={(e) => drag(e, moveAlong(stage, view, k, zero))}
                  >
                    <title>{`Move along ${NAMES[k] ?? ''}`}</title>
                  </polygon>
                  <text x={end.x + 9} y={end.y - 7}>
                    {NAMES[k]}
                  </text>
                  {also.length === 0 && (
                    <rect
                      className="pull"
                      data-testid={`scale-${'xyz'.charAt(k)}`}
                      x={square.x - 4}
                      y={square.y - 4}
                      width={8}
                      height={8}
                      onPointerDown={(e) => drag(e, scaleAlong(stage, view, k, zero, mm))}
                    >
                      <title>{`Scale along ${NAMES[k] ?? ''}; Shift scales evenly`}</title>
                    </rect>
                  )}
                </>
              )}
              {!locked && (
                <>
                  <polyline className="ring" points={ring.map((p) => `${p.x},${p.y}`).join(' ')} />
                  <circle
                    className="pull"
                    data-testid={`turn-${'xyz'.charAt(k)}`}
                    cx={middle.x}
                    cy={middle.y}
                    r={5.5}
                    onPointerDown={(e) => drag(e, turnAbout(stage, k as 0 | 1 | 2, zero))}
                  >
                    <title>{`Turn about ${NAMES[k] ?? ''}`}</title>
                  </circle>
                </>
              )}
            </g>
          )
        })}
        <g className="zero">
          <circle cx={at.x} cy={at.y} r={7} />
          <path d={`M${at.x - 11} ${at.y}H${at.x + 11}M${at.x} ${at.y - 11}V${at.y + 11}`} />
          {!locked && (
            <circle
              className="pull"
              data-testid="pull-zero"
              cx={at.x}
              cy={at.y}
              r={7}
              onPointerDown={(e) => drag(e, moveFreely(stage, zero))}
            >
              <title>
                Move by the zero point; it snaps to points, edge middles and face centres
              </title>
            </circle>
          )}
        </g>
      </svg>
    </>
  )
}

function head(from: Spot, to: Spot): string {
  const l = Math.hypot(to.x - from.x, to.y - from.y) || 1
  const [ux, uy] = [(to.x - from.x) / l, (to.y - from.y) / l]
  const base = { x: to.x - ux * 15, y: to.y - uy * 15 }
  return `${to.x},${to.y} ${base.x - uy * 4.5},${base.y + ux * 4.5} ${base.x + uy * 4.5},${base.y - ux * 4.5}`
}

interface Step {
  placements: Placements
  what: string
  words: string
}
/** what a pointer position makes of the placements as they were when the drag began */
type Make = (e: PointerEvent, start: Spot) => Step | null

function snap(x: number, step: number, free: boolean): number {
  return free ? tidy(x, 4) : tidy(Math.round(x / step) * step)
}

function moved(by: Three): Step {
  const placements: Placements = {}
  for (const id of chosenParts()) {
    const part = partOf(id)
    if (part && !part.locked) placements[id] = movedBy(placementOf(part), by)
  }
  const lengths = lengthsOf(useSession.getState().bench?.document.shown)
  const words = by
    .map((x, k) =>
      x === 0 ? '' : `${NAMES[k] ?? ''} ${x > 0 ? '+' : ''}${lengthFigure(x, lengths, 5)}`,
    )
    .filter(Boolean)
    .join(', ')
  return { placements, what: 'move', words: words ? withUnit(words, lengths.unit) : 'where it was' }
}

function stepOf(stage: Stage, view: PartView): number {
  // as fine as the view shows, and no coarser than the part's own step
  const lengths = lengthsOf(useSession.getState().bench?.document.shown)
  return Math.min(
    niceLength(stage.mmPerPx() * 600, lengths),
    niceLength(sizeOf(view, 100) * 4, lengths),
  )
}

function moveAlong(stage: Stage, view: PartView, k: number, zero: Vector3): Make {
  const d = new Vector3(...[0, 1, 2].map((i) => (i === k ? 1 : 0)))
  const w = screenWay(stage, zero, d)
  const step = stepOf(stage, view)
  return (e, start) => {
    const l2 = w.x ** 2 + w.y ** 2
    if (l2 === 0) return null
    const far = ((e.clientX - start.x) * w.x + (e.clientY - start.y) * w.y) / l2
    const by = [0, 1, 2].map((i) => (i === k ? snap(far, step, e.ctrlKey) : 0))
    return moved(by as unknown as Three)
  }
}

/** In the plane that faces the eye, or to what the pointer comes near. */
function moveFreely(stage: Stage, zero: Vector3): Make {
  const facing = stage.placedCamera().getWorldDirection(new Vector3())
  const r = stage.canvas.getBoundingClientRect()
  const own = new Set(chosenParts())
  return (e) => {
    const [x, y] = [e.clientX - r.left, e.clientY - r.top]
    const spot = e.ctrlKey ? null : nearestSpot(stage, x, y, (p) => !p || !own.has(p))
    const to = spot?.at ?? onPlane(rayAt(stage, x, y), zero, facing)
    if (!to) return null
    const by = to.clone().sub(zero)
    const step = moved([
      tidy(by.x, spot ? 9 : 3),
      tidy(by.y, spot ? 9 : 3),
      tidy(by.z, spot ? 9 : 3),
    ])
    return spot ? { ...step, words: `to a ${spot.words}` } : step
  }
}

function turnAbout(stage: Stage, axis: 0 | 1 | 2, zero: Vector3): Make {
  const toward = stage.placedCamera().getWorldDirection(new Vector3())
  const r = stage.canvas.getBoundingClientRect()
  const unit = new Vector3(...[0, 1, 2].map((i) => (i === axis ? 1 : 0)))
  const edgeOn = Math.abs(unit.dot(toward)) < 0.12
  const angleAt = (x: number, y: number): number => {
    const p = onPlane(rayAt(stage, x - r.left, y - r.top), zero, unit)
    if (!p || edgeOn) return 0
    const d = p.sub(zero)
    const [a, b] = [d.getComponent((axis + 1) % 3), d.getComponent((axis + 2) % 3)]
    return (Math.atan2(b, a) * 180) / Math.PI
  }
  let total = 0
  let last: number | null = null
  return (e, start) => {
    if (edgeOn) {
      // seen edge on, the ring is a line: along it
      const w = screenWay(stage, zero, unit.clone().cross(toward).normalize())
      const l = Math.hypot(w.x, w.y) || 1
      total = ((e.clientX - start.x) * w.x + (e.clientY - start.y) * w.y) / l / 1.2
    } else {
      const from: number = last ?? angleAt(start.x, start.y)
      const now = angleAt(e.clientX, e.clientY)
      total += ((((now - from + 540) % 360) + 360) % 360) - 180
      last = now
    }
    const degrees = snap(total, e.shiftKey ? 1 : TURN_STEP, e.ctrlKey)
    const placements: Placements = {}
    const about = [zero.x, zero.y, zero.z] as const
    for (const id of chosenParts()) {
      const [part, view] = [partOf(id), viewOf(id)]
      if (part && view && !part.locked)
        placements[id] = turnedAbout(part, view, axis, degrees, about)
    }
    return { placements, what: 'turn', words: `${figure(degrees, 5)}° about ${NAMES[axis]}` }
  }
}

function scaleAlong(stage: Stage, view: PartView, k: number, zero: Vector3, mm: number): Make {
  const d = new Vector3(...[0, 1, 2].map((i) => (i === k ? 1 : 0)))
  const w = screenWay(stage, zero, d)
  return (e, start) => {
    const part = partOf(view.part)
    const l2 = w.x ** 2 + w.y ** 2
    if (!part || l2 === 0) return null
    const far = ((e.clientX - start.x) * w.x + (e.clientY - start.y) * w.y) / l2
    const factor = Math.max(0.05, 1 + far / (mm * 1.28))
    // the handles stand along the bench, the scale along the part: the own axis that lies nearest
    const own = [0, 1, 2]
      .map((i) => ({ i, c: Math.abs(view.matrix?.[4 * k + i] ?? 0) }))
      .sort((a, b) => b.c - a.c)[0]?.i
    const p = placementOf(part)
    const scale = p.scale.map((x, i) => {
      const now = view.placed?.scale[i] ?? 1
      return e.shiftKey || i === own ? snap(now * factor, 0.05, e.ctrlKey) || 0.05 : x
    })
    const words = e.shiftKey ? 'evenly' : `along ${NAMES[k] ?? ''}`
    return {
      placements: { [view.part]: { ...p, scale } },
      what: 'scale',
      words: `× ${figure(Number(scale[own ?? 0]) || 1, 4)} ${words}`,
    }
  }
}

/** Previews while it moves, one edit when it is let go; Escape puts back what was there. */
function startDrag(
  e: ReactPointerEvent<SVGElement>,
  stage: Stage,
  make: Make,
  tell: (words: string | null) => void,
): void {
  if (e.button !== 0) return
  e.preventDefault()
  e.stopPropagation()
  if (useSession.getState().connection === 'lost') {
    say('The server can’t be reached; parts are moved again when it is back.')
    return
  }
  const element = e.currentTarget
  const start = { x: e.clientX, y: e.clientY }
  let last: Step | null = null
  element.setPointerCapture(e.pointerId)
  const before = new Map<string, Matrix4>()
  for (const id of chosenParts()) {
    const m = viewOf(id)?.matrix
    if (m) before.set(id, new Matrix4().set(...(m as Parameters<Matrix4['set']>)))
  }
  const move = (m: Event) => {
    if (!(m instanceof PointerEvent)) return
    if (!last && Math.hypot(m.clientX - start.x, m.clientY - start.y) < 3) return
    if (!last) beginPreview()
    const mark = performance.now()
    const next = make(m, start)
    if (!next) return
    last = next
    if (next.what === 'move')
      for (const [id, matrix] of before) {
        const [from, to] = [partOf(id), next.placements[id]]
        if (!from || !to) continue
        const by = placementOf(from).move.map((x, i) => difference(x, to.move[i] ?? x))
        const shifted = new Matrix4().makeTranslation(by[0] ?? 0, by[1] ?? 0, by[2] ?? 0)
        stage.nudge(id, shifted.multiply(matrix))
      }
    preview(placing(next.placements, next.what), Object.keys(next.placements))
    tell(next.words)
    performance.measure('place', { start: mark, end: performance.now() })
  }
  const finish = () => {
    element.removeEventListener('pointermove', move)
    element.removeEventListener('pointerup', up)
    element.removeEventListener('pointercancel', cancel)
    letGo()
    tell(null)
  }
  const up = () => {
    finish()
    if (last) edit(placing(last.placements, last.what)).catch(() => endPreview())
  }
  const cancel = () => {
    finish()
    for (const [id, matrix] of before) stage.nudge(id, matrix)
    endPreview()
  }
  element.addEventListener('pointermove', move)
  element.addEventListener('pointerup', up)
  element.addEventListener('pointercancel', cancel)
  const letGo = holdKeys({ escape: cancel, enter: up })
}

function difference(from: number | string, to: number | string): number {
  if (typeof from === 'number' && typeof to === 'number') return to - from
  const more = /([+-]) ([\d.e-]+)$/.exec(String(to).slice(String(from).length))
  return more ? Number(more[2]) * (more[1] === '-' ? -1 : 1) : 0
}
