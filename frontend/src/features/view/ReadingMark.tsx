import { Vector3 } from 'three'
import { readingText } from '../../shared/measuring'
import { useLengths } from '../../shared/shown'
import type { Spot } from './layout'
import type { Sight } from './Sight'
import { boxOf, useUp } from './words'

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
  const lengths = useLengths()
  const spots = reading.places.map((p) => stage.project(new Vector3(p[0], p[1], p[2])))
  const [a, b, c] = spots
  if (!a) return null
  const text = readingText(reading, lengths)
  return (
    <g
      className={`reading-mark${fresh ? ' value' : ''}`}
      data-testid={name ? `drawn-${name}` : 'drawn-reading'}
    >
      {name && <title>{name}</title>}
      {reading.what === 'angle' && b && c ? (
        <AngleMark
          corner={a}
          one={b}
          two={c}
          text={text}
          arc={arcOf(reading).map((p) => stage.project(p))}
        />
      ) : (
        <LineMark
          stage={stage}
          name={name ?? 'reading'}
          a={a}
          b={b ?? a}
          one={reading.what === 'radius'}
          text={text}
        />
      )}
    </g>
  )
}

function LineMark(props: {
  stage: Sight
  name: string
  a: Spot
  b: Spot
  one: boolean
  text: string
}) {
  const { stage, name, a, b, one, text } = props
  const l = Math.hypot(b.x - a.x, b.y - a.y)
  const u = l > 0 ? { x: (b.x - a.x) / l, y: (b.y - a.y) / l } : { x: 1, y: 0 }
  const middle = { x: (a.x + b.x) / 2, y: (a.y + b.y) / 2 }
  const room = text.length * 7 + 16
  // too short for its text: the number stands beside, on a leader
  const beside = l < room
  const wish = { x: middle.x + 30, y: middle.y - 30 }
  const up = useUp(stage, `reading ${name}`, beside ? boxOf(text, wish) : null)
  const at = beside
    ? { x: wish.x, y: wish.y - up }
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

const ARC = 24

/** Places along the arc of an angle about its corner, from the one arm to the other; none where both lie in one line. */
function arcOf({ places, value }: Drawn): Vector3[] {
  const [corner, one, two] = places.map((p) => new Vector3(p[0], p[1], p[2]))
  if (!corner || !one || !two) return []
  const [u, v] = [one.sub(corner), two.sub(corner)]
  const radius = 0.6 * Math.min(u.length(), v.length())
  const [a, b] = [u.normalize(), v.normalize()]
  const between = a.angleTo(b)
  const up = b.clone().addScaledVector(a, -a.dot(b))
  if (radius === 0 || up.length() < 1e-6) return []
  up.normalize()
  const sweep = (value ?? 0) > 180 ? between - 2 * Math.PI : between
  return Array.from({ length: ARC + 1 }, (_, i) => {
    const t = (sweep * i) / ARC
    return corner
      .clone()
      .addScaledVector(a, radius * Math.cos(t))
      .addScaledVector(up, radius * Math.sin(t))
  })
}

function AngleMark(props: {
  corner: Spot
  one: Spot
  two: Spot
  text: string
  arc: readonly Spot[]
}) {
  const { corner, one, two, text, arc } = props
  const [first, second, last, before, middle] = [
    arc[0],
    arc[2],
    arc.at(-1),
    arc.at(-3),
    arc[ARC / 2],
  ]
  const room = middle ? Math.hypot(middle.x - corner.x, middle.y - corner.y) || 1 : 1
  const at = middle
    ? {
        x: middle.x + ((middle.x - corner.x) / room) * 10,
        y: middle.y + ((middle.y - corner.y) / room) * 10 + 5,
      }
    : { x: corner.x + 10, y: corner.y - 8 }
  return (
    <>
      <polyline
        className="line"
        fill="none"
        points={`${one.x},${one.y} ${corner.x},${corner.y} ${two.x},${two.y}`}
      />
      <circle className="line" cx={one.x} cy={one.y} r={2.5} />
      <circle className="line" cx={two.x} cy={two.y} r={2.5} />
      {arc.length > 0 && (
        <polyline
          className="line"
          fill="none"
          data-testid="arc"
          points={arc.map((s) => `${s.x},${s.y}`).join(' ')}
        />
      )}
      {first && second && room > 20 && <Head at={first} from={second} />}
      {last && before && room > 20 && <Head at={last} from={before} />}
      <text x={at.x} y={at.y} textAnchor={middle && middle.x < corner.x ? 'end' : 'start'}>
        {text}
      </text>
    </>
  )
}
