import { useState } from 'react'
import type { PointerEvent as ReactPointerEvent } from 'react'
import { Matrix4, Vector3 } from 'three'
import type { PartView } from '../../shared/api/client'
import { followPointer } from '../../shared/dragging'
import { operatorOf } from '../../shared/operators'
import { tidy } from '../../shared/placement'
import { beginPreview, edit, endPreview, preview, say, useSession } from '../../shared/session'
import { useView } from '../../shared/viewState'
import type { Stage } from './Stage'
import { nearestSpot } from './snapping'
import { onPlane, rayAt } from './surface'

/** degrees within which an axis that is turned lies along X, Y or Z */
const SNAPS = 5
const OVER = 0.14
/** px that a press may move and still be a click */
const CLICK = 3

interface Axis {
  point: Vector3
  direction: Vector3
}

/** The axis of a deforming step: pulled at its middle it moves, at an end it turns. */
export function AxisGrips({ stage, view }: { stage: Stage; view: PartView }) {
  const step = useView((s) => s.step)
  const written = useSession((s) =>
    s.bench?.document.parts?.find((p) => p.id === view.part)?.recipe.find((r) => r.id === step),
  )
  const [words, setWords] = useState<string | null>(null)
  const outcome = view.steps.find((s) => s.id === step)
  const op = operatorOf(written?.operator ?? '')
  if (op?.chapter !== 'deforming' || !outcome?.axis || !written) return null
  const matrix = new Matrix4().set(...(view.matrix as Parameters<Matrix4['set']>))
  const axis: Axis = {
    point: new Vector3(...outcome.axis.point),
    direction: new Vector3(...outcome.axis.direction).normalize(),
  }
  const [low, high] = reach(view, axis)
  const place = (t: number) => axis.point.clone().addScaledVector(axis.direction, t)
  const spot = (p: Vector3) => stage.project(p.clone().applyMatrix4(matrix))
  const middle = place((low + high) / 2)
  const drag = (e: ReactPointerEvent<SVGElement>, held: Vector3, make: Make) => {
    if (e.button !== 0) return
    e.preventDefault()
    e.stopPropagation()
    if (useSession.getState().connection === 'lost') {
      say('The server can’t be reached; axes are moved again when it is back.')
      return
    }
    const world = held.clone().applyMatrix4(matrix)
    const back = matrix.clone().invert()
    const from = { x: e.clientX, y: e.clientY }
    let last: object | null = null
    followPointer(e, {
      move: (m) => {
        // a click is no drag: the axis keeps its name
        if (!last && Math.hypot(m.clientX - from.x, m.clientY - from.y) < CLICK) return
        const r = stage.canvas.getBoundingClientRect()
        const [x, y] = [m.clientX - r.left, m.clientY - r.top]
        const ray = rayAt(stage, x, y)
        const met = onPlane(ray, world, ray.direction.clone().negate())
        if (!met) return
        const snap = m.ctrlKey ? null : nearestSpot(stage, x, y, (part) => part === view.part)
        const made = make(
          met.applyMatrix4(back),
          snap?.at.clone().applyMatrix4(back) ?? null,
          m.ctrlKey,
        )
        if (!made) return
        if (!last) beginPreview()
        last = valueOf(made)
        setWords(wordsOf(made))
        preview(change(last), view.part)
      },
      up: () => {
        setWords(null)
        if (last) edit(change(last)).catch(() => endPreview())
      },
      cancel: () => {
        setWords(null)
        endPreview()
      },
    })
  }
  const change = (value: object) => ({
    kind: 'set_value' as const,
    part: view.part,
    step: written.id,
    key: 'axis',
    value,
  })
  const move: Make = (at, snap) => {
    const to = snap ?? at
    // it keeps its way: only what is across counts
    const by = to.clone().sub(middle)
    by.addScaledVector(axis.direction, -by.dot(axis.direction))
    return { point: axis.point.clone().add(by), direction: axis.direction }
  }
  const turn =
    (sign: number): Make =>
    (at, snap, free) => {
      const way = (snap ?? at).clone().sub(middle).multiplyScalar(sign)
      if (way.length() < 1e-9) return null
      way.normalize()
      return { point: middle.clone(), direction: free || snap ? way : straightened(way) }
    }
  const ends = [
    { t: low, sign: -1, id: 'low' },
    { t: high, sign: 1, id: 'high' },
  ]
  const centre = spot(middle)
  return (
    <>
      {words !== null && (
        <div className="handle-words" data-testid="axis-words">
          {words}
        </div>
      )}
      <svg className="callouts axis-grips" data-testid="axis-grips">
        {ends.map(({ t, sign, id }) => {
          const s = spot(place(t))
          return (
            <circle
              key={id}
              className="grip"
              data-testid={`axis-turn-${id}`}
              cx={s.x}
              cy={s.y}
              r={5}
              onPointerDown={(e) => drag(e, place(t), turn(sign))}
            >
              <title>Turn the axis; it lies along X, Y or Z when it is near, but for Ctrl</title>
            </circle>
          )
        })}
        <path
          className="grip"
          data-testid="axis-move"
          d={`M${centre.x - 6} ${centre.y}L${centre.x} ${centre.y - 6}L${centre.x + 6} ${centre.y}L${centre.x} ${centre.y + 6}Z`}
          onPointerDown={(e) => drag(e, middle, move)}
        >
          <title>Move the axis; it snaps to points, edge middles and face centres</title>
        </path>
      </svg>
    </>
  )
}

type Make = (at: Vector3, snap: Vector3 | null, free: boolean) => Axis | null

/** How far the axis is drawn: over the body at both ends. */
function reach(view: PartView, axis: Axis): [number, number] {
  const [low = [], high = []] = view.bounds ?? []
  const along = Array.from({ length: 8 }, (_, i) =>
    new Vector3(...[0, 1, 2].map((k) => ((i >> k) & 1 ? high : low)[k] ?? 0))
      .sub(axis.point)
      .dot(axis.direction),
  )
  const [least, most] = [Math.min(...along), Math.max(...along)]
  const over = (most - least) * OVER
  return [least - over, most + over]
}

function straightened(way: Vector3): Vector3 {
  for (const k of [0, 1, 2]) {
    const unit = new Vector3(...[0, 1, 2].map((i) => (i === k ? 1 : 0)))
    const dot = way.dot(unit)
    if (Math.abs(dot) > Math.cos((SNAPS * Math.PI) / 180))
      return unit.multiplyScalar(Math.sign(dot))
  }
  return way
}

function valueOf(a: Axis): object {
  const three = (v: Vector3, digits: number) => [v.x, v.y, v.z].map((x) => tidy(x, digits))
  return { point: three(a.point, 6), direction: three(a.direction, 9) }
}

function wordsOf(a: Axis): string {
  const figures = (v: Vector3) => [v.x, v.y, v.z].map((x) => String(tidy(x, 2))).join(', ')
  return `Axis along ${figures(a.direction)}`
}
