import { useEffect, useState } from 'react'
import type { PointerEvent as ReactPointerEvent } from 'react'
import { Vector3 } from 'three'
import type { BenchView, PartView, StepView } from '../../shared/api/client'
import { dragPlane, movedPoint } from '../../shared/dragging'
import type { Pair } from '../../shared/dragging'
import { useSection } from '../../shared/section'
import { inFile } from '../../shared/number'
import type { NumberTarget } from '../../shared/number'
import { NumberField } from '../../shared/ui/NumberChip'
import { facing } from '../../shared/planes'
import { lengthText, lengthsOf, placeText } from '../../shared/units'
import type { Lengths } from '../../shared/units'
import { useView } from '../../shared/viewState'
import {
  anchorOf,
  boxOnScreen,
  shownCorners,
  lengthDimension,
  matrixOf,
  overall,
  screenWay,
  spannedAxis,
  stackedLengths,
} from './layout'
import type { Dimension, Leader, Spot } from './layout'
import { BESIDE, placeLeaders } from './leaders'
import { boxOf, turnedBoxes, wordsOf } from './words'
import { shownCallouts, startDrag, textOf } from './calloutWork'
import type { Shown } from './calloutWork'
import { DimensionLines, Label } from './Dimensions'
import { planeFrame } from './planeFrame'
import type { Sight } from './Sight'
import type { Stage } from './Stage'

/** The numbers on the body: overall sizes in plain ink, the chosen step's values in moss, draggable. */
export function Callouts(props: {
  stage: Stage
  bench: BenchView
  part: PartView
  step: StepView | undefined
  parts: readonly PartView[]
}) {
  const { stage, bench, part, step } = props
  const spots = useView((v) => v.spots)
  const beside = useView((v) => v.beside)
  const only = useView((v) => v.only)
  const planes = useSection((v) => v.planes)
  const [typing, setTyping] = useState<Typing | null>(null)
  useEffect(() => () => wordsOf(stage).drop('callouts'), [stage])
  if (!part.bounds || !part.mesh || stage.width < 10) return null
  const screen = { width: stage.width, height: stage.height }
  const shownIn = lengthsOf(bench.document.shown)
  const box = boxOnScreen(stage, part)
  // beside the planes of a section and the words at their grips, too
  const corners = planes.length ? shownCorners(props.parts) : []
  for (const s of planes.flatMap((p) => planeFrame(stage, p, corners))) {
    box.left = Math.min(box.left, s.x - 10)
    box.right = Math.max(box.right, s.x + 60)
  }
  const title = {
    left: screen.width - 345,
    right: screen.width,
    top: screen.height - 172,
    bottom: screen.height,
  }

  const shown = shownCallouts(bench, props.parts, part, step)
  const lengths = shown.filter((s) => ['length', 'diameter'].includes(s.callout.form))
  const points = shown.filter((s) => s.callout.form === 'point')
  const led = shown.filter((s) => !['length', 'diameter', 'point'].includes(s.callout.form))
  const round = isRound(part)
  const covered = lengths.length >= 3
  // a size that the step itself says is not said twice
  const said = new Set(lengths.map((s) => spannedAxis(part, s.callout)))
  const sizes = covered
    ? []
    : overall(stage, part, round, stage.looking).filter(
        (d) => !said.has({ x: 0, y: 1, height: 2 }[d.key] ?? -1),
      )
  const placed = stackedLengths(
    stage,
    part,
    lengths.map((s) => s.callout),
    sizes,
  )
  const rows = led.map((s) => ({
    key: s.callout.target,
    long: textOf(s).length * 7,
    ...anchorOf(stage, part, s.callout, inFile(s.target)),
  }))
  // with one part shown only, the others are not there to stand in the way
  const others = (only ? [] : props.parts)
    .filter((p) => p.part !== part.part && p.mesh && p.bounds && !p.hidden)
    .map((p) => boxOnScreen(stage, p))
  const leaders = placeLeaders(rows, box, screen, title, beside ? BESIDE : 0, others)
  wordsOf(stage).lay('callouts', [
    ...[
      ...sizes.map((d) => ({ d, text: sizeText(d.key, part, shownIn) })),
      ...lengths.map((s, i) => ({ d: placed[i], text: textOf(s) })),
    ].flatMap(({ d, text }) => (d ? turnedBoxes(`⌀ ${text}`, d.label, d.turn) : [])),
    ...leaders.map((l) => {
      const s = led.find((x) => x.callout.target === l.key)
      return boxOf(s ? textOf(s) : '', l.label, l.end)
    }),
  ])
  const axis = step?.axis ? axisLine(stage, part, step.axis) : null
  const open = (target: NumberTarget, at: Spot, begin?: string) => setTyping({ target, at, begin })
  return (
    <>
      <svg className="callouts" data-testid="callouts" data-count={shown.length}>
        {axis && (
          <line className="axis" x1={axis[0].x} y1={axis[0].y} x2={axis[1].x} y2={axis[1].y} />
        )}
        {sizes.map((d) => (
          <g key={d.key} data-testid={`size-${d.key}`}>
            <DimensionLines d={d} />
            <Label
              d={d}
              text={sizeText(d.key, part, shownIn)}
              sign={d.key === 'across' ? 'diameter' : null}
            />
          </g>
        ))}
        {lengths.map((s, i) => (
          <LengthCallout key={s.callout.target} {...props} s={s} open={open} d={placed[i]} />
        ))}
        {leaders.map((l) => {
          const s = led.find((x) => x.callout.target === l.key)
          return s ? <LeaderCallout key={l.key} {...props} s={s} l={l} open={open} /> : null
        })}
        {points.map((s) => (
          <PointGrip key={s.callout.target} {...props} s={s} />
        ))}
        {[...(step?.error?.places ?? []), ...spots].map((p, i) => {
          const at = stage.project(new Vector3(p[0], p[1], p[2]).applyMatrix4(matrixOf(part)))
          return <circle key={i} className="spot" cx={at.x} cy={at.y} r={9} />
        })}
      </svg>
      {typing && (
        <div
          className="callout-field"
          style={{ left: Math.min(typing.at.x, screen.width - 140), top: typing.at.y - 22 }}
        >
          <NumberField target={typing.target} begin={typing.begin} close={() => setTyping(null)} />
        </div>
      )}
    </>
  )
}

/** Whether a body is one of turning, and still as deep as it is wide. */
function isRound(part: PartView): boolean {
  const [low = [], high = []] = part.bounds ?? []
  const x = (high[0] ?? 0) - (low[0] ?? 0)
  const y = (high[1] ?? 0) - (low[1] ?? 0)
  const first = part.steps.find((s) => s.state !== 'off')
  return (first?.turned ?? false) && Math.abs(x - y) < 0.06 * x
}

function sizeText(key: string, part: PartView, lengths: Lengths): string {
  const k = key === 'height' ? 2 : key === 'y' ? 1 : 0
  const size = (part.bounds?.[1]?.[k] ?? 0) - (part.bounds?.[0]?.[k] ?? 0)
  return lengthText(size, lengths, 5)
}

function axisLine(
  stage: Stage,
  part: PartView,
  axis: { point: number[]; direction: number[] },
): [Spot, Spot] {
  const m = matrixOf(part)
  const p = new Vector3(...axis.point)
  const d = new Vector3(...axis.direction)
  const [low = [], high = []] = part.bounds ?? []
  let least = Infinity
  let most = -Infinity
  for (let i = 0; i < 8; i += 1) {
    const c = new Vector3(...[0, 1, 2].map((k) => ((i >> k) & 1 ? high : low)[k] ?? 0))
      .sub(p)
      .dot(d)
    least = Math.min(least, c)
    most = Math.max(most, c)
  }
  const over = (most - least) * 0.14
  const end = (t: number) => stage.project(p.clone().addScaledVector(d, t).applyMatrix4(m))
  return [end(least - over), end(most + over)]
}

/** The field of a callout: where it stands, and what was typed while its grip was held. */
export interface Typing {
  target: NumberTarget
  at: Spot
  begin?: string | undefined
}

interface CalloutProps {
  stage: Sight
  part: PartView
  bench: BenchView
  s: Shown
  open: (t: NumberTarget, at: Spot, begin?: string) => void
  /** where it is drawn, when that hangs on others */
  d?: Dimension | undefined
  /** in a small view: smaller grips, and names of their own */
  small?: boolean
}

function useLit(address: string) {
  const lit = useView((v) => v.hovered === address)
  const set = useView((v) => v.set)
  return {
    lit: lit ? ' lit' : '',
    hover: {
      onPointerEnter: () => set({ hovered: address }),
      onPointerLeave: () => set({ hovered: null }),
    },
  }
}

export function LengthCallout({ stage, part, s, open, small, d: given }: CalloutProps) {
  const { lit, hover } = useLit(s.target.address)
  const d = given ?? lengthDimension(stage, part, s.callout, s.callout.target, small ? 14 : 30)
  const held = stage.project(new Vector3(...s.callout.grip).applyMatrix4(matrixOf(part)))
  const down = (e: ReactPointerEvent<SVGElement>) =>
    startDrag(e, stage, part, s, (text) => open(s.target, d.label, text))
  return (
    <g
      className={`value${lit}`}
      data-testid={`${small ? 'small-' : ''}callout-${s.target.address}`}
      {...hover}
      onPointerDown={down}
    >
      <DimensionLines d={d} />
      <Label
        d={d}
        text={textOf(s)}
        sign={s.callout.form === 'diameter' && !s.callout.label ? 'diameter' : null}
      />
      <rect className="grip" x={held.x - 4} y={held.y - 4} width={8} height={8} />
    </g>
  )
}

function LeaderCallout({ stage, part, s, l, open }: CalloutProps & { l: Leader }) {
  const { lit, hover } = useLit(s.target.address)
  const down = (e: ReactPointerEvent<SVGElement>) =>
    startDrag(e, stage, part, s, (text) => open(s.target, l.label, text))
  const width = textOf(s).length * 7.4
  const far = l.end === 'start' ? l.knee.x + width : l.knee.x - width
  return (
    <g
      className={`value${lit}`}
      data-testid={`callout-${s.target.address}`}
      {...hover}
      onPointerDown={down}
    >
      {l.arc && <polyline className="line" points={l.arc.map((p) => `${p.x},${p.y}`).join(' ')} />}
      <polyline
        className="line"
        points={`${l.anchor.x},${l.anchor.y} ${l.knee.x},${l.knee.y} ${far},${l.knee.y}`}
      />
      <text x={l.label.x} y={l.label.y} textAnchor={l.end}>
        {textOf(s)}
      </text>
      <circle className="grip" cx={l.anchor.x} cy={l.anchor.y} r={4} />
    </g>
  )
}

/** A radius, angle, count or level in a small view: a grip at its place, its number while it is pointed at. */
export function SmallGrip(
  props: Omit<CalloutProps, 'd' | 'small'> & { at: Spot; arc?: readonly Spot[] | undefined },
) {
  const { stage, part, s, at, arc, open } = props
  const { lit, hover } = useLit(s.target.address)
  const down = (e: ReactPointerEvent<SVGElement>) =>
    startDrag(e, stage, part, s, (text) => open(s.target, at, text))
  const text = textOf(s)
  // on the side that has room for it
  const left = at.x + 8 + text.length * 6 > stage.width
  return (
    <g
      className={`value${lit}`}
      data-testid={`small-callout-${s.target.address}`}
      {...hover}
      onPointerDown={down}
    >
      {arc && <polyline className="line" points={arc.map((p) => `${p.x},${p.y}`).join(' ')} />}
      <circle className="grip" cx={at.x} cy={at.y} r={3.5} />
      {lit && (
        <text
          x={at.x + (left ? -8 : 8)}
          y={Math.max(at.y - 6, 10)}
          textAnchor={left ? 'end' : 'start'}
        >
          {text}
        </text>
      )}
    </g>
  )
}

const AXES = [
  [1, 0, 0],
  [0, 1, 0],
  [0, 0, 1],
] as const

/** A point of a curve: of a profile dragged in its plane, of a path in that of the board, or the one that faces the eye. */
export function PointGrip({ stage, part, bench, s, small }: Omit<CalloutProps, 'open'>) {
  const { lit, hover } = useLit(s.target.address)
  const half = small ? 3 : 4.5
  const m = matrixOf(part)
  const here = new Vector3(...s.callout.at).applyMatrix4(m)
  const at = stage.project(here)
  const [, curveId = '', pointId = ''] = s.target.address.split('/')
  const curve = bench.document.curves?.find((c) => c.id === curveId)
  const shown = bench.curves.find((c) => c.id === curveId)?.points.find((p) => p.id === pointId)
  const written = curve?.points.find((p) => p.id === pointId)?.at ?? []
  const down = (e: ReactPointerEvent<SVGElement>) => {
    if (!shown) return
    const way = (d: readonly number[]) =>
      screenWay(stage, here, new Vector3(...(d as [number, number, number])).transformDirection(m))
    const inSpace = shown.at.length === 3
    const axes = AXES.map(way)
    const plane = !inSpace ? ([0, 1] as const) : (useView.getState().plane ?? facing(axes))
    const u = inSpace ? (axes[plane[0]] ?? way([1, 0, 0])) : way(s.callout.along)
    const v = inSpace ? (axes[plane[1]] ?? way([0, 0, 1])) : way(s.callout.second ?? [0, 0, 1])
    const det = u.x * v.y - u.y * v.x
    const flat = Math.abs(det) * stage.mmPerPx() ** 2 < 0.04
    const local = (p: PointerEvent): Pair => {
      const d = { x: p.clientX - e.clientX, y: p.clientY - e.clientY }
      if (flat) {
        // the plane is seen edge on: only the direction that shows can be dragged
        const seen = Math.hypot(u.x, u.y) > Math.hypot(v.x, v.y) ? u : v
        const t = (d.x * seen.x + d.y * seen.y) / (seen.x ** 2 + seen.y ** 2)
        return seen === u ? [t, 0] : [0, t]
      }
      return [(d.x * v.y - d.y * v.x) / det, (u.x * d.y - u.y * d.x) / det]
    }
    const from = plane.map((k) => shown.at[k] ?? 0)
    dragPlane(e, local, s.target.step * (s.target.per ?? 1), from, (p) =>
      movedPoint(curveId, pointId, written, p, plane),
    )
  }
  return (
    <g className={`value${lit}`} {...hover}>
      <rect
        className="grip"
        data-testid={`${small ? 'small-' : ''}grip-${s.callout.target}`}
        x={at.x - half}
        y={at.y - half}
        width={2 * half}
        height={2 * half}
        onPointerDown={down}
      />
      {lit && shown && (
        <text x={at.x + 9} y={at.y - 8}>
          {placeText(shown.at, lengthsOf(bench.document.shown), 5)}
        </text>
      )}
    </g>
  )
}
