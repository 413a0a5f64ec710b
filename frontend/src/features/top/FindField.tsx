import { Fragment, useEffect, useMemo, useRef, useState } from 'react'
import type { OperatorView } from '../../shared/api/client'
import { addOperator, addReference } from '../../shared/adding'
import { useSession } from '../../shared/session'
import { useView } from '../../shared/viewState'

interface Entry {
  id: string
  words: string
  note: string
  /** the heading it stands under while nothing is typed */
  chapter: string
  drawing: string | null
  act: () => void
}

/** Add a step, find anything: `/` and type. */
export function FindField(props: { operators: readonly OperatorView[] }) {
  const [text, setText] = useState('')
  const [open, setOpen] = useState(false)
  // with nothing typed nothing is chosen: Enter takes only what was pointed at
  const [at, setAt] = useState(-1)
  const field = useRef<HTMLInputElement>(null)
  const bench = useSession((s) => s.bench)
  const look = useView((s) => s.look)
  const insertAfter = useView((s) => s.insertAfter)
  const entries = useMemo(
    () => find(text, props.operators, bench, look),
    [text, props.operators, bench, look],
  )

  useEffect(() => {
    const focus = () => {
      field.current?.focus()
      setOpen(true)
    }
    addEventListener('jukai-find', focus)
    return () => removeEventListener('jukai-find', focus)
  }, [])

  const choose = (e: Entry | undefined) => {
    if (!e) return
    setText('')
    setAt(-1)
    setOpen(false)
    field.current?.blur()
    e.act()
    useView.getState().set({ insertAfter: null })
  }
  return (
    <div className="find">
      <input
        ref={field}
        data-testid="find"
        role="combobox"
        aria-expanded={open}
        aria-controls="find-list"
        aria-label="Add a step, find anything"
        placeholder={insertAfter === null ? 'Add a step, find anything' : 'Add a step here'}
        value={text}
        onFocus={() => setOpen(true)}
        onBlur={() => window.setTimeout(() => setOpen(false), 150)}
        onChange={(e) => {
          setText(e.target.value)
          setAt(e.target.value.trim() ? 0 : -1)
          setOpen(true)
        }}
        onKeyDown={(e) => {
          e.stopPropagation()
          if (e.key === 'ArrowDown') setAt((n) => Math.min(n + 1, entries.length - 1))
          else if (e.key === 'ArrowUp') setAt((n) => Math.max(n - 1, 0))
          else if (e.key === 'Enter') choose(entries[at])
          else if (e.key === 'Escape') {
            setText('')
            setAt(-1)
            setOpen(false)
            useView.getState().set({ insertAfter: null })
            field.current?.blur()
          } else return
          e.preventDefault()
        }}
      />
      <span className="slash figures">/</span>
      {open && (
        <ul id="find-list" role="listbox" data-testid="find-list">
          {entries.map((e, i) => (
            <Fragment key={e.id}>
              {e.chapter !== entries[i - 1]?.chapter && (
                <li className="chapter" role="presentation">
                  {e.chapter}
                </li>
              )}
              <li
                role="option"
                aria-selected={i === at}
                data-testid={`find-${e.id}`}
                onMouseEnter={() => setAt(i)}
                onMouseDown={(m) => {
                  m.preventDefault()
                  choose(e)
                }}
              >
                <span className="ink">
                  {e.drawing && <img src={e.drawing} alt="" loading="lazy" />}
                </span>
                <span>
                  <b>{e.words}</b>
                  <span className="note">{e.note}</span>
                </span>
              </li>
            </Fragment>
          ))}
          {entries.length === 0 && (
            <li className="muted nothing" data-testid="find-nothing">
              Nothing is called “{text}”. Try another word for it, or clear the field to see all.
            </li>
          )}
        </ul>
      )}
    </div>
  )
}

const CHAPTERS = [
  'ready shapes',
  'from curves',
  'edges and faces',
  'deforming',
  'tidying and finish',
]

function find(
  text: string,
  operators: readonly OperatorView[],
  bench: ReturnType<typeof useSession.getState>['bench'],
  look: string,
): Entry[] {
  const wanted = text.trim().toLowerCase()
  const rank = (words: string[]): number => {
    if (!wanted) return 1
    const lower = words.map((w) => w.toLowerCase())
    // its own name before a synonym, the whole of it before its beginning
    if (lower.slice(0, 2).includes(wanted)) return 5
    if (lower.slice(0, 2).some((w) => w.startsWith(wanted))) return 4
    if (lower.some((w) => w.startsWith(wanted))) return 3
    return lower.some((w) => w.includes(wanted)) ? 2 : 0
  }
  const out: (Entry & { rank: number })[] = operators.map((o) => ({
    id: o.id,
    words: o.name,
    chapter: o.chapter,
    drawing: o.has_drawing ? `/api/operators/${o.id}/drawing.svg?look=${look}` : null,
    note: o.kind === 'blank' ? `${o.description} A new part.` : o.description,
    rank: rank([o.id, o.name, ...o.synonyms]) * 1.01,
    act: () => addOperator(o),
  }))
  out.push({
    id: 'reference',
    words: 'Reference',
    note: 'A mesh from a file, only there to fit against.',
    chapter: 'ready shapes',
    drawing: null,
    rank: rank(['reference', 'mesh beside', 'fit against', 'import']),
    act: addReference,
  })
  if (wanted)
    for (const p of bench?.document.parts ?? []) {
      out.push({
        id: `part-${p.id}`,
        words: p.name,
        note: 'A part of this bench.',
        chapter: 'on this bench',
        drawing: null,
        rank: rank([p.name]),
        act: () => useView.getState().set({ part: p.id, step: p.recipe[0]?.id ?? null }),
      })
      for (const s of p.recipe)
        if (s.name)
          out.push({
            id: `step-${p.id}-${s.id}`,
            words: s.name,
            note: `A step of ${p.name}.`,
            chapter: 'on this bench',
            drawing: null,
            rank: rank([s.name]),
            act: () => useView.getState().set({ part: p.id, step: s.id }),
          })
    }
  const found = out.filter((e) => e.rank > 0)
  if (wanted) return found.sort((a, b) => b.rank - a.rank).map((e) => ({ ...e, chapter: '' }))
  // all there is, chapter by chapter
  const chapters = CHAPTERS.map((c) => found.filter((e) => e.chapter === c))
  return chapters.flat()
}
