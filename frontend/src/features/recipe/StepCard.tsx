import { useLasting } from '../../shared/useLasting'
import { useSortable } from '@dnd-kit/sortable'
import { CSS } from '@dnd-kit/utilities'
import { memo, useState } from 'react'
import type { KeyboardEvent } from 'react'
import { api } from '../../shared/api/client'
import type { Part, Step, StepView } from '../../shared/api/client'
import { figure, freeId, whole, withUnit } from '../../shared/format'
import { differenceInWords } from '../../shared/differences'
import { doEdit, edit, useSession } from '../../shared/session'
import { shownPart, useLengths, useSame } from '../../shared/shown'
import { operatorOf } from '../../shared/operators'
import { Button } from '../../shared/ui/Button'
import { EditableName } from '../../shared/ui/EditableName'
import { WordMenu } from '../../shared/ui/Menu'
import { Progress } from '../../shared/ui/Progress'
import { lengthText, lengthsOf } from '../../shared/units'
import { useView } from '../../shared/viewState'
import { PickPanel } from './PickPanel'
import { Sentence } from '../../shared/sentence/Sentence'

/** One step: its sentence, and when it is chosen the quiet sentence and what it has to say. */
export const StepCard = memo(function StepCard(props: { part: Part; step: Step; number: number }) {
  const { part, step } = props
  const view = useSame((s) => told(shownPart(s, part.id)?.steps.find((v) => v.id === step.id)))
  const chosen = useView((s) => s.step === step.id && s.part === part.id)
  const lookedAt = useView((s) => s.lookAt === step.id)
  const set = useView((s) => s.set)
  const op = operatorOf(step.operator)
  const sortable = useSortable({ id: step.id })
  const off = step.on === false
  const state = off ? 'off' : (view?.state ?? 'waiting')
  const choose = () => {
    if (!chosen) set({ step: step.id, part: part.id })
  }
  const key = (e: KeyboardEvent) => {
    if (!e.altKey || (e.key !== 'ArrowUp' && e.key !== 'ArrowDown')) return
    e.preventDefault()
    const ids = part.recipe.map((s) => s.id)
    const from = ids.indexOf(step.id)
    const to = e.key === 'ArrowUp' ? from - 1 : from + 1
    if (to < 0 || to >= ids.length) return
    const rest = ids.filter((i) => i !== step.id)
    doEdit({
      kind: 'move_step',
      part: part.id,
      step: step.id,
      after: to === 0 ? null : (rest[to - 1] ?? null),
    })
  }
  return (
    <article
      ref={sortable.setNodeRef}
      style={{
        transform: CSS.Translate.toString(sortable.transform),
        transition: sortable.transition,
      }}
      className={`step ${state}${chosen ? ' chosen' : ''}${sortable.isDragging ? ' dragging' : ''}`}
      data-testid={`step-${step.id}`}
      data-state={state}
      onClick={choose}
      onFocus={(e) => {
        // not by the grip: a card that grows under the pointer would spoil the drag
        if (!(e.target instanceof HTMLElement && e.target.classList.contains('margin'))) choose()
      }}
      onKeyDown={key}
    >
      <button
        ref={sortable.setActivatorNodeRef}
        className="plain margin figures"
        data-testid={`grip-${step.id}`}
        title="Drag to reorder (Alt ↑ ↓)"
        {...sortable.attributes}
        {...sortable.listeners}
      >
        {props.number}
      </button>
      <span className="counts figures">{counts(props.number, state, view)}</span>
      {step.name && <div style={{ fontWeight: 500 }}>{step.name}</div>}
      {op ? (
        <Sentence template={op.sentence} op={op} part={part} step={step} view={view} />
      ) : (
        <div className="sentence">{step.operator}: there is no such operator here.</div>
      )}
      {chosen && op?.quiet && (
        <Sentence template={op.quiet} op={op} part={part} step={step} view={view} quiet />
      )}
      <PickPanel part={part.id} step={step} />
      <Told part={part} step={step} view={view} chosen={chosen} />
      {lookedAt && (
        <div className="told amber">
          This is the body after this step.{' '}
          <Button tone="link" onClick={() => set({ lookAt: null })}>
            Show it whole
          </Button>
        </div>
      )}
      {chosen && op?.chapter === 'deforming' && swaps(part, step) && (
        <button
          className="plain link swap"
          data-testid={`swap-${step.id}`}
          title="Change places with the next step: before and after are shown side by side"
          onClick={() => swapWithNext(part, step)}
        >
          Swap with the next
        </button>
      )}
      {chosen && <StepMenu part={part} step={step} />}
    </article>
  )
})

/** What a card tells of a step: all but the callouts, which move with every picture. */
function told(view: StepView | undefined): StepView | undefined {
  return view && { ...view, callouts: [] }
}

function counts(number: number, state: string, view: StepView | undefined): string {
  if (state === 'off') return 'off'
  if (state === 'failed') return 'failed'
  if (state === 'waiting' || !view) return 'waiting'
  if (number === 1) return `${whole(view.faces)} faces`
  if (view.faces_added === 0) return 'same'
  return `${view.faces_added > 0 ? '+' : ''}${whole(view.faces_added)}`
}

function Told(props: { part: Part; step: Step; view: StepView | undefined; chosen: boolean }) {
  const { part, step, view, chosen } = props
  const change = useSession((s) => s.change)
  const progress = useSession((s) =>
    s.progress?.part === part.id && s.progress.step === step.id ? s.progress : null,
  )
  // work that goes from step to step would take its Stop away from under the pointer
  const lasting = useLasting(progress !== null, 300)
  const id = useSession((s) => s.id)
  const during = useSession((s) => {
    // while something is dragged, the chosen step says what it does
    const now = chosen && s.preview?.parts.find((p) => p.part === part.id)
    const before = s.bench?.parts.find((p) => p.part === part.id)
    const lengths = lengthsOf(s.bench?.document.shown)
    return now && before ? differenceInWords(before, now, lengths) : ''
  })
  const heavy = useSession((s) => (chosen ? s.heavy : null))
  const mine = during || (change?.part === part.id && change.step === step.id && change.text)
  return (
    <>
      {progress && lasting && (
        <div className="told">
          <Progress
            testId="progress"
            label="This step is being worked out"
            fraction={progress.fraction}
            stop={() => id && void api.stop(id)}
          />
        </div>
      )}
      {view?.error && (
        <div className="told red" role="alert" data-testid={`error-${step.id}`}>
          {view.error.message} {view.error.hint}
        </div>
      )}
      {heavy && (
        <div className="told amber" data-testid="heavy">
          {heavy}
        </div>
      )}
      {mine && (
        <div className="told good" data-testid="change">
          {mine}
        </div>
      )}
      {view?.notes
        .filter((n) => chosen || n.level === 'warning')
        .map((n, i) => (
          <div
            key={i}
            className={`told ${n.level === 'warning' ? 'amber' : 'muted'}`}
            data-testid={`note-${step.id}`}
          >
            {n.text}
            {n.solve && <Solve part={part} step={step} solve={n.solve} />}
            {n.before?.map((offer) => (
              <Before key={offer.operator} part={part} step={step} offer={offer} />
            ))}
          </div>
        ))}
    </>
  )
}

/** A number that would mend what a note says. */
function Solve(props: {
  part: Part
  step: Step
  solve: { key: string; value: number; words: string }
}) {
  const { key, value, words } = props.solve
  const lengths = useLengths()
  const unit = operatorOf(props.step.operator)?.values.find((v) => v.key === key)?.unit ?? ''
  return (
    <>
      {' '}
      <Button
        tone="link"
        data-testid={`solve-${key}`}
        onClick={() =>
          doEdit({ kind: 'set_value', part: props.part.id, step: props.step.id, key, value })
        }
      >
        Take {words}: {unit === 'mm' ? lengthText(value, lengths) : withUnit(figure(value), unit)}
      </Button>
    </>
  )
}

/** A step that would mend what a note says, put before this one. */
function Before(props: {
  part: Part
  step: Step
  offer: { operator: string; values: Record<string, unknown>; words: string }
}) {
  const { part, step, offer } = props
  const ids = part.recipe.map((s) => s.id)
  return (
    <>
      {' '}
      <Button
        tone="link"
        data-testid={`before-${offer.operator}`}
        onClick={() =>
          doEdit({
            kind: 'add_step',
            part: part.id,
            step: freeId('s', ids),
            operator: offer.operator,
            values: offer.values,
            after: ids[ids.indexOf(step.id) - 1] ?? null,
          })
        }
      >
        {offer.words.charAt(0).toUpperCase() + offer.words.slice(1)}
      </Button>
    </>
  )
}

/** Change places with the next step, and see what that does: as it was on the left, as it is now on the right. */
function swapWithNext(part: Part, step: Step): void {
  const ids = part.recipe.map((s) => s.id)
  const next = ids[ids.indexOf(step.id) + 1]
  if (!next) return
  edit({ kind: 'move_step', part: part.id, step: step.id, after: next })
    .then(() => useView.getState().set({ compare: { how: 'beside', step: null }, lookAt: null }))
    .catch(() => undefined)
}

/** Whether a step and the one behind it can change places: both work on a body that is there. */
function swaps(part: Part, step: Step): boolean {
  const at = part.recipe.findIndex((s) => s.id === step.id)
  const next = part.recipe[at + 1]
  const changes = (s: Step | undefined) => operatorOf(s?.operator ?? '')?.kind === 'change'
  return changes(step) && changes(next)
}

function StepMenu({ part, step }: { part: Part; step: Step }) {
  const [naming, setNaming] = useState(false)
  const on = step.on !== false
  const ids = part.recipe.map((s) => s.id)
  const set = useView((s) => s.set)
  const lookAt = useView((s) => s.lookAt)
  if (naming)
    return (
      <EditableName
        name={step.name ?? ''}
        label="Name of the step"
        testId="step-name"
        opened
        mayBeEmpty
        close={() => setNaming(false)}
        keep={(name) => doEdit({ kind: 'set_step', part: part.id, step: step.id, name })}
      />
    )
  return (
    <WordMenu
      testId={`menu-${step.id}`}
      trigger={
        <button
          className="plain menu"
          aria-label="What to do with this step"
          data-testid={`more-${step.id}`}
        >
          ⋯
        </button>
      }
      entries={[
        {
          id: 'on',
          words: on ? 'Switch off' : 'Switch on',
          act: () => doEdit({ kind: 'set_step', part: part.id, step: step.id, on: !on }),
        },
        {
          id: 'look',
          words: 'Look here',
          note: 'the body as it was after this step',
          disabled: lookAt === step.id,
          act: () => set({ lookAt: step.id }),
        },
        {
          id: 'compare',
          words: 'Side by side with now',
          note: 'the body as it was after this step',
          act: () =>
            set({
              compare: { how: 'beside', step: { part: part.id, step: step.id } },
              lookAt: null,
            }),
        },
        {
          id: 'swap',
          words: 'Swap with the next',
          note: 'before and after side by side',
          disabled: !swaps(part, step),
          act: () => swapWithNext(part, step),
        },
        { id: 'name', words: step.name ? 'Rename' : 'Name', act: () => setNaming(true) },
        {
          id: 'copy',
          words: 'Copy',
          act: () =>
            doEdit({ kind: 'copy_step', part: part.id, step: step.id, copy_id: freeId('s', ids) }),
        },
        {
          id: 'remove',
          words: 'Remove',
          note: 'Delete',
          act: () => {
            doEdit({ kind: 'remove_step', part: part.id, step: step.id })
            const at = ids.indexOf(step.id)
            set({ step: ids[at + 1] ?? ids[at - 1] ?? null })
          },
        },
      ]}
    />
  )
}
