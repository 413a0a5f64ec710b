import { Fragment, useEffect, useState } from 'react'
import type { PickView, Step } from '../../shared/api/client'
import { doEdit, useSession } from '../../shared/session'
import {
  OTHERWISE,
  addRule,
  at,
  changeKind,
  clickedKind,
  clickedPicked,
  closePick,
  extentOf,
  goBy,
  grow,
  invert,
  keepAs,
  kindOf,
  loadPick,
  pickEdit,
  pickOf,
  piecesOf,
  rulesFor,
  setPick,
  usePick,
  withAt,
} from '../../shared/picking'
import type { Kind, Pick, RuleNumber } from '../../shared/picking'
import { niceStep, whole } from '../../shared/format'
import { inItsUnit } from '../../shared/number'
import type { NumberTarget } from '../../shared/number'
import { WordMenu } from '../../shared/ui/Menu'
import { NumberChip } from '../../shared/ui/NumberChip'
import { useLengths } from '../../shared/shown'
import { useView } from '../../shared/viewState'

const ONE: Record<Kind, string> = { points: 'point', edges: 'edge', faces: 'face' }

/** The open pick: its rule in words, the rules there are, and the one it looks like. */
export function PickPanel({ part, step }: { part: string; step: Step }) {
  const open = useView((s) => s.picking)
  const revision = useSession((s) => s.bench?.revision)
  const { view, failure } = usePick()
  useEffect(() => {
    void loadPick()
  }, [open, revision])
  if (open?.step !== step.id || open.part !== part) return null
  const pick = pickOf(step, open.key)
  const kind = view?.kind ?? 'edges'
  const n = view?.picked.length ?? 0
  return (
    <div className="pick-panel" data-testid="pick-panel" data-picked={view ? n : ''}>
      <div className="sentence" data-testid="pick-words">
        Picked are {whole(n)} of {view ? whole(view.of) : '…'} {kind}
        {view?.through && `, by ${whole(view.through.picked.length)} ${view.through.kind}`}:{' '}
        <Words part={part} step={step} pickKey={open.key} pick={pick} />.
      </div>
      {failure && <div className="told red">{failure}</div>}
      {view?.notes.map((note) => (
        <div key={note.text} className="told amber">
          {note.text}
        </div>
      ))}
      {view?.offers.map((o) => (
        <div key={o.words} className="told good" data-testid="offer">
          These are all {whole(n)} {kind} {o.words}.{' '}
          <button className="plain link" data-testid="use-rule" onClick={() => setPick(o.pick)}>
            Use the rule
          </button>
        </div>
      ))}
      {view && <Last view={view} />}
      {view && <Hint view={view} />}
      {view && <Ways part={part} step={step} view={view} pick={pick} />}
    </div>
  )
}

/** The rule in words; its numbers can be dragged and typed. */
function Words(props: { part: string; step: Step; pickKey: string; pick: Pick }) {
  const { part, step, pickKey, pick } = props
  const lengths = useLengths()
  return piecesOf(pick).map((piece, i) => (
    <Fragment key={i}>
      {typeof piece === 'string' ? (
        piece
      ) : (
        <NumberChip target={inItsUnit(ruleTarget(part, step, pickKey, pick, piece), lengths)} />
      )}
    </Fragment>
  ))
}

function ruleTarget(
  part: string,
  step: Step,
  key: string,
  pick: Pick,
  n: RuleNumber,
): NumberTarget {
  const name = n.path.findLast((k) => typeof k === 'string') ?? ''
  const raw = (at(pick, n.path) as number | string | undefined) ?? OTHERWISE[name] ?? 0
  const of = kindOf(step, key)
  return {
    address: `${part}/${step.id}/values/${key}/${n.path.join('/')}`,
    words: n.words,
    value: typeof raw === 'number' ? raw : null,
    raw,
    unit: n.unit,
    whole: n.whole,
    least: n.least,
    most: n.most,
    step: n.unit === 'mm' && typeof raw === 'number' ? niceStep(Math.abs(raw) * 4 || 10) : 1,
    part,
    edit: (v) =>
      pickEdit(part, step, key, {
        ...(withAt(pick, n.path, v ?? OTHERWISE[name] ?? 0) as Pick),
        of,
      }),
  }
}

function Link(props: { id: string; words: string; act: () => void }) {
  return (
    <button className="plain link" data-testid={props.id} onClick={props.act}>
      {props.words}
    </button>
  )
}

/** What one can do with the element clicked last. */
function Last({ view }: { view: PickView }) {
  const last = usePick((s) => s.last)
  if (last === null) return null
  const kind = clickedKind(view)
  return (
    <div className="told muted" data-testid="pick-last">
      Of the {ONE[kind]} clicked last, put in{' '}
      {kind !== 'points' && (
        <>
          <Link
            id="last-loop"
            words="the loop through it"
            act={() => addRule('loop_through', last)}
          />
          ,{' '}
          <Link
            id="last-strip"
            words="the strip across it"
            act={() => addRule('strip_across', last)}
          />
          , or{' '}
        </>
      )}
      <Link id="last-same" words="all the same as it" act={() => addRule('same_as', last)} />.
    </div>
  )
}

function Hint({ view }: { view: PickView }) {
  const through = usePick((s) => s.through)
  const kind = clickedKind(view)
  return (
    <div className="told muted">
      Click {kind === 'edges' ? 'an edge' : `a ${ONE[kind]}`} to put it in or take it out
      {kind === 'edges' && ', double click for its loop'}
      {kind === 'faces' && ', double click for its strip'}, Shift and drag for a box; the box takes{' '}
      <button
        className="plain link"
        data-testid="box-through"
        onClick={() => usePick.setState({ through: !through })}
      >
        {through ? 'all behind it too' : 'what is seen'}
      </button>
      .
    </div>
  )
}

/** Other rules, more, fewer, the rest, another kind, a name. */
function Ways(props: { part: string; step: Step; view: PickView; pick: Pick }) {
  const { view, pick } = props
  const elements = usePick((s) => s.elements)
  const finishes = useSession((s) => s.bench?.document.finishes)
  const [naming, setNaming] = useState(false)
  const link = (id: string, words: string, act: () => void) => (
    <Link key={id} id={id} words={words} act={act} />
  )
  const rules = rulesFor(
    view,
    pick,
    extentOf(elements),
    (finishes ?? []).map((f) => f.name),
  )
  return (
    <>
      <div className="row">
        <WordMenu
          testId="pick-rules"
          trigger={
            <button className="plain link" data-testid="pick-rule">
              Another rule
            </button>
          }
          entries={[
            ...rules.map((r) => ({
              id: r.words,
              words: r.words,
              chosen: JSON.stringify(r.pick) === JSON.stringify(pick),
              act: () => setPick(r.pick),
            })),
            ...view.named.map((name) => ({
              id: `=drop ${name}`,
              words: `Forget the pick ${name}`,
              act: () => doEdit({ kind: 'set_pick', part: props.part, name, pick: null }),
            })),
          ]}
        />
        {link('pick-grow', 'Grow', () => grow(1))}
        {link('pick-shrink', 'Shrink', () => grow(-1))}
        {link('pick-invert', 'Invert', invert)}
        {view.through
          ? link('pick-direct', `Back to ${view.kind}`, () => goBy(null))
          : link('pick-by-faces', 'By faces', () => goBy('faces'))}
        {view.kinds
          .filter((k) => k !== view.kind)
          .map((k) => link(`pick-${k}`, `Pick ${k}`, () => changeKind(k)))}
        {link('pick-name', 'Name it', () => setNaming(true))}
        {link('pick-done', 'Done', closePick)}
      </div>
      {naming && <NameField close={() => setNaming(false)} count={clickedPicked(view).length} />}
    </>
  )
}

function NameField({ close, count }: { close: () => void; count: number }) {
  const [name, setName] = useState('')
  return (
    <form
      className="row"
      onSubmit={(e) => {
        e.preventDefault()
        if (name.trim()) keepAs(name.trim())
        close()
      }}
    >
      <input
        autoFocus
        className="field"
        placeholder={`a name for these ${String(count)}`}
        aria-label="Name of the pick"
        data-testid="pick-name-field"
        maxLength={80}
        value={name}
        onChange={(e) => setName(e.target.value)}
        onKeyDown={(e) => {
          e.stopPropagation()
          if (e.key === 'Escape') close()
        }}
      />
      <button className="plain link" type="submit">
        Keep
      </button>
    </form>
  )
}
