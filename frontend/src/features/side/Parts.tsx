import { DndContext, PointerSensor, closestCenter, useSensor, useSensors } from '@dnd-kit/core'
import type { DragEndEvent } from '@dnd-kit/core'
import { SortableContext, useSortable, verticalListSortingStrategy } from '@dnd-kit/sortable'
import { CSS } from '@dnd-kit/utilities'
import { Eye, EyeOff, Lock, TriangleAlert } from 'lucide-react'
import { useEffect, useState } from 'react'
import type { Part, PartView } from '../../shared/api/client'
import {
  chosenParts,
  choosePart,
  duplicate,
  duplicateAgain,
  liveCopy,
  mirrorCopy,
} from '../../shared/parts'
import { doEdit, useSession } from '../../shared/session'
import { WordMenu } from '../../shared/ui/Menu'
import type { MenuEntry } from '../../shared/ui/Menu'
import { useView } from '../../shared/viewState'
import { RemoveSheet } from './RemoveSheet'

const NONE: readonly Part[] = []

/** The parts: named, ordered, under headings, hidden, locked, finished; one or several chosen. */
export function Parts() {
  const bench = useSession((s) => s.bench)
  const set = useView((s) => s.set)
  const only = useView((s) => s.only)
  const [removing, setRemoving] = useState<string[] | null>(null)
  useEffect(() => {
    // Delete, where it is chosen where parts stand
    const on = () => setRemoving(chosenParts())
    addEventListener('jukai-remove', on)
    return () => removeEventListener('jukai-remove', on)
  }, [])
  const sensors = useSensors(useSensor(PointerSensor, { activationConstraint: { distance: 5 } }))
  const parts = bench?.document.parts ?? []
  const ids = parts.map((p) => p.id)
  const chosen = useView((v) => v.part)
  const [folded, setFolded] = useState<Record<string, boolean>>({})
  // what is hidden whole is folded until it is asked for
  const isFolded = (heading: string) => {
    const under = parts.filter((p) => p.heading === heading)
    return folded[heading] ?? under.every((p) => p.hidden && p.id !== chosen)
  }
  const drop = (e: DragEndEvent) => {
    const from = ids.indexOf(String(e.active.id))
    const to = ids.indexOf(String(e.over?.id ?? ''))
    const part = ids[from]
    if (!part || to < 0 || from === to) return
    const rest = ids.filter((i) => i !== part)
    doEdit({ kind: 'move_part', part, after: to === 0 ? null : (rest[to - 1] ?? null) })
  }
  return (
    <section data-testid="parts">
      <h2>
        Parts
        <button
          className="plain muted"
          aria-label="Fold this column"
          title="Fold"
          onClick={() => set({ side: false })}
        >
          ›
        </button>
      </h2>
      <DndContext sensors={sensors} collisionDetection={closestCenter} onDragEnd={drop}>
        <SortableContext items={ids} strategy={verticalListSortingStrategy}>
          {parts.map((p, i) => {
            const begins = p.heading && p.heading !== parts[i - 1]?.heading
            const shut = p.heading ? isFolded(p.heading) : false
            return (
              <div key={p.id}>
                {begins && (
                  <button
                    className="plain heading"
                    data-testid={`heading-${p.id}`}
                    aria-expanded={!shut}
                    title={shut ? 'Open' : 'Fold'}
                    onClick={() => setFolded({ ...folded, [p.heading ?? '']: !shut })}
                  >
                    <span>{p.heading}</span>
                    {shut && (
                      <Failed
                        of={parts.filter((q) => q.heading === p.heading).map((q) => q.id)}
                        id={p.id}
                      />
                    )}
                    {shut && (
                      <span className="figures">
                        {parts.filter((q) => q.heading === p.heading).length}
                      </span>
                    )}
                  </button>
                )}
                {!p.heading && i > 0 && parts[i - 1]?.heading && <div className="heading none" />}
                {!shut && <PartRow part={p} remove={setRemoving} />}
              </div>
            )
          })}
        </SortableContext>
      </DndContext>
      {parts.length === 0 && <p className="muted">None yet.</p>}
      {only && (
        <p className="muted">
          Only {parts.find((p) => p.id === only)?.name ?? 'one part'} is shown.{' '}
          <button className="plain link" data-testid="show-all" onClick={() => set({ only: null })}>
            Show all
          </button>
        </p>
      )}
      <Several remove={setRemoving} />
      {removing && <RemoveSheet ids={removing} close={() => setRemoving(null)} />}
    </section>
  )
}

function useTyping(part: Part, kind: 'name' | 'heading' | null, close: () => void) {
  if (!kind) return null
  const now = (kind === 'name' ? part.name : part.heading) ?? ''
  return (
    <input
      className="field"
      autoFocus
      aria-label={kind === 'name' ? 'Name of the part' : 'Heading it stands under'}
      data-testid={`part-${kind}`}
      defaultValue={now}
      placeholder={kind === 'heading' ? 'a heading, or empty' : ''}
      maxLength={200}
      style={{ width: '100%' }}
      onFocus={(e) => e.target.select()}
      onBlur={(e) => {
        close()
        const text = e.target.value.trim()
        if (text === now) return
        if (kind === 'heading') doEdit({ kind: 'set_part', part: part.id, heading: text })
        else if (text) doEdit({ kind: 'set_part', part: part.id, name: text })
      }}
      onKeyDown={(e) => {
        e.stopPropagation()
        if (e.key === 'Enter') e.currentTarget.blur()
        if (e.key === 'Escape') {
          e.currentTarget.value = now
          e.currentTarget.blur()
        }
      }}
    />
  )
}

const errorsOf = (p: PartView) =>
  [...p.steps.map((s) => s.error), p.error].flatMap((e) => (e ? [e.message] : []))

/** That a part, or one of several, stops at an error, and at which. */
function Failed({ of, id }: { of: readonly string[]; id: string }) {
  const message = useSession((s) => {
    const errors = s.bench?.parts.filter((p) => of.includes(p.part)).flatMap(errorsOf)
    return errors?.[0]
  })
  if (!message) return null
  const words = of.length > 1 ? `One of them stops at an error: ${message}` : message
  return (
    <span className="red" role="img" aria-label={words} title={words} data-testid={`failed-${id}`}>
      <TriangleAlert size={14} />
    </span>
  )
}

function PartRow({ part, remove }: { part: Part; remove: (ids: string[]) => void }) {
  const bench = useSession((s) => s.bench)
  const main = useView((s) => s.part === part.id)
  const also = useView((s) => s.also.includes(part.id))
  const only = useView((s) => s.only)
  const [typing, setTyping] = useState<'name' | 'heading' | null>(null)
  const sortable = useSortable({ id: part.id })
  const field = useTyping(part, typing, () => setTyping(null))
  const finishes = bench?.document.finishes ?? []
  const colour = finishes.find((f) => f.name === part.finish)?.colour ?? '#b9b4a8'
  if (field) return field
  return (
    <div
      ref={sortable.setNodeRef}
      style={{
        transform: CSS.Translate.toString(sortable.transform),
        transition: sortable.transition,
      }}
      className={`row part${also ? ' also' : ''}${only && only !== part.id ? ' faint' : ''}`}
      aria-current={main}
      data-testid={`part-${part.id}`}
      data-chosen={main || also}
    >
      {part.reference ? (
        <span className="swatch reference" title="A reference: only there to fit against" />
      ) : (
        <WordMenu
          trigger={
            <button
              className="plain swatch"
              style={{ background: colour }}
              aria-label={`Finish: ${part.finish ?? 'none'}`}
              title={part.finish ?? 'No finish'}
            />
          }
          entries={finishes.map((f) => ({
            id: f.name,
            words: f.name,
            chosen: f.name === part.finish,
            act: () => doEdit({ kind: 'set_part', part: part.id, finish: f.name }),
          }))}
        />
      )}
      <button
        className={`plain grow${part.reference ? ' prose-note' : ''}`}
        {...sortable.attributes}
        {...sortable.listeners}
        role="button"
        aria-pressed={main || also}
        onClick={(e) => choosePart(part.id, e.ctrlKey || e.metaKey || e.shiftKey)}
        onDoubleClick={() => setTyping('name')}
        title={`${part.name}${part.reference ? ', a reference' : ''}. Ctrl adds it to those chosen, double click renames, drag reorders.`}
      >
        {part.name}
      </button>
      <Failed of={[part.id]} id={part.id} />
      {part.locked && <Lock size={13} aria-label="locked" />}
      <button
        className="plain muted"
        aria-label={part.hidden ? 'Show' : 'Hide'}
        title={part.hidden ? 'Show' : 'Hide'}
        data-testid={`eye-${part.id}`}
        onClick={() => doEdit({ kind: 'set_part', part: part.id, hidden: !part.hidden })}
      >
        {part.hidden ? <EyeOff size={14} /> : <Eye size={14} />}
      </button>
      <PartMenu part={part} type={setTyping} remove={remove} />
    </div>
  )
}

function PartMenu(props: {
  part: Part
  type: (kind: 'name' | 'heading') => void
  remove: (ids: string[]) => void
}) {
  const { part } = props
  const ids = (useSession((s) => s.bench?.document.parts) ?? NONE).map((p) => p.id)
  const names = useSession((s) => s.bench?.document.parts) ?? NONE
  const chosen = useView((s) => s.part)
  const only = useView((s) => s.only === part.id)
  const copied = useView((s) => s.copied)
  const set = useView((s) => s.set)
  const at = ids.indexOf(part.id)
  const change = (edit: object) => doEdit({ kind: 'set_part', part: part.id, ...edit })
  const other = names.find((p) => p.id === chosen && p.id !== part.id)
  const again =
    copied && names.some((p) => p.id === copied.from) && names.some((p) => p.id === copied.to)
  const entries: MenuEntry[] = [
    { id: 'name', words: 'Rename', act: () => props.type('name') },
    { id: 'heading', words: 'Put under a heading', act: () => props.type('heading') },
    ...(part.reference
      ? []
      : [
          {
            id: 'copy',
            words: 'Duplicate',
            note: 'with numbers of its own',
            act: () => duplicate(part),
          },
          { id: 'live', words: 'Live copy', note: 'follows this one', act: () => liveCopy(part) },
          {
            id: 'mirror',
            words: 'Mirror image',
            note: 'follows this one',
            act: () => mirrorCopy(part),
          },
        ]),
    {
      id: 'again',
      words: 'Duplicate again',
      note: again ? 'with the same offset' : 'after a duplicate was moved',
      disabled: !again,
      act: duplicateAgain,
    },
    {
      id: 'only',
      words: only ? 'Show all' : 'Show only this one',
      act: () => set({ only: only ? null : part.id }),
    },
    {
      id: 'through',
      words: part.transparent ? 'Draw it solid' : 'Draw it transparent',
      act: () => change({ transparent: !part.transparent }),
    },
    {
      id: 'lock',
      words: part.locked ? 'Unlock' : 'Lock',
      note: 'not chosen in the view, not moved',
      act: () => change({ locked: !part.locked }),
    },
    {
      id: 'reference',
      words: part.reference ? 'Make a part of it' : 'Make it a reference',
      note: part.reference ? 'it can be changed then' : 'only there to fit against',
      act: () => change({ reference: !part.reference }),
    },
    ...(other
      ? [
          {
            id: 'here',
            words: `Bring ${other.name} here`,
            note: 'zero point to zero point',
            act: () => doEdit({ kind: 'bring_part', part: other.id, to: part.id, by: 'zero' }),
          },
          {
            id: 'there',
            words: `Bring it to ${other.name}`,
            note: 'zero point to zero point',
            act: () => doEdit({ kind: 'bring_part', part: part.id, to: other.id, by: 'zero' }),
          },
          {
            id: 'middles',
            words: `Bring it to the middle of ${other.name}`,
            act: () => doEdit({ kind: 'bring_part', part: part.id, to: other.id, by: 'middle' }),
          },
        ]
      : []),
    {
      id: 'up',
      words: 'Move up',
      disabled: at <= 0,
      act: () =>
        doEdit({ kind: 'move_part', part: part.id, after: at > 1 ? (ids[at - 2] ?? null) : null }),
    },
    {
      id: 'down',
      words: 'Move down',
      disabled: at < 0 || at >= ids.length - 1,
      act: () => doEdit({ kind: 'move_part', part: part.id, after: ids[at + 1] ?? null }),
    },
    { id: 'remove', words: 'Remove', act: () => props.remove([part.id]) },
  ]
  return (
    <WordMenu
      testId={`part-menu-${part.id}`}
      trigger={
        <button
          className="plain muted more"
          aria-label={`What to do with ${part.name}`}
          data-testid={`part-more-${part.id}`}
        >
          ⋯
        </button>
      }
      entries={entries}
    />
  )
}

const BY: readonly (readonly [
  Extract<Parameters<typeof doEdit>[0], { kind: 'line_up' }>['by'],
  string,
])[] = [
  ['left', 'their left sides'],
  ['right', 'their right sides'],
  ['front', 'their fronts'],
  ['back', 'their backs'],
  ['bottom', 'their bottoms'],
  ['top', 'their tops'],
  ['middle_x', 'their middles, along X'],
  ['middle_y', 'their middles, along Y'],
  ['middle_z', 'their middles, along Z'],
]

/** What can be done with several parts at once. */
function Several({ remove }: { remove: (ids: string[]) => void }) {
  const also = useView((s) => s.also)
  const main = useView((s) => s.part)
  const name = useSession((s) => s.bench?.document.parts?.find((p) => p.id === main)?.name)
  const parts = useSession((s) => s.bench?.document.parts) ?? NONE
  const ids = [main ?? '', ...also].filter((id) => parts.some((p) => p.id === id))
  if (ids.length < 2 || !main) return null
  return (
    <div className="several" data-testid="several">
      <p className="muted">
        {ids.length} parts chosen; they are moved and turned as one, about the zero point of {name}.
      </p>
      <WordMenu
        testId="choices-line-up"
        trigger={
          <button className="plain link" data-testid="line-up">
            Line up with {name} by …
          </button>
        }
        entries={BY.map(([by, words]) => ({
          id: by,
          words,
          act: () => doEdit({ kind: 'line_up', parts: ids, to: main, by }),
        }))}
      />
      <WordMenu
        testId="choices-spread"
        trigger={
          <button className="plain link" data-testid="spread" disabled={ids.length < 3}>
            {ids.length < 3 ? 'Spread evenly: three parts are needed' : 'Spread evenly along …'}
          </button>
        }
        entries={(['x', 'y', 'z'] as const).map((along) => ({
          id: along,
          words: along.toUpperCase(),
          act: () => doEdit({ kind: 'spread_parts', parts: ids, along }),
        }))}
      />
      <button
        className="plain link"
        data-testid="remove-several"
        onClick={() => remove(chosenParts())}
      >
        Remove them
      </button>
    </div>
  )
}
