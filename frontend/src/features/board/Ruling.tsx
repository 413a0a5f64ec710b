import type { PointerEvent as ReactPointerEvent } from 'react'
import type { Pair } from '../../shared/dragging'
import { figure } from '../../shared/format'
import { useLengths } from '../../shared/shown'
import { niceLength } from '../../shared/units'

/** What part of the plane the board shows. */
export interface Window {
  x: number
  y: number
  /** px per mm */
  scale: number
}

/** A handle of a Bezier piece, on a line from its point. */
export function Handle(props: {
  from: Pair
  to: Pair
  testId?: string
  down: (e: ReactPointerEvent<SVGElement>) => void
}) {
  return (
    <>
      <line
        className="construction"
        x1={props.from[0]}
        y1={props.from[1]}
        x2={props.to[0]}
        y2={props.to[1]}
        pointerEvents="none"
      />
      <circle
        className="handle"
        data-testid={props.testId}
        cx={props.to[0]}
        cy={props.to[1]}
        r={4.5}
        onPointerDown={props.down}
      />
    </>
  )
}

/** The ruled ground with its numbers, in the unit of the bench. */
export function Ruling({
  w,
  size,
  px,
}: {
  w: Window
  size: Pair
  px: (p: readonly number[]) => Pair
}) {
  const lengths = useLengths()
  const step = niceLength(500 * (64 / w.scale), lengths)
  const lines = []
  const left = w.x - size[0] / 2 / w.scale
  const bottom = w.y - size[1] / 2 / w.scale
  for (
    let k = Math.ceil(left / step);
    k * step < left + size[0] / w.scale && lines.length < 100;
    k += 1
  ) {
    const x = px([k * step, 0])[0]
    lines.push(
      <g key={`x${k}`} pointerEvents="none">
        <line className="ruled" x1={x} x2={x} y1={0} y2={size[1]} />
        <text x={x + 3} y={size[1] - 4}>
          {figure((k * step) / lengths.per, 4)}
        </text>
      </g>,
    )
  }
  for (
    let k = Math.ceil(bottom / step);
    k * step < bottom + size[1] / w.scale && lines.length < 200;
    k += 1
  ) {
    const y = px([0, k * step])[1]
    lines.push(
      <g key={`y${k}`} pointerEvents="none">
        <line className="ruled" x1={0} x2={size[0]} y1={y} y2={y} />
        <text x={4} y={y - 3}>
          {figure((k * step) / lengths.per, 4)}
        </text>
      </g>,
    )
  }
  return (
    <>
      {lines}
      <text x={size[0] - 26} y={16} pointerEvents="none">
        {lengths.unit}
      </text>
    </>
  )
}
