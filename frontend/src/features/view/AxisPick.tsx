import { useState } from 'react'
import { Matrix4, Vector3 } from 'three'
import type { PartView } from '../../shared/api/client'
import { tidy } from '../../shared/placement'
import { doEdit } from '../../shared/session'
import { sizeOf } from '../../shared/targets'
import { ChoiceWord } from '../../shared/ui/ChoiceWord'
import { useView } from '../../shared/viewState'
import type { Stage } from './Stage'
import { useAim } from './useAim'

type Way = 'clicked' | 'x' | 'y' | 'z'

const WAYS: readonly (readonly [Way, string])[] = [
  ['clicked', 'what is clicked'],
  ['x', 'X'],
  ['y', 'Y'],
  ['z', 'Z'],
]
const LETTERS = { x: [1, 0, 0], y: [0, 1, 0], z: [0, 0, 1] } as const
const ARC = 28 // px, the arrow that shows which way a turn goes

const leave = () => useView.getState().set({ axisPick: null })

/** An axis is laid through a point that is clicked; it is drawn, with the way it turns, before it is taken. */
export function AxisPick({ stage, view }: { stage: Stage; view: PartView }) {
  const pick = useView((s) => s.axisPick)
  const [way, setWay] = useState<Way>('clicked')
  const [over, setOver] = useState(false)
  const { meant, aim } = useAim(stage, view.part, leave)
  const matrix = new Matrix4().set(...(view.matrix as Parameters<Matrix4['set']>))
  const inverse = matrix.clone().invert()
  /** The axis that is meant, in the part's own space. */
  const axis = () => {
    if (!meant.current) return null
    const point = meant.current.at.clone().applyMatrix4(inverse)
    const along =
      way === 'clicked'
        ? (meant.current.along ?? meant.current.normal)
            .clone()
            .applyMatrix4(new Matrix4().extractRotation(inverse))
        : new Vector3(...LETTERS[way])
    return { point, direction: (over ? along.negate() : along).normalize() }
  }
  const take = () => {
    const found = axis()
    if (!pick || !found) return
    const three = (v: Vector3, digits: number) => [v.x, v.y, v.z].map((x) => tidy(x, digits))
    doEdit({
      kind: 'set_value',
      part: pick.part,
      step: pick.step,
      key: pick.key,
      value: { point: three(found.point, 6), direction: three(found.direction, 9) },
    })
    leave()
  }
  const found = axis()
  return (
    <>
      <div
        className="placing"
        data-testid="axis-pick"
        onPointerMove={aim}
        onPointerUp={(e) => {
          if (e.button === 0) take()
        }}
      />
      {found && (
        <AxisDrawn
          stage={stage}
          matrix={matrix}
          reach={sizeOf(view, 20)}
          point={found.point}
          direction={found.direction}
          words={meant.current?.words ?? ''}
        />
      )}
      <div className="placing-bar">
        <span className="prose">
          Click the point that the axis is to run through; it lies along{' '}
          <ChoiceWord
            label="the axis runs along"
            now={way}
            choices={WAYS}
            choose={setWay}
            testId="axis-way"
          />
          .
        </span>
        <span>
          <button
            className="plain link"
            data-testid="axis-over"
            onClick={() => {
              setOver(!over)
            }}
          >
            Turn it the other way
          </button>{' '}
          ·{' '}
          <button className="plain link" onClick={leave}>
            Leave it (Escape)
          </button>
        </span>
      </div>
    </>
  )
}

/** The line of the axis, its tip, and an arrow that goes round it the way that counts as forward. */
function AxisDrawn(props: {
  stage: Stage
  matrix: Matrix4
  reach: number
  point: Vector3
  direction: Vector3
  words: string
}) {
  const { stage, matrix, reach, point, direction } = props
  const spot = (v: Vector3) => stage.project(v.clone().applyMatrix4(matrix))
  const at = spot(point)
  const [a, b] = [-0.7, 0.7].map((t) => spot(point.clone().addScaledVector(direction, t * reach)))
  if (!a || !b) return null
  const long = Math.max(Math.hypot(b.x - a.x, b.y - a.y), 1e-6)
  const [ux, uy] = [(b.x - a.x) / long, (b.y - a.y) / long]
  const across = new Vector3(1, 0, 0).cross(direction)
  if (across.length() < 0.1) across.set(0, 1, 0).cross(direction)
  across.normalize()
  const up = direction.clone().cross(across)
  // the arc is drawn as large on the screen whatever the body's size is
  const one = spot(point.clone().addScaledVector(across, reach * 0.1))
  const two = spot(point.clone().addScaledVector(up, reach * 0.1))
  const px = Math.max(
    Math.hypot(one.x - at.x, one.y - at.y),
    Math.hypot(two.x - at.x, two.y - at.y),
  )
  const radius = (ARC / Math.max(px, 1e-6)) * reach * 0.1
  const arc = Array.from({ length: 25 }, (_, i) => {
    const t = (i / 24) * 1.5 * Math.PI
    return spot(
      point
        .clone()
        .addScaledVector(across, radius * Math.cos(t))
        .addScaledVector(up, radius * Math.sin(t)),
    )
  })
  const line = (rows: { x: number; y: number }[]) =>
    rows.map((s) => `${s.x.toFixed(1)},${s.y.toFixed(1)}`).join(' ')
  return (
    <svg className="callouts" data-testid="axis-drawn" pointerEvents="none">
      <g className="value guide">
        <line className="axis" x1={a.x} y1={a.y} x2={b.x} y2={b.y} />
        <Tip at={b} dx={ux} dy={uy} />
        <polyline className="line" points={line(arc)} />
        <Tip {...last(arc)} />
        <circle className="line" cx={at.x} cy={at.y} r={5} />
        <text x={at.x + ARC + 6} y={at.y - 12}>
          {props.words}
        </text>
      </g>
    </svg>
  )
}

function last(rows: readonly { x: number; y: number }[]) {
  const [p, q] = [rows.at(-2) ?? { x: 0, y: 0 }, rows.at(-1) ?? { x: 0, y: 0 }]
  const long = Math.max(Math.hypot(q.x - p.x, q.y - p.y), 1e-6)
  return { at: q, dx: (q.x - p.x) / long, dy: (q.y - p.y) / long }
}

/** The head of an arrow, as dimensions have it: slim. */
function Tip({ at, dx, dy }: { at: { x: number; y: number }; dx: number; dy: number }) {
  const back = (side: number) =>
    `${(at.x - 11 * dx - 3 * side * dy).toFixed(1)},${(at.y - 11 * dy + 3 * side * dx).toFixed(1)}`
  return (
    <polygon
      className="tip"
      points={`${at.x.toFixed(1)},${at.y.toFixed(1)} ${back(1)} ${back(-1)}`}
    />
  )
}
