import type { Curve } from '../../shared/api/client'
import { doEdit, shownParts, useSession } from '../../shared/session'
import { useLengths } from '../../shared/shown'
import { numberAt } from '../../shared/targets'
import { NumberChip } from '../../shared/ui/NumberChip'

type Join = 'straight' | 'bezier' | 'smooth'
const JOINS: readonly [Join, string][] = [
  ['straight', 'straight'],
  ['bezier', 'Bezier'],
  ['smooth', 'smooth'],
]

/** The points as numbers: typed coordinates, radii, and how each piece runs. */
export function Rows(props: {
  curve: Curve
  chosen: string | null
  setChosen: (p: string) => void
  remove: (p: string) => void
}) {
  const { curve, chosen, setChosen } = props
  const session = useSession()
  const bench = session.preview ?? session.bench
  const lengths = useLengths()
  if (!bench) return null
  const number = (address: string) => {
    const target = numberAt(bench, shownParts(session), address)
    return target ? <NumberChip target={target} plain /> : null
  }
  return (
    <div className="rows">
      <table>
        <thead>
          <tr>
            <th />
            <th>across</th>
            <th>up</th>
            <th style={{ paddingRight: 10 }}>R, {lengths.unit}</th>
            <th>then</th>
            <th />
          </tr>
        </thead>
        <tbody>
          {curve.points.map((p, i) => (
            <tr
              key={p.id}
              className={chosen === p.id ? 'chosen' : ''}
              onClick={() => setChosen(p.id ?? '')}
              data-testid={`row-${p.id ?? ''}`}
            >
              <td className="muted figures">{i + 1}</td>
              <td>{number(`curves/${curve.id}/${p.id ?? ''}/at/0`)}</td>
              <td>{number(`curves/${curve.id}/${p.id ?? ''}/at/1`)}</td>
              <td>{number(`curves/${curve.id}/${p.id ?? ''}/fillet`)}</td>
              <td>
                <select
                  aria-label={`How the piece after point ${i + 1} runs`}
                  value={p.join ?? 'straight'}
                  style={{ background: 'none', fontSize: 13, maxWidth: 66 }}
                  onChange={(e) =>
                    doEdit({
                      kind: 'set_point',
                      curve: curve.id,
                      point: p.id ?? '',
                      join: e.target.value as Join,
                    })
                  }
                >
                  {JOINS.map(([v, words]) => (
                    <option key={v} value={v}>
                      {words}
                    </option>
                  ))}
                </select>
              </td>
              <td>
                <button
                  className="plain muted"
                  aria-label={`Remove point ${i + 1}`}
                  title="Remove"
                  onClick={() => props.remove(p.id ?? '')}
                >
                  ×
                </button>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  )
}
