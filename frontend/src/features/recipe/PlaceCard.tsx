import { X } from 'lucide-react'
import { memo, useState } from 'react'
import type { Part, PartView } from '../../shared/api/client'
import {
  PLACE,
  POINTING,
  SIDES,
  axisName,
  placementOf,
  placing,
  zeroOf,
} from '../../shared/placement'
import type { Side } from '../../shared/placement'
import { doEdit, edit, say, useSession } from '../../shared/session'
import { shownPart, useLengths, useSame, useTarget } from '../../shared/shown'
import { WordMenu } from '../../shared/ui/Menu'
import { NumberChip } from '../../shared/ui/NumberChip'
import { lengthFigure, lengthText, placeText, writtenLength } from '../../shared/units'
import { useView } from '../../shared/viewState'

/** What the card says of where a part stands. */
type Told = Pick<PartView, 'error' | 'placed'>

const AXES = ['X', 'X', 'Y', 'Y', 'Z', 'Z']

/** Where the part stands, as a sentence above its recipe: never touched by the recipe's numbers. */
export const PlaceCard = memo(function PlaceCard({ part }: { part: Part }) {
  const view = useSame((s) => {
    const v = shownPart(s, part.id)
    return v && { error: v.error, placed: v.placed }
  })
  const chosen = useView((s) => s.step === PLACE && s.part === part.id)
  const set = useView((s) => s.set)
  return (
    <article
      className={`step place${chosen ? ' chosen' : ''}`}
      data-testid="place-card"
      onClick={() => {
        if (!chosen) set({ step: PLACE, part: part.id, lookAt: null })
      }}
    >
      <div className="sentence">
        <span className="verb">Stands</span> at <Triple part={part} what="move" />,{' '}
        {chosen || isTurned(part) ? (
          <>
            turned by <Triple part={part} what="turn" />
            {chosen || isScaled(part) ? (
              <>
                , scaled by <Triple part={part} what="scale" />
              </>
            ) : null}
          </>
        ) : isScaled(part) ? (
          <>
            scaled by <Triple part={part} what="scale" />
          </>
        ) : (
          'not turned'
        )}
        .
      </div>
      {view?.error && (
        <div className="told red" role="alert" data-testid="place-error">
          {view.error.message} {view.error.hint}
        </div>
      )}
      {chosen && (
        <>
          <div className="sentence quiet">
            Its axis points <Pointing part={part} view={view} />; its zero point is{' '}
            <ZeroPoint part={part} view={view} />.
          </div>
          <Extents part={part} />
          <p className="told muted">
            Numbers of the recipe never move it; moving it never changes a number.
          </p>
          {part.locked && (
            <p className="told amber">It is locked: unlock it in the list to move it.</p>
          )}
        </>
      )}
    </article>
  )
})

function isTurned(part: Part): boolean {
  return placementOf(part).turn.some((x) => x !== 0)
}

function isScaled(part: Part): boolean {
  return placementOf(part).scale.some((x) => x !== 1)
}

/** Three numbers of the placement; a coordinate that an extent holds is told, not set. */
function Triple({ part, what }: { part: Part; what: 'move' | 'turn' | 'scale' }) {
  const extents = placementOf(part).extents
  return (
    <span style={{ whiteSpace: 'nowrap' }}>
      {[0, 1, 2].map((k) => {
        const held =
          what === 'move' && SIDES.slice(2 * k, 2 * k + 2).find((s) => extents[s] !== undefined)
        return (
          <span key={k}>
            {k > 0 && ', '}
            {held ? (
              <Held part={part.id} axis={k} side={held} />
            ) : (
              <Placed address={`${part.id}/placement/${what}/${String(k)}`} plain={k < 2} />
            )}
          </span>
        )
      })}
    </span>
  )
}

function Held(props: { part: string; axis: number; side: Side }) {
  const at = useSession((s) => {
    const view = shownPart(s, props.part)
    return view ? (zeroOf(view)[props.axis] ?? 0) : 0
  })
  const lengths = useLengths()
  return (
    <span className="figures" title={`Held by its ${props.side}, see below.`}>
      {props.axis === 2 ? lengthText(at, lengths, 5) : lengthFigure(at, lengths, 5)}
    </span>
  )
}

function Placed(props: { address: string; plain?: boolean }) {
  const target = useTarget(props.address)
  return target && <NumberChip target={target} plain={props.plain ?? false} />
}

function Pointing({ part, view }: { part: Part; view: Told | undefined }) {
  const name = axisName(view?.placed?.turn ?? [0, 0, 0])
  return (
    <WordMenu
      testId="choices-pointing"
      trigger={
        <button
          className="plain chip choice"
          data-testid="chip-pointing"
          title="Which way its own Z points"
        >
          {name === null ? 'a way of its own' : `along ${name}`}
        </button>
      }
      entries={POINTING.map(([way, turn]) => ({
        id: way,
        words: `along ${way}`,
        chosen: way === name,
        act: () =>
          doEdit(placing({ [part.id]: { ...placementOf(part), turn: [...turn] } }, 'axis')),
      }))}
    />
  )
}

function ZeroPoint({ part, view }: { part: Part; view: Told | undefined }) {
  const zero = view?.placed?.zero ?? [0, 0, 0]
  const lengths = useLengths()
  const own = zero.every((x) => x === 0)
  const entries = [
    { at: 'own' as const, words: 'where its shape has it', note: 'as it was made' },
    { at: 'base' as const, words: 'in the middle of its base' },
    { at: 'middle' as const, words: 'in its middle' },
  ]
  return (
    <WordMenu
      testId="choices-zero"
      trigger={
        <button
          className="plain chip choice"
          data-testid="chip-zero"
          title="It is turned and scaled about its zero point. Setting it leaves the body where it is."
        >
          {own ? 'where its shape has it' : `at ${placeText(zero, lengths)} in it`}
        </button>
      }
      entries={[
        ...entries.map((e) => ({
          id: e.at,
          words: e.words,
          ...(e.note ? { note: e.note } : {}),
          act: () => doEdit({ kind: 'set_zero', part: part.id, at: e.at }),
        })),
        {
          id: 'point',
          words: 'at a point of it',
          note: 'click it in the view',
          act: () => useView.getState().set({ zeroing: true }),
        },
      ]}
    />
  )
}

/** Where its sides reach to: moved there whole, or stretched while the other side stays. */
function Extents({ part }: { part: Part }) {
  const [adding, setAdding] = useState<Side | null>(null)
  const extents = placementOf(part).extents
  const given = SIDES.filter((s) => extents[s] !== undefined)
  const other = (s: Side) => SIDES[SIDES.indexOf(s) ^ 1] as Side
  return (
    <div className="sentence quiet" data-testid="extents">
      {given.map((side) => {
        const both = extents[other(side)] !== undefined
        return (
          <span key={side}>
            Its {side} {side === 'bottom' ? 'stands at' : 'reaches'} {AXES[SIDES.indexOf(side)]} ={' '}
            <Placed address={`${part.id}/placement/extents/${side}`} />,{' '}
            {both ? 'stretched' : 'moved there'}
            <button
              className="plain muted drop"
              aria-label={`Let go of its ${side}`}
              title="Let go; it stays where it is"
              data-testid={`extent-drop-${side}`}
              onClick={() =>
                doEdit({ kind: 'set_extent', part: part.id, side, at: null, how: 'moved' })
              }
            >
              <X size={13} />
            </button>
            {'. '}
          </span>
        )
      })}
      {adding ? (
        <ExtentField key={adding} part={part} side={adding} close={() => setAdding(null)} />
      ) : (
        <WordMenu
          testId="choices-extent"
          trigger={
            <button className="plain link" data-testid="extent-add">
              {given.length ? 'Set another side' : 'Set a side'}
            </button>
          }
          entries={SIDES.map((s) => ({
            id: s,
            words: s,
            note: `${s === 'left' || s === 'front' || s === 'bottom' ? 'least' : 'greatest'} ${AXES[SIDES.indexOf(s)] ?? ''}`,
            act: () => setAdding(s),
          }))}
        />
      )}
    </div>
  )
}

/** A place is typed, then one of two answers chosen: they are clearly different, so both are written out. */
function ExtentField({ part, side, close }: { part: Part; side: Side; close: () => void }) {
  const axis = AXES[SIDES.indexOf(side)] ?? ''
  const stands = useSession((s) => s.bench?.parts.find((p) => p.part === part.id)?.stands)
  const lengths = useLengths()
  const k = SIDES.indexOf(side)
  const now = stands?.[k % 2]?.[Math.floor(k / 2)] ?? 0
  const [text, setText] = useState(String(Number((now / lengths.per).toPrecision(6))))
  const keep = (how: 'moved' | 'stretched') => {
    const at = writtenLength(text, lengths)
    if (at === null) return
    edit({ kind: 'set_extent', part: part.id, side, at, how }, { quiet: true })
      .then(close)
      .catch((e: unknown) => say(e instanceof Error ? e.message : String(e), 'error'))
  }
  const opposite = SIDES[k ^ 1] ?? 'bottom'
  return (
    <span>
      Its {side} reaches {axis} ={' '}
      <input
        className="chip-field"
        autoFocus
        aria-label={`Where its ${side} reaches to, ${lengths.unit}`}
        data-testid="extent-field"
        size={Math.max(5, text.length + 1)}
        value={text}
        onFocus={(e) => e.target.select()}
        onChange={(e) => setText(e.target.value)}
        onKeyDown={(e) => {
          e.stopPropagation()
          if (e.key === 'Enter') keep('moved')
          if (e.key === 'Escape') close()
        }}
      />{' '}
      {lengths.unit}:
      <span className="answers">
        <button className="plain boxed" data-testid="extent-moved" onClick={() => keep('moved')}>
          Moved: its size is kept
        </button>
        <button
          className="plain boxed"
          data-testid="extent-stretched"
          onClick={() => keep('stretched')}
        >
          Stretched: its {opposite} stays
        </button>
        <button className="plain muted" onClick={close}>
          Leave it
        </button>
      </span>
    </span>
  )
}
