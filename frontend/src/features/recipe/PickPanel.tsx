import { useEffect } from 'react'
import type { Step, StepView, ValueView } from '../../shared/api/client'
import {
  closePick,
  inWords,
  kindOf,
  loadPick,
  openPick,
  pickOf,
  rulesFor,
  setPick,
  usePick,
} from '../../shared/picking'
import { useSession } from '../../shared/session'
import type { NumberTarget } from '../../shared/targets'
import { WordMenu } from '../../shared/ui/Menu'
import { NumberChip } from '../../shared/ui/NumberChip'
import { useView } from '../../shared/viewState'

/** What a step picks: the count, under a double rule; a click opens it for picking. */
export function PickChip(props: {
  part: string
  step: Step
  view: StepView | undefined
  spec: ValueView
}) {
  const { part, step, spec } = props
  const count = props.view?.shown[spec.key] ?? props.view?.used[spec.key]
  const open = useView((s) => s.picking?.step === step.id && s.picking.part === part)
  const pick = pickOf(step, spec.key)
  const kind = kindOf(step, spec.key)
  const words =
    typeof count === 'number' ? `${String(count)} ${count === 1 ? kind.slice(0, -1) : kind}` : kind
  return (
    <button
      className={`plain chip pick${open ? ' editing' : ''}`}
      data-testid={`chip-${part}/${step.id}/values/${spec.key}`}
      title={`${spec.description}: ${inWords(pick)}`}
      onClick={() => {
        if (open) closePick()
        else openPick(part, step.id, spec.key)
      }}
    >
      {words}
    </button>
  )
}

/** The open pick: its rule in words, the rules there are, and the one it looks like. */
export function PickPanel({ part, step }: { part: string; step: Step }) {
  const open = useView((s) => s.picking)
  const revision = useSession((s) => s.bench?.revision)
  const { view, failure, through } = usePick()
  useEffect(() => {
    void loadPick()
  }, [open, revision])
  if (open?.step !== step.id || open.part !== part) return null
  const pick = pickOf(step, open.key)
  const kind = view?.kind ?? 'edges'
  const n = view?.picked.length ?? 0
  return (
    <div className="pick-panel" data-testid="pick-panel" data-picked={view ? n : ''}>
      <div className="sentence">
        Picked are {n} of {view?.of ?? '…'} {kind}:{' '}
        {pick['rule'] === 'sharper_than' ? (
          <>
            sharper than <NumberChip target={angleTarget(part, step, open.key, pick)} />
          </>
        ) : (
          inWords(pick)
        )}
        .
      </div>
      {failure && <div className="told red">{failure}</div>}
      {view?.offers.map((o) => (
        <div key={o.words} className="told good" data-testid="offer">
          These are all {n} {kind} {o.words}.{' '}
          <button className="plain link" data-testid="use-rule" onClick={() => setPick(o.pick)}>
            Use the rule
          </button>
        </div>
      ))}
      <div className="told muted">
        Click {kind === 'edges' ? 'an edge' : `a ${kind.slice(0, -1)}`} to put it in or take it out
        {kind === 'edges' ? ', double click for its loop' : ''}, Shift and drag for a box; the box
        takes{' '}
        <button
          className="plain link"
          data-testid="box-through"
          onClick={() => usePick.setState({ through: !through })}
        >
          {through ? 'all behind it too' : 'what looks this way'}
        </button>
        .
      </div>
      <div className="row">
        <WordMenu
          testId="pick-rules"
          trigger={
            <button className="plain link" data-testid="pick-rule">
              Another rule
            </button>
          }
          entries={rulesFor(view).map((r) => ({
            id: r.words,
            words: r.words,
            chosen: JSON.stringify(r.pick) === JSON.stringify(pick),
            act: () => setPick(r.pick),
          }))}
        />
        {view?.kinds
          .filter((k) => k !== kind)
          .map((k) => (
            <button
              key={k}
              className="plain link"
              data-testid={`pick-${k}`}
              onClick={() => setPick(pick, k)}
            >
              Pick {k}
            </button>
          ))}
        <button
          className="plain link"
          data-testid="pick-invert"
          onClick={() => setPick({ join: [{ rule: 'everything' }, { but_not: pick }] })}
        >
          Invert
        </button>
        <button className="plain link" data-testid="pick-done" onClick={closePick}>
          Done
        </button>
      </div>
    </div>
  )
}

function angleTarget(
  part: string,
  step: Step,
  key: string,
  pick: Record<string, unknown>,
): NumberTarget {
  const raw = (pick['angle'] as number | string | undefined) ?? 30
  return {
    address: `${part}/${step.id}/values/${key}/angle`,
    words: 'Edges whose faces turn by more than this.',
    value: typeof raw === 'number' ? raw : null,
    raw,
    unit: '°',
    whole: false,
    least: 0,
    most: 180,
    step: 1,
    part,
    edit: (v) => ({
      kind: 'set_value',
      part,
      step: step.id,
      key,
      value: { ...(step.values?.[key] as object), ...pick, angle: v ?? 30 },
    }),
  }
}
