import type { Dimension, Spot } from './layout'

/** Extension lines, the dimension line and its arrowheads (ISO 129). */
export function DimensionLines({ d }: { d: Dimension }) {
  const long = Math.hypot(d.q.x - d.p.x, d.q.y - d.p.y) > 26
  return (
    <>
      {[
        [d.a, d.p],
        [d.b, d.q],
      ].map(([from, to], i) => from && to && <Extension key={i} from={from} to={to} />)}
      <line className="line" x1={d.p.x} y1={d.p.y} x2={d.q.x} y2={d.q.y} />
      {long && <Arrow at={d.p} from={d.q} />}
      {long && <Arrow at={d.q} from={d.p} />}
    </>
  )
}

/** From a little off the body to a little past the dimension line. */
function Extension({ from, to }: { from: Spot; to: Spot }) {
  const d = { x: to.x - from.x, y: to.y - from.y }
  const l = Math.hypot(d.x, d.y) || 1
  return (
    <line
      className="line"
      x1={from.x + (d.x / l) * 4}
      y1={from.y + (d.y / l) * 4}
      x2={to.x + (d.x / l) * 5}
      y2={to.y + (d.y / l) * 5}
    />
  )
}

export function Label({ d, text, sign }: { d: Dimension; text: string; sign: 'diameter' | null }) {
  const width = text.length * 7.2
  return (
    <g transform={`translate(${d.label.x} ${d.label.y}) rotate(${d.turn})`}>
      <text textAnchor="middle" x={sign ? 8 : 0}>
        {text}
      </text>
      {sign && (
        <g transform={`translate(${-width / 2 - 3} -5)`}>
          {/* cleared as words are, then drawn */}
          {['line cleared', 'line sign'].map((c) => (
            <g key={c} className={c}>
              <circle r="4.6" />
              <line x1="-5" y1="5.6" x2="5" y2="-5.6" />
            </g>
          ))}
        </g>
      )}
    </g>
  )
}

function Arrow({ at, from }: { at: Spot; from: Spot }) {
  const d = { x: at.x - from.x, y: at.y - from.y }
  const l = Math.hypot(d.x, d.y) || 1
  const [ux, uy] = [d.x / l, d.y / l]
  const a = `${at.x - ux * 9 - uy * 2.6},${at.y - uy * 9 + ux * 2.6}`
  const b = `${at.x - ux * 9 + uy * 2.6},${at.y - uy * 9 - ux * 2.6}`
  return <polygon className="head" points={`${at.x},${at.y} ${a} ${b}`} />
}
