import { useEffect, useMemo, useRef, useState } from 'react'
import type { OperatorView } from '../../shared/api/client'
import { addOperator, addReference } from '../../shared/adding'
import { useSession } from '../../shared/session'
import { Combobox } from '../../shared/ui/Combobox'
import type { Option } from '../../shared/ui/Combobox'
import { useView } from '../../shared/viewState'

interface Entry extends Option {
  act: () => void
}

/** Add a step, find anything: `/` and type. */
export function FindField(props: { operators: readonly OperatorView[] }) {
  const [text, setText] = useState('')
  const [open, setOpen] = useState(false)
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

  // done with: what is shown next is a new field, so that no focus comes back to this one
  const [round, setRound] = useState(0)
  const leave = () => {
    setText('')
    setOpen(false)
    setRound((n) => n + 1)
    useView.getState().set({ insertAfter: null })
  }
  return (
    <div className="find">
      <Combobox
        key={round}
        testId="find"
        label="Add a step, find anything"
        placeholder={insertAfter === null ? 'Add a step, find anything' : 'Add a step here'}
        field={field}
        text={text}
        change={setText}
        open={open}
        setOpen={setOpen}
        options={entries}
        choose={(e) => {
          e.act()
          leave()
        }}
        leave={leave}
        nothing={`Nothing is called “${text}”. Try another word for it, or clear the field to see all.`}
      />
      <span className="slash figures">/</span>
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
