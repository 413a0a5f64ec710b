import { memo, useState } from 'react'
import { written } from '../../shared/format'
import { readingText } from '../../shared/measuring'
import type { MeasureView } from '../../shared/measuring'
import { doEdit, edit } from '../../shared/session'
import { useLengths, useSame, useTarget } from '../../shared/shown'
import { WordMenu } from '../../shared/ui/Menu'
import { NumberChip } from '../../shared/ui/NumberChip'

/** The bench's named numbers: add, change, rename, remove; any formula may use them. */
export function NamedNumbers() {
  const names = useSame((s) => (s.preview ?? s.bench)?.numbers.map((n) => n.name) ?? [])
  const measures = useSame((s) => (s.preview ?? s.bench)?.measures ?? [])
  const [adding, setAdding] = useState(false)
  return (
    <section data-testid="numbers">
      <h2>
        Named numbers
        <button
          className="plain muted"
          aria-label="Add a named number"
          title="Add a named number"
          data-testid="add-number"
          onClick={() => setAdding(true)}
        >
          +
        </button>
      </h2>
      {names.map((name) => (
        <NamedRow key={name} name={name} />
      ))}
      {names.length === 0 && !measures.length && !adding && (
        <p className="muted">None yet. One can be used in any formula.</p>
      )}
      {measures.map((m) => (
        <MeasuredRow key={m.name} measure={m} />
      ))}
      {adding && <AddField close={() => setAdding(false)} />}
    </section>
  )
}

/** A number with its name: it can be set, renamed in every formula, and removed. */
const NamedRow = memo(function NamedRow({ name }: { name: string }) {
  const target = useTarget(`dimensions/${name}`)
  const error = useSame(
    (s) => (s.preview ?? s.bench)?.numbers.find((n) => n.name === name)?.error ?? null,
  )
  const [renaming, setRenaming] = useState(false)
  return (
    <div data-testid={`number-${name}`}>
      <div className="row wrap">
        {renaming ? (
          <RenameField
            name={name}
            close={() => setRenaming(false)}
            keep={(wanted) => {
              setRenaming(false)
              if (wanted && wanted !== name)
                doEdit({ kind: 'rename_dimension', name, new_name: wanted })
            }}
          />
        ) : (
          <WordMenu
            trigger={
              <button className="plain grow" style={{ fontWeight: 500 }} title="Rename or remove">
                {name}
              </button>
            }
            entries={[
              {
                id: 'rename',
                words: 'Rename',
                note: 'in every formula too',
                act: () => setRenaming(true),
              },
              {
                id: 'remove',
                words: 'Remove',
                act: () => doEdit({ kind: 'remove_dimension', name }),
              },
            ]}
          />
        )}
        {target && <NumberChip target={target} />}
      </div>
      {error && (
        <div style={{ color: 'var(--red)', fontSize: 12 }} role="alert">
          {error.message}
        </div>
      )}
    </div>
  )
})

/** A number read off the bodies: it can be named and removed, not set. */
const MeasuredRow = memo(function MeasuredRow({ measure: m }: { measure: MeasureView }) {
  const [renaming, setRenaming] = useState(false)
  const lengths = useLengths()
  const rename = (wanted: string) => {
    setRenaming(false)
    if (wanted && wanted !== m.name)
      doEdit({ kind: 'rename_measure', name: m.name, new_name: wanted })
  }
  return (
    <div data-testid={`measure-${m.name}`}>
      <div className="row wrap">
        {renaming ? (
          <RenameField name={m.name} keep={rename} close={() => setRenaming(false)} />
        ) : (
          <WordMenu
            testId={`measure-menu-${m.name}`}
            trigger={
              <button
                className="plain grow"
                style={{ fontWeight: 500 }}
                data-testid={`measure-more-${m.name}`}
                title={`Measured: ${m.words}${m.hidden ? ', not drawn' : ''}. Rename, draw or not, remove`}
              >
                {m.name}
              </button>
            }
            entries={[
              { id: 'rename', words: 'Rename', act: () => setRenaming(true) },
              {
                id: 'hide',
                words: m.hidden ? 'Draw it on the bodies' : 'Don’t draw it',
                act: () => doEdit({ kind: 'hide_measure', name: m.name, hidden: !m.hidden }),
              },
              {
                id: 'remove',
                words: 'Remove',
                act: () => doEdit({ kind: 'remove_measure', name: m.name }),
              },
            ]}
          />
        )}
        <span
          className="figures muted"
          data-testid={`measured-${m.name}`}
          data-value={m.value ?? ''}
          title="Read off the bodies"
        >
          {readingText(m, lengths)}
        </span>
      </div>
      {m.error && (
        <div style={{ color: 'var(--red)', fontSize: 12 }} role="alert">
          {m.error.message}
        </div>
      )}
    </div>
  )
})

function RenameField({
  name,
  keep,
  close,
}: {
  name: string
  keep: (wanted: string) => void
  close: () => void
}) {
  return (
    <input
      className="field grow"
      autoFocus
      aria-label="Name of the number"
      defaultValue={name}
      onBlur={(e) => keep(e.target.value.trim())}
      onKeyDown={(e) => {
        e.stopPropagation()
        if (e.key === 'Enter') e.currentTarget.blur()
        if (e.key === 'Escape') close()
      }}
    />
  )
}

/** One line: `ring_count = 5`. */
function AddField({ close }: { close: () => void }) {
  const { unit } = useLengths()
  const [text, setText] = useState('')
  const [wrong, setWrong] = useState<string | null>(null)
  const keep = () => {
    const match = /^\s*([A-Za-z_]\w*)\s*=\s*(.+)$/.exec(text)
    const value = match?.[2] === undefined ? null : written(match[2])
    if (!match?.[1] || value === null) {
      if (text.trim() === '') close()
      else setWrong('Write a name, = and a number or a formula.')
      return
    }
    edit({ kind: 'set_dimension', name: match[1], value, new: true }, { quiet: true })
      .then(close)
      .catch((e: unknown) => setWrong(e instanceof Error ? e.message : String(e)))
  }
  return (
    <div>
      <input
        className="field"
        style={{ width: '100%' }}
        autoFocus
        placeholder={unit === 'mm' ? 'gap = 0.4' : `gap = 0.4 ${unit}`}
        aria-label="A name, = and a number or a formula"
        data-testid="number-field"
        value={text}
        onChange={(e) => setText(e.target.value)}
        onBlur={() => {
          if (text.trim() === '') close()
        }}
        onKeyDown={(e) => {
          e.stopPropagation()
          if (e.key === 'Enter') keep()
          if (e.key === 'Escape') close()
        }}
      />
      {wrong && (
        <div role="alert" style={{ color: 'var(--red)', fontSize: 12 }}>
          {wrong}
        </div>
      )}
    </div>
  )
}
