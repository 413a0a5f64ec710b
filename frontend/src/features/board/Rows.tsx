import type { Curve } from '../../shared/api/client'
import { doEdit, shownParts, useSession } from '../../shared/session'
import { useLengths } from '../../shared/shown'
import { numberAt } from '../../shared/targets'
import { ChoiceWord } from '../../shared/ui/ChoiceWord'
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
  const names = curve.kind === 'path' ? ['X', 'Y', 'Z'] : ['across', 'up']
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
            {names.map((name) => (
              <th key={name}>{name}</th>
            ))}
            <th title={`Radius of the corner, ${lengths.unit}`}>R</th>
            <th title={`Chamfer: how far from the point it is cut off, ${lengths.unit}`}>
              C, {lengths.unit}
            </th>
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
              {names.map((name, k) => (
                <td key={name}>{number(`curves/${curve.id}/${p.id ?? ''}/at/${k}`)}</td>
              ))}
              <td>{number(`curves/${curve.id}/${p.id ?? ''}/fillet`)}</td>
              <td>{number(`curves/${curve.id}/${p.id ?? ''}/chamfer`)}</td>
              <td>
                <ChoiceWord
                  label={`How the piece after point ${i + 1} runs`}
                  testId={`join-${p.id ?? ''}`}
                  now={p.join ?? 'straight'}
                  choices={JOINS}
                  choose={(join) =>
                    doEdit({ kind: 'set_point', curve: curve.id, point: p.id ?? '', join })
                  }
                />
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
      <p className="muted" style={{ margin: '10px 0 4px', fontSize: 13 }}>
        Click the line to add a point. Shift drags straight; Delete removes the chosen one.
      </p>
    </div>
  )
}
