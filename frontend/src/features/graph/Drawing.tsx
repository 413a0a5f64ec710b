import { useState } from 'react'
import type { PointerEvent as ReactPointerEvent } from 'react'
import type { Edit } from '../../shared/api/client'
import { dragPlane } from '../../shared/dragging'
import type { Pair } from '../../shared/dragging'
import { figure, niceStep, snapped, withUnit } from '../../shared/format'
import { bentTo, handles, movedTo, sampled, setting, valueAt } from '../../shared/graph'
import type { GraphPlace, GraphPoint, Written } from '../../shared/graph'
import { useView } from '../../shared/viewState'

const LEFT = 52
const RIGHT = 18
const TOP = 16
const BOTTOM = 26

/** What of the values is shown. */
interface Range {
  low: number
  high: number
}

function rangeOf(points: readonly GraphPoint[]): Range {
  const values = [...sampled(points).map((p) => p[1]), 0]
  const low = Math.min(...values)
  const high = Math.max(...values)
  const room = Math.max(high - low, 1e-9) * 0.15
  return { low: low < 0 ? low - room : low, high: high + room }
}

/** The graph on its ruled ground: places from left to right, values up. */
export function Drawing(props: {
  box: React.RefObject<SVGSVGElement | null>
  size: Pair
  place: GraphPlace
  unit: string
  written: readonly Written[]
  points: readonly GraphPoint[]
  chosen: string | null
  choose: (id: string | null) => void
  add: (at: number, value: number) => void
}) {
  const { box, size, place, written, points, chosen } = props
  // it stays put while something is dragged
  const [held, setHeld] = useState<Range | null>(null)
  const range = held ?? rangeOf(points)
  const [width, height] = [
    Math.max(size[0] - LEFT - RIGHT, 10),
    Math.max(size[1] - TOP - BOTTOM, 10),
  ]
  const px = (p: Pair): Pair => [
    LEFT + p[0] * width,
    TOP + height - ((p[1] - range.low) / (range.high - range.low)) * height,
  ]
  const local = (e: { clientX: number; clientY: number }): Pair => {
    const r = box.current?.getBoundingClientRect()
    return [
      (e.clientX - (r?.left ?? 0) - LEFT) / width,
      range.low +
        ((TOP + height - (e.clientY - (r?.top ?? 0))) / height) * (range.high - range.low),
    ]
  }
  const step = niceStep((range.high - range.low) * 2.5)
  const line = sampled(points)
  const path = line
    .map(
      (p, i) =>
        `${i ? 'L' : 'M'}${px(p)
          .map((v) => v.toFixed(2))
          .join(' ')}`,
    )
    .join('')

  const drag = (e: ReactPointerEvent<SVGElement>, from: Pair, make: (to: Pair) => Edit) => {
    if (e.button !== 0) return
    setHeld(range)
    dragPlane(e, local, [0.005, step], from, make, { part: place.part, end: () => setHeld(null) })
  }
  const dragPoint = (e: ReactPointerEvent<SVGElement>, p: GraphPoint) => {
    props.choose(p.id)
    drag(e, [p.at, p.value], (to) => setting(place, movedTo(written, points, p.id, to)))
  }
  return (
    <svg
      ref={box}
      data-testid="graph-drawing"
      data-low={range.low}
      data-high={range.high}
      onPointerDown={(e) => {
        if (e.target === e.currentTarget) props.choose(null)
      }}
      onPointerMove={(e) => {
        const at = local(e)[0]
        useView.getState().set({ along: at >= 0 && at <= 1 ? at : null })
      }}
      onPointerLeave={() => useView.getState().set({ along: null })}
    >
      <Ground range={range} size={size} px={px} unit={props.unit} />
      <path className="profile" d={path} pointerEvents="none" />
      <path
        className="hit"
        d={path}
        data-testid="graph-line"
        onPointerDown={(e) => {
          e.stopPropagation()
          const at = snapped(Math.min(Math.max(local(e)[0], 0), 1), 0.005)
          props.add(at, snapped(valueAt(line, at), step))
        }}
      />
      <Along line={line} px={px} size={size} unit={props.unit} />
      <Handles {...props} px={px} drag={drag} />
      {points.map((p) => {
        const at = px([p.at, p.value])
        return (
          <rect
            key={p.id}
            className={`dot${chosen === p.id ? ' chosen' : ''}`}
            data-testid={`graph-point-${p.id}`}
            x={at[0] - 5}
            y={at[1] - 5}
            width={10}
            height={10}
            rx={p.smooth ? 5 : 0}
            onPointerDown={(e) => dragPoint(e, p)}
          />
        )
      })}
    </svg>
  )
}

/** The handles of the chosen point, where it is smooth or has some. */
function Handles(props: {
  place: GraphPlace
  written: readonly Written[]
  points: readonly GraphPoint[]
  chosen: string | null
  px: (p: Pair) => Pair
  drag: (e: ReactPointerEvent<SVGElement>, from: Pair, make: (to: Pair) => Edit) => void
}) {
  const { points, px, place, written } = props
  const i = points.findIndex((p) => p.id === props.chosen)
  const p = points[i]
  if (!p || (!p.smooth && !p.into && !p.out)) return null
  const pieces = handles(points)
  const before = pieces[i - 1]?.second ?? null
  const after = pieces[i]?.first ?? null
  const one = (side: 'in' | 'out', h: Pair | null, other: Pair | null) => {
    if (!h) return null
    const [from, to] = [px([p.at, p.value]), px([p.at + h[0], p.value + h[1]])]
    return (
      <g key={side}>
        <line
          className="construction"
          x1={from[0]}
          y1={from[1]}
          x2={to[0]}
          y2={to[1]}
          pointerEvents="none"
        />
        <circle
          className="handle"
          cx={to[0]}
          cy={to[1]}
          r={4.5}
          data-testid={`graph-handle-${side}`}
          onPointerDown={(e) =>
            props.drag(e, [p.at + h[0], p.value + h[1]], (at) =>
              setting(place, bentTo(written, p, side, [at[0] - p.at, at[1] - p.value], other)),
            )
          }
        />
      </g>
    )
  }
  return (
    <>
      {one('in', before, after)}
      {one('out', after, before)}
    </>
  )
}

/** The place that is pointed at, here or on the body, and what the graph comes to there. */
function Along(props: { line: readonly Pair[]; px: (p: Pair) => Pair; size: Pair; unit: string }) {
  const along = useView((s) => s.along)
  if (along === null) return null
  const value = valueAt(props.line, along)
  const at = props.px([along, value])
  const right = at[0] > props.size[0] - 130
  return (
    <g pointerEvents="none" data-testid="graph-along">
      <line className="along" x1={at[0]} x2={at[0]} y1={TOP} y2={props.size[1] - BOTTOM} />
      <circle className="along" cx={at[0]} cy={at[1]} r={3.5} />
      <text x={at[0] + (right ? -8 : 8)} y={TOP + 11} textAnchor={right ? 'end' : 'start'}>
        {figure(100 * along, 3)} %: {withUnit(figure(value, 4), props.unit)}
      </text>
    </g>
  )
}

/** Ruled ground: tenths of the run, and round values. */
function Ground(props: { range: Range; size: Pair; px: (p: Pair) => Pair; unit: string }) {
  const { range, px, size } = props
  const step = niceStep((range.high - range.low) * 100)
  const rows: number[] = []
  for (let k = Math.ceil(range.low / step); k * step <= range.high && rows.length < 40; k += 1)
    rows.push(snapped(k * step, step))
  const every = Math.max(1, Math.ceil((rows.length * 24) / Math.max(size[1], 1)))
  return (
    <g pointerEvents="none">
      {Array.from({ length: 11 }, (_, k) => {
        const x = px([k / 10, range.low])[0]
        return (
          <g key={`x${k}`}>
            <line className="ruled" x1={x} x2={x} y1={TOP} y2={size[1] - BOTTOM} />
            {k % 2 === 0 && (
              <text x={x} y={size[1] - 8} textAnchor="middle">
                {k * 10}
                {k === 10 ? ' %' : ''}
              </text>
            )}
          </g>
        )
      })}
      {rows.map((v, i) => {
        const y = px([0, v])[1]
        return (
          <g key={`y${v}`}>
            <line
              className={v === 0 ? 'zero' : 'ruled'}
              x1={LEFT}
              x2={size[0] - RIGHT}
              y1={y}
              y2={y}
            />
            {i % every === 0 && (
              <text x={LEFT - 8} y={y + 4} textAnchor="end">
                {figure(v, 4)}
                {i === rows.length - 1 && props.unit ? ` ${props.unit}` : ''}
              </text>
            )}
          </g>
        )
      })}
    </g>
  )
}
