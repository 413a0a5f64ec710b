import { X } from 'lucide-react'
import { chooseFile, drawFromFile, drawNew } from '../adding'
import type { Step } from '../api/client'
import { api } from '../api/client'
import { operatorOf } from '../operators'
import { doEdit, say, useSession } from '../session'
import { useView } from '../viewState'
import { fits } from '../startingCurves'
import type { ChipProps } from './at'
import type { MenuEntry } from '../ui/Menu'
import { choices, setting } from './chip'

const openBoard = (id: string) => useView.getState().set({ board: id, graph: null })

/** What a curve can begin as. */
const newCurves = ({ part, step, spec }: ChipProps): MenuEntry[] => [
  { id: '=new', words: 'Draw a new one', act: () => drawNew(part.id, step.id, spec) },
  {
    id: '=file',
    words: 'From a file',
    note: 'SVG, DXF',
    act: () => drawFromFile(part.id, step.id, spec),
  },
]

export function CurveChip(props: ChipProps) {
  const bench = useSession((s) => s.bench)
  const now = props.step.values?.[props.spec.key]
  const curves = bench?.document.curves ?? []
  const found = curves.find((c) => c.id === now)
  return choices(props, found?.name ?? (props.spec.of.includes('path') ? 'a path' : 'a profile'), [
    ...(found
      ? [
          {
            id: '=draw',
            words: `Draw ${found.name}`,
            note: 'on the board',
            act: () => openBoard(found.id),
          },
        ]
      : []),
    ...curves
      .filter((c) => fits(c, props.spec))
      .map((c) => ({
        id: c.id,
        words: c.name,
        chosen: c.id === now,
        act: () => doEdit(setting(props, c.id)),
      })),
    ...newCurves(props),
  ])
}

export function PartChip(props: ChipProps) {
  const bench = useSession((s) => s.bench)
  const now = props.step.values?.[props.spec.key]
  const { of, otherwise } = props.spec
  const parts = (bench?.document.parts ?? []).filter((p) => p.id !== props.part.id)
  const found = parts.find((p) => p.id === now || p.name === now)
  // some take only what a certain operator has made
  const fitting = parts.filter(
    (p) => p === found || !of.length || p.recipe.some((s) => of.includes(s.operator)),
  )
  const entries: MenuEntry[] = fitting.map((p) => ({
    id: p.id,
    words: p.name,
    chosen: p === found,
    act: () => doEdit(setting(props, p.id)),
  }))
  if (otherwise)
    entries.unshift({
      id: '=none',
      words: otherwise,
      chosen: !found,
      act: () => doEdit(setting(props, null)),
    })
  return choices(props, found?.name ?? (otherwise || 'a part'), entries)
}

export function StepChip(props: ChipProps) {
  const bench = useSession((s) => s.bench)
  const now = props.step.values?.[props.spec.key]
  const named = props.step.values?.[props.spec.beside]
  const part = bench?.document.parts?.find((p) => p.id === named || p.name === named)
  const steps = part?.recipe ?? []
  const words = (s: Step) => s.name ?? operatorOf(s.operator)?.name ?? s.operator
  const at = steps.findIndex((s) => s.id === now)
  const found = steps[at]
  return choices(props, found ? `step ${String(at + 1)}, ${words(found)}` : props.spec.otherwise, [
    {
      id: '=last',
      words: props.spec.otherwise,
      chosen: typeof now !== 'string',
      act: () => doEdit(setting(props, null)),
    },
    ...steps.map((s, i) => ({
      id: s.id,
      words: `step ${String(i + 1)}, ${words(s)}`,
      chosen: s.id === now,
      act: () => doEdit(setting(props, s.id)),
    })),
  ])
}

export function FinishChip(props: ChipProps) {
  const bench = useSession((s) => s.bench)
  const now = props.step.values?.[props.spec.key]
  return choices(props, typeof now === 'string' ? now : props.spec.otherwise, [
    {
      id: '=none',
      words: props.spec.otherwise,
      chosen: typeof now !== 'string',
      act: () => doEdit(setting(props, null)),
    },
    ...(bench?.document.finishes ?? []).map((f) => ({
      id: f.name,
      words: f.name,
      chosen: f.name === now,
      act: () => doEdit(setting(props, f.name)),
    })),
  ])
}

export function FileChip(props: ChipProps) {
  const id = useSession((s) => s.id)
  const now = props.step.values?.[props.spec.key]
  const endings = props.spec.of.map((e) => `.${e}`).join(',')
  const other = () =>
    chooseFile(
      (name, file) => {
        if (!id) return
        api
          .upload(id, name, file)
          .then((held) => doEdit(setting(props, held.file)))
          .catch((e: unknown) => say(e instanceof Error ? e.message : String(e), 'error'))
      },
      ...(endings ? [endings] : []),
    )
  return (
    <button className="plain chip choice" title="Choose another file" onClick={other}>
      {typeof now === 'string' ? now : 'a file'}
    </button>
  )
}

/** Several names in order: each can be taken out, others put behind. */
function NameList(
  props: ChipProps & {
    known: { id: string; name: string }[]
    one: string
    open?: (id: string) => void
    more?: MenuEntry[]
  },
) {
  const { step, spec, known, open } = props
  const raw = step.values?.[spec.key]
  const now = Array.isArray(raw) ? (raw as string[]) : []
  const keep = (rows: string[]) => doEdit(setting(props, rows.length ? rows : null))
  const rest = known.filter((k) => !now.includes(k.id))
  const nameOf = (id: string) => known.find((k) => k.id === id || k.name === id)?.name ?? id
  return (
    <>
      {now.map((id, i) => (
        <span key={`${id} ${i}`} style={{ whiteSpace: 'nowrap' }}>
          {open ? (
            <button
              className="plain chip choice"
              title="Draw it on the board"
              data-testid={`listed-${id}`}
              onClick={() => open(id)}
            >
              {nameOf(id)}
            </button>
          ) : (
            nameOf(id)
          )}
          <button
            className="plain muted drop"
            aria-label={`Take ${nameOf(id)} out`}
            onClick={() => keep(now.filter((_, k) => k !== i))}
          >
            <X size={13} />
          </button>
          {', '}
        </span>
      ))}
      {choices(props, now.length ? 'another' : `a ${props.one}`, [
        ...rest.map((k) => ({ id: k.id, words: k.name, act: () => keep([...now, k.id]) })),
        ...(props.more ?? []),
      ])}
    </>
  )
}

export function CurvesChip(props: ChipProps) {
  const curves = useSession((s) => s.bench?.document.curves)
  return (
    <NameList
      {...props}
      one="curve"
      known={(curves ?? []).filter((c) => fits(c, props.spec))}
      open={openBoard}
      more={newCurves(props)}
    />
  )
}

export function PartsChip(props: ChipProps) {
  const parts = useSession((s) => s.bench?.document.parts)
  const others = (parts ?? []).filter((p) => p.id !== props.part.id)
  return <NameList {...props} one="part" known={others} />
}
