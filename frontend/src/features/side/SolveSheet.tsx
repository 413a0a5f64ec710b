import { useState } from 'react'
import { api } from '../../shared/api/client'
import type { Solved } from '../../shared/api/client'
import { figure, withUnit } from '../../shared/format'
import { inFile } from '../../shared/number'
import { author, edit, shownParts, useSession } from '../../shared/session'
import { useLengths } from '../../shared/shown'
import { numberAt } from '../../shared/targets'
import { lengthFigure, lengthText, lengthTyped } from '../../shared/units'
import { Button } from '../../shared/ui/Button'
import { Field } from '../../shared/ui/Field'
import { Progress } from '../../shared/ui/Progress'
import { Select } from '../../shared/ui/Select'
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
  const lengths = useLengths()
  const chosen = useView((s) => s.part)
  const parts = session.bench?.document.parts ?? []
  const target = session.bench ? numberAt(session.bench, shownParts(session), address) : null
  const part = target?.part ?? chosen
  const others = parts.filter((p) => p.id !== part && !p.hidden)
  const [to, setTo] = useState<string>('')
  const [which, setWhich] = useState<'largest' | 'smallest'>('largest')
  const [gap, setGap] = useState(lengthFigure(0.2, lengths, 3))
  const [found, setFound] = useState<Solved | null>(null)
  const [wrong, setWrong] = useState<string | null>(null)
  const [busy, setBusy] = useState(false)
  const id = session.id
  if (!target || !part || !id) return <p className="muted">This number is not there any more.</p>
  const find = () => {
    const requested = lengthTyped(gap, lengths)
    if (requested === null || requested < 0) {
      setWrong(
        `The gap is a length, 0 or more: 0.2, 0.2 mm, 1/64 in. Without a unit it is ${lengths.unit}.`,
      )
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
  const value = (x: number) => withUnit(figure(x / (target.per ?? 1), 8), target.unit)
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
        {target.words} Now {target.value === null ? 'unknown' : value(inFile(target) ?? 0)}.
      </p>
      <p className="prose">
        Take the{' '}
        <Select
          label="Largest or smallest"
          testId="solve-which"
          value={which}
          options={[
            { value: 'largest', words: 'largest' },
            { value: 'smallest', words: 'smallest' },
          ]}
          change={(to) => {
            setWhich(to)
            setFound(null)
          }}
        />{' '}
        that leaves{' '}
        <Field
          label={`Gap, ${lengths.unit}`}
          testId="solve-gap"
          className="figures"
          width="5em"
          autoFocus
          value={gap}
          keep={() => (found ? take() : find())}
          change={(text) => {
            setGap(text)
            setFound(null)
          }}
        />{' '}
        {lengths.unit} between {name} and{' '}
        <Select
          label="The other part"
          testId="solve-to"
          value={to}
          options={[
            { value: '', words: 'every other part shown' },
            ...others.map((p) => ({ value: p.id, words: p.name })),
          ]}
          change={(part) => {
            setTo(part)
            setFound(null)
          }}
        />
        .
      </p>
      {wrong && (
        <p role="alert" className="red" data-testid="solve-wrong">
          {wrong}
        </p>
      )}
      {found && (
        <p data-testid="solve-found" data-value={found.value}>
          <span className="figures">{value(found.value)}</span> leaves{' '}
          {lengthText(found.measured, lengths, 4)}
          {found.limit && '; no value within its limits leaves less'}.
        </p>
      )}
      <div className="answers">
        {found ? (
          <Button type="submit" tone="first" data-testid="solve-take">
            Take it
          </Button>
        ) : (
          <Button type="submit" tone="first" disabled={busy} data-testid="solve-find">
            Find it
          </Button>
        )}
        <Button tone="word" className="muted" onClick={close}>
          Leave it as it is
        </Button>
      </div>
      {busy && <Progress label="Looking …" fraction={null} stop={() => void api.stop(id)} />}
    </form>
  )
}
