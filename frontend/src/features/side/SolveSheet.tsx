import { useState } from 'react'
import { api } from '../../shared/api/client'
import type { Solved } from '../../shared/api/client'
import { figure, withUnit } from '../../shared/format'
import { author, edit, shownParts, useSession } from '../../shared/session'
import { numberAt } from '../../shared/targets'
import { Sheet } from '../../shared/ui/Sheet'
import { useView } from '../../shared/viewState'

/** Make a number so that a gap is left: the largest or the smallest that does. */
export function SolveSheet() {
  const address = useView((s) => s.solving)
  const set = useView((s) => s.set)
  return (
    <Sheet
      open={address !== null}
      close={() => set({ solving: null })}
      title="Make it so that …"
      testId="solve-sheet"
    >
      {address && <Solving key={address} address={address} close={() => set({ solving: null })} />}
    </Sheet>
  )
}

function Solving({ address, close }: { address: string; close: () => void }) {
  const session = useSession()
  const chosen = useView((s) => s.part)
  const parts = session.bench?.document.parts ?? []
  const target = session.bench ? numberAt(session.bench, shownParts(session), address) : null
  const part = target?.part ?? chosen
  const others = parts.filter((p) => p.id !== part && !p.hidden)
  const [to, setTo] = useState<string>('')
  const [which, setWhich] = useState<'largest' | 'smallest'>('largest')
  const [gap, setGap] = useState('0.2')
  const [found, setFound] = useState<Solved | null>(null)
  const [wrong, setWrong] = useState<string | null>(null)
  const [busy, setBusy] = useState(false)
  const id = session.id
  if (!target || !part || !id) return <p className="muted">This number is not there any more.</p>
  const find = () => {
    const requested = Number(gap.replace(/\s*mm$/, '').replace(',', '.'))
    if (!Number.isFinite(requested) || requested < 0) {
      setWrong('The gap is a number of millimetres, 0 or more.')
      return
    }
    setBusy(true)
    setWrong(null)
    setFound(null)
    api
      .solve(id, { part, address, requested, to: to || null, which, author })
      .then(setFound)
      .catch((e: unknown) => setWrong(e instanceof Error ? e.message : String(e)))
      .finally(() => setBusy(false))
  }
  const take = () => {
    if (!found) return
    edit(found.edit)
      .then(close)
      .catch(() => undefined)
  }
  const name = parts.find((p) => p.id === part)?.name ?? 'the part'
  const value = (x: number) => withUnit(figure(x, 8), target.unit)
  return (
    <form
      className="solve"
      onSubmit={(e) => {
        e.preventDefault()
        if (found) take()
        else find()
      }}
      onKeyDown={(e) => e.stopPropagation()}
    >
      <p className="prose">
        {target.words} Now {target.value === null ? 'unknown' : value(target.value)}.
      </p>
      <p className="prose">
        Take the{' '}
        <select
          className="field"
          value={which}
          data-testid="solve-which"
          onChange={(e) => {
            setWhich(e.target.value as typeof which)
            setFound(null)
          }}
        >
          <option value="largest">largest</option>
          <option value="smallest">smallest</option>
        </select>{' '}
        that leaves{' '}
        <input
          className="field figures"
          size={6}
          autoFocus
          value={gap}
          aria-label="Gap, mm"
          data-testid="solve-gap"
          onChange={(e) => {
            setGap(e.target.value)
            setFound(null)
          }}
        />{' '}
        mm between {name} and{' '}
        <select
          className="field"
          value={to}
          data-testid="solve-to"
          onChange={(e) => {
            setTo(e.target.value)
            setFound(null)
          }}
        >
          <option value="">every other part shown</option>
          {others.map((p) => (
            <option key={p.id} value={p.id}>
              {p.name}
            </option>
          ))}
        </select>
        .
      </p>
      {wrong && (
        <p role="alert" className="red" data-testid="solve-wrong">
          {wrong}
        </p>
      )}
      {found && (
        <p data-testid="solve-found" data-value={found.value}>
          <span className="figures">{value(found.value)}</span> leaves {figure(found.measured, 4)}{' '}
          mm
          {found.limit && '; no value within its limits leaves less'}.
        </p>
      )}
      <div className="answers">
        {found ? (
          <button type="submit" className="plain boxed" data-testid="solve-take">
            Take it
          </button>
        ) : (
          <button type="submit" className="plain boxed" disabled={busy} data-testid="solve-find">
            {busy ? 'Looking …' : 'Find it'}
          </button>
        )}
        {busy && (
          <button type="button" className="plain link" onClick={() => void api.stop(id)}>
            Stop
          </button>
        )}
        <button type="button" className="plain muted" onClick={close}>
          Leave it as it is
        </button>
      </div>
    </form>
  )
}
