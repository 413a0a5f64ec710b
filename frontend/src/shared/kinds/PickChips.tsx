import { X } from 'lucide-react'
import type { StepView } from '../api/client'
import { whole } from '../format'
import { addressOf } from '../graph'
import { closePaint, openPaint } from '../painting'
import { closePick, furtherOf, inWords, kindOf, openPick, pickOf } from '../picking'
import { doEdit, edit } from '../session'
import { useView } from '../viewState'
import type { ChipProps } from './at'
import { choices, setting } from './chip'

/** What a step picks: the count, under a double rule; a click opens it for picking. */
function Picked(props: ChipProps & { at: string; counted: string }) {
  const { step, spec, at } = props
  const part = props.part.id
  const count = countOf(props.view, props.counted)
  const open = useView(
    (s) => s.picking?.step === step.id && s.picking.part === part && s.picking.key === at,
  )
  const pick = pickOf(step, at)
  const kind = kindOf(step, at)
  const words =
    typeof count === 'number' ? `${whole(count)} ${count === 1 ? kind.slice(0, -1) : kind}` : kind
  return (
    <button
      className={`plain chip pick${open ? ' editing' : ''}`}
      data-testid={`chip-${part}/${step.id}/values/${at}`}
      title={`${spec.description}: ${inWords(pick)}`}
      onClick={() => {
        if (open) closePick()
        else openPick(part, step.id, at)
      }}
    >
      {words}
    </button>
  )
}

function countOf(view: StepView | undefined, address: string): unknown {
  return view?.shown[address] ?? view?.used[address]
}

export function PickChip(props: ChipProps) {
  return <Picked {...props} at={props.spec.key} counted={props.spec.key} />
}

/** Further picks of a step, each with a width of its own. */
export function FurtherChip(props: ChipProps) {
  const { step, spec, view } = props
  const rows = furtherOf(step, spec.key)
  const width = view?.used['width'] ?? view?.shown['width']
  const added = {
    pick: { rule: 'by_hand', elements: [] },
    width: Number((typeof width === 'number' ? width * 2 : 1).toPrecision(2)),
  }
  return (
    <span data-testid={`further-${props.part.id}/${step.id}`}>
      {rows.map((_, i) => (
        <span key={i}>
          <Picked {...props} at={`${spec.key}.${i}`} counted={`${spec.key}/${i}/pick`} /> by{' '}
          {props.number(`/${i}/width`)}
          <button
            className="plain muted drop"
            title="Take this pick out"
            aria-label={`Take further pick ${i + 1} out`}
            data-testid={`further-remove-${i}`}
            onClick={() => {
              closePick()
              const rest = rows.filter((_row, k) => k !== i)
              doEdit(setting(props, rest.length ? rest : null))
            }}
          >
            <X size={13} />
          </button>
          {'; '}
        </span>
      ))}
      <button
        className="plain link"
        data-testid="further-add"
        onClick={() => {
          // it is opened when it is there
          edit(setting(props, [...rows, added]))
            .then(() => openPick(props.part.id, step.id, `${spec.key}.${rows.length}`))
            .catch(() => undefined)
        }}
      >
        {rows.length ? 'another' : 'none, add one'}
      </button>
    </span>
  )
}

const FADING = (from: number, to: number) => ({
  graph: [
    { id: 'g1', at: 0, value: from },
    { id: 'g2', at: 1, value: to },
  ],
  along: 'longest',
})

interface Mask {
  pick?: unknown
  to?: number | string
  graph?: { value: unknown }[]
  strokes?: { pick?: unknown; to?: number | string; by?: number | string }[]
}

function maskWords(mask: Mask | null | undefined, otherwise: string): string {
  if (!mask) return otherwise
  if (mask.pick) return 'on'
  if (mask.graph)
    return Number(mask.graph[0]?.value) < Number(mask.graph.at(-1)?.value)
      ? 'fading in along the body'
      : 'fading out along the body'
  const n = mask.strokes?.length ?? 0
  return n === 0 ? 'painted, nothing yet' : `painted in ${n} ${n === 1 ? 'stroke' : 'strokes'}`
}

/** Opens the graph of a mask for drawing. */
function Along({ part, step, spec }: ChipProps) {
  const place = { part: part.id, step: step.id, key: `${spec.key}/graph` }
  const open = useView((s) => s.graph !== null && addressOf(s.graph) === addressOf(place))
  return (
    <>
      {' '}
      <button
        className="plain link"
        data-testid={`chip-${addressOf(place)}`}
        aria-pressed={open}
        onClick={() =>
          useView
            .getState()
            .set(open ? { graph: null } : { graph: place, board: null, lookAt: null })
        }
      >
        {open ? 'close its graph' : 'draw its graph'}
      </button>
    </>
  )
}

/** How much of a step acts where: everywhere alike, on a pick of points, fading along the body, painted. */
export function WeightsChip(props: ChipProps) {
  const { part, step, spec } = props
  const now = step.values?.[spec.key] as Mask | null | undefined
  const painting = useView((s) => s.painting?.step === step.id && s.painting.part === part.id)
  const paint = () => openPaint(part.id, step.id, spec.key)
  const onPick = () => {
    edit(setting(props, { pick: { rule: 'by_hand', elements: [] } }))
      .then(() => openPick(part.id, step.id, `${spec.key}.pick`))
      .catch(() => undefined)
  }
  const entry = (id: string, text: string, value: unknown) => ({
    id,
    words: text,
    act: () => doEdit(setting(props, value)),
  })
  const begin = (id: string, text: string, base: number) => ({
    id,
    words: text,
    act: () => {
      edit(setting(props, { base, strokes: [] }))
        .then(paint)
        .catch(() => undefined)
    },
  })
  const given = now?.strokes?.flatMap((s, i) => (s.pick === undefined ? [] : [{ s, i }])) ?? []
  return (
    <>
      {choices(props, maskWords(now, spec.otherwise), [
        entry('=all', spec.otherwise, null),
        { id: '=pick', words: 'on points that are picked', act: onPick },
        entry('=in', 'fading in along the body', FADING(0, 1)),
        entry('=out', 'fading out along the body', FADING(1, 0)),
        ...(now ? [{ id: '=paint', words: 'painted, on top of what there is', act: paint }] : []),
        begin('=painted', 'painted, from none', 0),
        begin('=painted-out', 'painted, from all', 1),
      ])}
      {now?.pick !== undefined && (
        <>
          {' '}
          <Picked {...props} at={`${spec.key}.pick`} counted={spec.key} />
          {now.to !== undefined && <> to {String(now.to)}</>}
        </>
      )}
      {now?.graph && <Along {...props} />}
      {given.map(({ s, i }) => (
        <span key={i}>
          {', '}
          <Picked {...props} at={`${spec.key}.strokes.${i}.pick`} counted="" />{' '}
          {s.by === undefined ? `to ${String(s.to ?? 1)}` : `by ${String(s.by)}`}
        </span>
      ))}
      {now?.strokes && (
        <>
          {' '}
          <button
            className="plain link"
            data-testid={`paint-${part.id}/${step.id}`}
            aria-pressed={painting}
            onClick={() => {
              if (painting) closePaint()
              else paint()
            }}
          >
            {painting ? 'done' : 'paint'}
          </button>
        </>
      )}
    </>
  )
}
