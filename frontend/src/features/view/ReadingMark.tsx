import { Vector3 } from 'three'
import { readingText } from '../../shared/measuring'
import type { Spot } from './layout'
import type { Sight } from './Sight'

interface Drawn {
  what: string
  value: number | null
  unit: string
  places: readonly (readonly number[])[]
}

/** A reading drawn as a drawing would: an arrow at each end of a distance, R for a radius, an arc for an angle. */
export function ReadingMark(props: {
  stage: Sight
  reading: Drawn
  name?: string
  fresh?: boolean
}) {
  const { stage, reading, name, fresh } = props
  const spots = reading.places.map((p) => stage.project(new Vector3(p[0], p[1], p[2])))
  const [a, b, c] = spots
  if (!a) return null
  const text = readingText(reading)
  return (
    <g
      className={`reading-mark${fresh ? ' value' : ''}`}
      data-testid={name ? `drawn-${name}` : 'drawn-reading'}
    >
      {name && <title>{name}</title>}
      {reading.what === 'angle' && b && c ? (
        <AngleMark corner={a} one={b} two={c} text={text} />
      ) : (
        <LineMark a={a} b={b ?? a} one={reading.what === 'radius'} text={text} />
      )}
    </g>
  )
}

function LineMark({ a, b, one, text }: { a: Spot; b: Spot; one: boolean; text: string }) {
  const l = Math.hypot(b.x - a.x, b.y - a.y)
  const u = l > 0 ? { x: (b.x - a.x) / l, y: (b.y - a.y) / l } : { x: 1, y: 0 }
  const middle = { x: (a.x + b.x) / 2, y: (a.y + b.y) / 2 }
  const room = text.length * 7 + 16
  // too short for its text: the number stands beside, on a leader
  const beside = l < room
  const at = beside
    ? { x: middle.x + 30, y: middle.y - 30 }
    : { x: middle.x + Math.abs(u.y) * 8, y: middle.y - Math.abs(u.x) * 8 }
  return (
    <>
      <line className="line" x1={a.x} y1={a.y} x2={b.x} y2={b.y} />
      {l > 24 && !one && <Head at={a} from={b} />}
      {l > 24 && <Head at={b} from={a} />}
      {l <= 24 && <circle className="line" cx={b.x} cy={b.y} r={3} />}
      {beside && (
        <polyline
          className="line"
          fill="none"
          points={`${middle.x},${middle.y} ${at.x - 4},${at.y + 5} ${at.x + room - 16},${at.y + 5}`}
        />
      )}
      <text x={at.x} y={at.y} textAnchor={beside || Math.abs(u.y) > 0.7 ? 'start' : 'middle'}>
        {text}
      </text>
    </>
  )
}

function Head({ at, from }: { at: Spot; from: Spot }) {
  const l = Math.hypot(at.x - from.x, at.y - from.y) || 1
  const [x, y] = [(at.x - from.x) / l, (at.y - from.y) / l]
  const p = (along: number, side: number) =>
    `${at.x - x * along - y * side},${at.y - y * along + x * side}`
  return <polygon className="head" points={`${p(0, 0)} ${p(9, 2.4)} ${p(9, -2.4)}`} />
}

function AngleMark(props: { corner: Spot; one: Spot; two: Spot; text: string }) {
  const { corner, one, two, text } = props
  return (
    <>
      <polyline
        className="line"
        fill="none"
        points={`${one.x},${one.y} ${corner.x},${corner.y} ${two.x},${two.y}`}
      />
      <circle className="line" cx={one.x} cy={one.y} r={2.5} />
      <circle className="line" cx={two.x} cy={two.y} r={2.5} />
      <text x={corner.x + 10} y={corner.y - 8}>
        {text}
      </text>
    </>
  )
}
