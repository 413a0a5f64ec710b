import { Eye, EyeOff, Lock } from 'lucide-react'
import { useState } from 'react'
import type { Part } from '../../shared/api/client'
import { freeId } from '../../shared/format'
import { doEdit, edit, say, useSession } from '../../shared/session'
import { WordMenu } from '../../shared/ui/Menu'
import { useView } from '../../shared/viewState'
import { HandoverList } from './Handover'
import { NamedNumbers } from './NamedNumbers'

/** Parts, named numbers and hand-over; the column folds. */
export function SideColumn() {
  const { side, set } = useView()
  if (!side)
    return (
      <aside className="side" style={{ padding: 6 }}>
        <button
          className="plain muted"
          aria-label="Show parts, numbers and hand-over"
          title="Parts, numbers, hand-over"
          onClick={() => set({ side: true })}
        >
          ‹
        </button>
      </aside>
    )
  return (
    <aside className="side" data-testid="side">
      <Parts />
      <NamedNumbers />
      <HandoverList />
    </aside>
  )
}

function Parts() {
  const bench = useSession((s) => s.bench)
  const set = useView((s) => s.set)
  const parts = bench?.document.parts ?? []
  return (
    <section>
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
      {parts.map((p) => (
        <PartRow
          key={p.id}
          part={p}
          colour={bench?.document.finishes?.find((f) => f.name === p.finish)?.colour ?? '#b9b4a8'}
        />
      ))}
      {parts.length === 0 && <p className="muted">None yet.</p>}
    </section>
  )
}

function PartRow({ part, colour }: { part: Part; colour: string }) {
  const bench = useSession((s) => s.bench)
  const chosen = useView((s) => s.part === part.id)
  const set = useView((s) => s.set)
  const [naming, setNaming] = useState(false)
  const finishes = bench?.document.finishes ?? []
  const choose = () =>
    set({
      part: part.id,
      step: part.recipe.at(-1)?.id ?? null,
      lookAt: null,
      board: null,
      spots: [],
    })
  if (naming)
    return (
      <input
        className="field"
        autoFocus
        aria-label="Name of the part"
        defaultValue={part.name}
        maxLength={200}
        onFocus={(e) => e.target.select()}
        onBlur={(e) => {
          setNaming(false)
          const name = e.target.value.trim()
          if (name && name !== part.name) doEdit({ kind: 'set_part', part: part.id, name })
        }}
        onKeyDown={(e) => {
          e.stopPropagation()
          if (e.key === 'Enter') e.currentTarget.blur()
        }}
      />
    )
  return (
    <div className="row" aria-current={chosen} data-testid={`part-${part.id}`}>
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
      <button
        className="plain grow"
        onClick={choose}
        onDoubleClick={() => setNaming(true)}
        title={`${part.name}: double click to rename`}
      >
        {part.name}
      </button>
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
      <PartMenu part={part} rename={() => setNaming(true)} />
    </div>
  )
}

function PartMenu({ part, rename }: { part: Part; rename: () => void }) {
  const bench = useSession((s) => s.bench)
  const set = useView((s) => s.set)
  const ids = bench?.document.parts?.map((p) => p.id) ?? []
  const at = ids.indexOf(part.id)
  const copy = () => {
    const taken = new Set(bench?.document.curves?.map((c) => c.id) ?? [])
    const curves: Record<string, string> = {}
    for (const s of part.recipe) {
      const c = s.values?.['profile']
      if (typeof c === 'string' && !curves[c]) {
        curves[c] = freeId('c', taken)
        taken.add(curves[c])
      }
    }
    const id = freeId('p', ids)
    edit({ kind: 'copy_part', part: part.id, copy_id: id, curve_ids: curves })
      .then(() => {
        set({ part: id })
        say('The copy stands where the first one does; both have their own numbers.')
      })
      .catch(() => undefined)
  }
  return (
    <WordMenu
      trigger={
        <button
          className="plain muted more"
          aria-label={`What to do with ${part.name}`}
          data-testid={`part-more-${part.id}`}
        >
          ⋯
        </button>
      }
      entries={[
        { id: 'name', words: 'Rename', act: rename },
        { id: 'copy', words: 'Duplicate', act: copy },
        {
          id: 'lock',
          words: part.locked ? 'Unlock' : 'Lock',
          note: 'not chosen in the view',
          act: () => doEdit({ kind: 'set_part', part: part.id, locked: !part.locked }),
        },
        {
          id: 'up',
          words: 'Move up',
          disabled: at <= 0,
          act: () =>
            doEdit({
              kind: 'move_part',
              part: part.id,
              after: at > 1 ? (ids[at - 2] ?? null) : null,
            }),
        },
        {
          id: 'down',
          words: 'Move down',
          disabled: at < 0 || at >= ids.length - 1,
          act: () => doEdit({ kind: 'move_part', part: part.id, after: ids[at + 1] ?? null }),
        },
        {
          id: 'remove',
          words: 'Remove',
          act: () => {
            doEdit({ kind: 'remove_part', part: part.id })
            set({ part: ids[at + 1] ?? ids[at - 1] ?? null, step: null })
          },
        },
      ]}
    />
  )
}
