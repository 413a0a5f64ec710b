import type { BenchView } from '../../shared/api/client'
import { addressOf } from '../../shared/graph'
import type { GraphPlace, Written } from '../../shared/graph'
import { shownParts, useSession } from '../../shared/session'
import { numberAt } from '../../shared/targets'
import { ChoiceWord } from '../../shared/ui/ChoiceWord'
import { NumberChip } from '../../shared/ui/NumberChip'

type Pass = 'corner' | 'smooth' | 'handles'
const PASSES: readonly (readonly [Pass, string])[] = [
  ['corner', 'a corner'],
  ['smooth', 'smooth'],
]

/** The points as numbers: place and value are typed, corners made smooth. */
export function Points(props: {
  place: GraphPlace
  bench: BenchView
  written: readonly Written[]
  unit: string
  chosen: string | null
  choose: (id: string) => void
  remove: (id: string) => void
  shape: (id: string, smooth: boolean) => void
}) {
  const { place, bench, written, chosen } = props
  const session = useSession()
  const number = (below: string) => {
    const target = numberAt(bench, shownParts(session), `${addressOf(place)}/${below}`)
    return target ? <NumberChip target={target} plain /> : null
  }
  if (written.length === 0)
    return (
      <div className="rows muted prose" data-testid="graph-empty">
        The same all along. Click the line, or take a ready shape.
      </div>
    )
  return (
    <div className="rows">
      <table>
        <thead>
          <tr>
            <th />
            <th>at, %</th>
            <th>{props.unit ? `value, ${props.unit}` : 'times'}</th>
            <th>passes as</th>
            <th />
          </tr>
        </thead>
        <tbody>
          {written.map((p, i) => (
            <tr
              key={p.id}
              className={chosen === p.id ? 'chosen' : ''}
              data-testid={`graph-row-${p.id}`}
              onClick={() => props.choose(p.id)}
            >
              <td className="muted figures">{i + 1}</td>
              <td>{number(`${p.id}/at`)}</td>
              <td>{number(`${p.id}/value`)}</td>
              <td>
                <ChoiceWord
                  label={`How the graph passes point ${i + 1}`}
                  testId={`graph-smooth-${p.id}`}
                  now={p.in || p.out ? 'handles' : p.smooth ? 'smooth' : 'corner'}
                  choices={p.in || p.out ? [...PASSES, ['handles', 'its handles']] : PASSES}
                  choose={(way) => {
                    if (way !== 'handles') props.shape(p.id, way === 'smooth')
                  }}
                />
              </td>
              <td>
                <button
                  className="plain muted"
                  aria-label={`Remove point ${i + 1}`}
                  data-testid={`graph-remove-${p.id}`}
                  title="Remove"
                  onClick={() => props.remove(p.id)}
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
