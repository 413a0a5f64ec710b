import type { ClearanceRow } from '../../shared/api/client'
import { inWords, useClearance, useClearances } from '../../shared/clearances'
import { useSession } from '../../shared/session'
import { isStale, useLengths } from '../../shared/shown'
import { useView } from '../../shared/viewState'

const FEW = 4

/** How far the chosen part stands from the others, the nearest first; live while something is dragged. */
export function ClearanceList() {
  useClearances()
  const { rows, coarse, failed } = useClearance()
  const chosen = useView((s) => s.part)
  const name = useSession((s) => s.bench?.document.parts?.find((p) => p.id === chosen)?.name)
  const pair = useView((s) => s.pair)
  const waiting = useSession((s) => isStale(s, null))
  const stale = coarse || waiting
  const set = useView((s) => s.set)
  const lengths = useLengths()
  if (rows.length === 0 && !failed) return null
  return (
    <section
      className={stale ? 'stale' : ''}
      data-testid="clearance"
      data-state={coarse ? 'coarse' : 'exact'}
      data-stale={stale}
    >
      <h2>Clearance</h2>
      <p className="muted small">
        {name ?? 'It'} from{stale && <span className="measuring"> · measuring …</span>}
      </p>
      {failed && <p className="muted">{failed}</p>}
      {rows.slice(0, FEW).map((r) => (
        <button
          key={r.part}
          className={`plain row clear${pair === r.part ? ' also' : ''}`}
          data-testid={`clearance-${r.part}`}
          data-state={r.state}
          data-signed={r.signed}
          data-about={r.about}
          aria-pressed={pair === r.part}
          title={pair === r.part ? 'Leave it' : 'Show where'}
          onClick={() => set({ pair: pair === r.part ? null : r.part })}
        >
          <span className="grow">{r.name}</span>
          <span className={`figures ${tone(r)}`}>{inWords(r, lengths)}</span>
        </button>
      ))}
      {rows.length > FEW && (
        <p className="muted small">
          {rows.length - FEW === 1 ? 'One other is' : `${rows.length - FEW} others are`} farther
          off.
        </p>
      )}
    </section>
  )
}

function tone(r: ClearanceRow): string {
  return r.state === 'crossing' || r.state === 'inside' ? 'amber' : ''
}
