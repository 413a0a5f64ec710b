import type { OperatorView, Part, Step, StepView, ValueView } from '../../shared/api/client'
import { X } from 'lucide-react'
import { chooseFile } from '../../shared/adding'
import { api } from '../../shared/api/client'
import { doEdit, edit, say, shownParts, useSession } from '../../shared/session'
import { numberAt, operatorOf } from '../../shared/targets'
import { NumberChip } from '../../shared/ui/NumberChip'
import { WordMenu } from '../../shared/ui/Menu'
import type { MenuEntry } from '../../shared/ui/Menu'
import { useView } from '../../shared/viewState'
import { closePick, furtherOf, openPick } from '../../shared/picking'
import { PickChip } from './PickPanel'

interface Props {
  op: OperatorView
  part: Part
  step: Step
  view: StepView | undefined
}

/** A sentence with its values as chips. `{key}` stands for a value, `{a|b}` for whichever of two is given. */
export function Sentence(props: Props & { template: string; quiet?: boolean }) {
  const pieces = props.template.split(/({[^}]+})/).filter(Boolean)
  return (
    <div className={`sentence${props.quiet ? ' quiet' : ''}`}>
      {pieces.map((piece, i) => {
        if (piece.startsWith('{'))
          return <Value key={i} {...props} keys={piece.slice(1, -1).split('|')} first={i === 0} />
        if (i === 0 && !props.quiet) {
          const [verb, ...rest] = piece.split(' ')
          return (
            <span key={i}>
              <span className="verb">{verb}</span> {rest.join(' ')}
            </span>
          )
        }
        return <span key={i}>{piece}</span>
      })}
      {!props.quiet && '.'}
    </div>
  )
}

function Value(props: Props & { keys: string[]; first: boolean }) {
  const { op, step, keys } = props
  const given =
    keys.find((k) => step.values?.[k] !== undefined && step.values[k] !== null) ?? keys[0] ?? ''
  const spec = op.values.find((v) => v.key === given)
  if (!spec) return <span>{given}</span>
  const other = op.values.find((v) => v.key === spec.instead_of)
  return (
    <>
      <OneValue {...props} spec={spec} />
      {other && <InsteadOf {...props} spec={spec} other={other} />}
    </>
  )
}

function OneValue(props: Props & { spec: ValueView; first: boolean }) {
  const { spec } = props
  switch (spec.kind) {
    case 'length':
    case 'angle':
    case 'count':
    case 'share':
    case 'along':
      return <Number {...props} suffix="" />
    case 'vector':
    case 'counts':
      return (
        <span style={{ whiteSpace: 'nowrap' }}>
          {Array.from({ length: spec.axes }, (_, k) => (
            <span key={k}>
              {k > 0 && ' × '}
              <Number
                {...props}
                suffix={`/${String(k)}`}
                plain={k < spec.axes - 1 || spec.kind === 'counts'}
              />
            </span>
          ))}
        </span>
      )
    case 'choice':
      return <Choice {...props} />
    case 'switch':
      return <Switch {...props} />
    case 'axis':
      return <Axis {...props} />
    case 'curve':
      return <CurveChoice {...props} />
    case 'file':
      return <FileChoice {...props} />
    case 'part':
      return <PartChoice {...props} />
    case 'step':
      return <StepChoice {...props} />
    case 'pick':
      return <PickChip part={props.part.id} step={props.step} view={props.view} spec={spec} />
    case 'finish':
      return <FinishChoice {...props} />
    case 'further':
      return <Further {...props} />
  }
}

function Number(props: Props & { spec: ValueView; suffix: string; plain?: boolean }) {
  const session = useSession()
  const bench = session.preview ?? session.bench
  if (!bench) return null
  const target = numberAt(
    bench,
    shownParts(session),
    `${props.part.id}/${props.step.id}/values/${props.spec.key}${props.suffix}`,
  )
  if (!target) return <span>?</span>
  return <NumberChip target={target} plain={props.plain ?? false} />
}

function setting(props: Props, key: string, value: unknown) {
  return { kind: 'set_value' as const, part: props.part.id, step: props.step.id, key, value }
}

function set(props: Props, key: string, value: unknown): void {
  doEdit(setting(props, key, value))
}

function chip(props: Props & { spec: ValueView }, words: string, entries: MenuEntry[]) {
  const address = `${props.part.id}/${props.step.id}/values/${props.spec.key}`
  return (
    <WordMenu
      entries={entries}
      testId={`choices-${address}`}
      trigger={
        <button
          className="plain chip choice"
          data-testid={`chip-${address}`}
          title={props.spec.description}
        >
          {words}
        </button>
      }
    />
  )
}

function Choice(props: Props & { spec: ValueView; first: boolean }) {
  const { spec, step } = props
  const now = step.values?.[spec.key] ?? spec.default
  const words = spec.choices.find((c) => c.value === now)?.words ?? String(now)
  const shown = props.first ? words.charAt(0).toUpperCase() + words.slice(1) : words
  return chip(
    props,
    shown,
    spec.choices.map((c) => ({
      id: String(c.value),
      words: c.words,
      chosen: c.value === now,
      act: () => set(props, spec.key, c.value),
    })),
  )
}

function Switch(props: Props & { spec: ValueView }) {
  const { spec, step } = props
  const now = (step.values?.[spec.key] ?? spec.default) as boolean
  return (
    <button
      className="plain chip choice"
      title={spec.description}
      onClick={() => set(props, spec.key, !now)}
    >
      {spec.choices.find((c) => c.value === now)?.words}
    </button>
  )
}

function Axis(props: Props & { spec: ValueView }) {
  const { spec, step, view } = props
  const now = step.values?.[spec.key] ?? spec.default
  const lies = view?.used[spec.key]
  const words =
    typeof now === 'string'
      ? now === 'longest'
        ? `the longest axis${typeof lies === 'string' ? `, ${lies.toUpperCase()}` : ''}`
        : now.toUpperCase()
      : 'an axis of its own'
  const choices: [string, string][] = [
    ['longest', 'the longest'],
    ['x', 'X'],
    ['y', 'Y'],
    ['z', 'Z'],
  ]
  return chip(
    props,
    words,
    choices.map(([id, text]) => ({
      id,
      words: text,
      chosen: now === id,
      act: () => set(props, spec.key, id),
    })),
  )
}

function CurveChoice(props: Props & { spec: ValueView }) {
  const bench = useSession((s) => s.bench)
  const now = props.step.values?.[props.spec.key]
  const curves = bench?.document.curves ?? []
  const found = curves.find((c) => c.id === now)
  const draw = () => useView.getState().set({ board: found?.id ?? null })
  if (curves.length <= 1 && found)
    return (
      <button
        className="plain chip choice"
        data-testid={`chip-${props.part.id}/${props.step.id}/values/${props.spec.key}`}
        title="Open the drawing board"
        onClick={draw}
      >
        {found.name}
      </button>
    )
  return chip(props, found?.name ?? 'a profile', [
    ...(found
      ? [{ id: '=draw', words: `Draw ${found.name}`, note: 'on the board', act: draw }]
      : []),
    ...curves.map((c) => ({
      id: c.id,
      words: c.name,
      chosen: c.id === now,
      act: () => set(props, props.spec.key, c.id),
    })),
  ])
}

function PartChoice(props: Props & { spec: ValueView }) {
  const bench = useSession((s) => s.bench)
  const now = props.step.values?.[props.spec.key]
  const parts = (bench?.document.parts ?? []).filter((p) => p.id !== props.part.id)
  const found = parts.find((p) => p.id === now || p.name === now)
  return chip(
    props,
    found?.name ?? 'a part',
    parts.map((p) => ({
      id: p.id,
      words: p.name,
      chosen: p === found,
      act: () => set(props, props.spec.key, p.id),
    })),
  )
}

/** A step of the part that is named beside it. */
function StepChoice(props: Props & { spec: ValueView }) {
  const bench = useSession((s) => s.bench)
  const now = props.step.values?.[props.spec.key]
  const part = bench?.document.parts?.find(
    (p) => p.id === props.step.values?.['part'] || p.name === props.step.values?.['part'],
  )
  const steps = part?.recipe ?? []
  const words = (s: Step) => s.name ?? operatorOf(s.operator)?.name ?? s.operator
  const at = steps.findIndex((s) => s.id === now)
  const found = steps[at]
  return chip(props, found ? `step ${String(at + 1)}, ${words(found)}` : props.spec.otherwise, [
    {
      id: '=last',
      words: props.spec.otherwise,
      chosen: typeof now !== 'string',
      act: () => set(props, props.spec.key, null),
    },
    ...steps.map((s, i) => ({
      id: s.id,
      words: `step ${String(i + 1)}, ${words(s)}`,
      chosen: s.id === now,
      act: () => set(props, props.spec.key, s.id),
    })),
  ])
}

function FinishChoice(props: Props & { spec: ValueView }) {
  const bench = useSession((s) => s.bench)
  const now = props.step.values?.[props.spec.key]
  return chip(props, typeof now === 'string' ? now : 'of the faces beside them', [
    {
      id: '=none',
      words: 'of the faces beside them',
      chosen: typeof now !== 'string',
      act: () => set(props, props.spec.key, null),
    },
    ...(bench?.document.finishes ?? []).map((f) => ({
      id: f.name,
      words: f.name,
      chosen: f.name === now,
      act: () => set(props, props.spec.key, f.name),
    })),
  ])
}

/** Further picks of a step, each with a width of its own. */
function Further(props: Props & { spec: ValueView }) {
  const { step, spec, view } = props
  const rows = furtherOf(step)
  const keep = (now: unknown[]) => set(props, spec.key, now.length ? now : null)
  const width = view?.used['width']
  const added = {
    pick: { rule: 'by_hand', elements: [] },
    width: globalThis.Number((typeof width === 'number' ? width * 2 : 1).toPrecision(2)),
  }
  return (
    <span data-testid={`further-${props.part.id}/${step.id}`}>
      {rows.map((_, i) => (
        <span key={i}>
          <PickChip
            part={props.part.id}
            step={step}
            view={view}
            spec={{ ...spec, key: `${spec.key}.${String(i)}` }}
          />{' '}
          by <Number {...props} suffix={`/${String(i)}`} />
          <button
            className="plain muted drop"
            title="Take this pick out"
            aria-label={`Take further pick ${String(i + 1)} out`}
            data-testid={`further-remove-${String(i)}`}
            onClick={() => {
              closePick()
              keep(rows.filter((_row, k) => k !== i))
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
          edit(setting(props, spec.key, [...rows, added]))
            .then(() => openPick(props.part.id, step.id, `${spec.key}.${String(rows.length)}`))
            .catch(() => undefined)
        }}
      >
        {rows.length ? 'another' : 'none, add one'}
      </button>
    </span>
  )
}

function FileChoice(props: Props & { spec: ValueView }) {
  const id = useSession((s) => s.id)
  const now = props.step.values?.[props.spec.key]
  const other = () =>
    chooseFile((name, file) => {
      if (!id) return
      api
        .upload(id, name, file)
        .then((held) => set(props, props.spec.key, held.file))
        .catch((e: unknown) => say(e instanceof Error ? e.message : String(e), 'error'))
    })
  return (
    <button className="plain chip choice" title="Choose another file" onClick={other}>
      {typeof now === 'string' ? now : 'a file'}
    </button>
  )
}

function InsteadOf(props: Props & { spec: ValueView; other: ValueView }) {
  const { spec, other, view } = props
  const words = (v: ValueView) =>
    v.unit ? `${v.key} in ${v.unit === '°' ? 'degrees' : v.unit}` : v.key
  const swap = () => {
    const now = view?.used[spec.key] ?? props.step.values?.[spec.key]
    set(props, other.key, start(spec.key, typeof now === 'number' ? now : 45, view))
  }
  return (
    <button
      className="plain muted"
      style={{ fontSize: 13, margin: '0 2px' }}
      title={`Give its ${words(other)} instead`}
      data-testid={`instead-${other.key}`}
      onClick={swap}
    >
      {' '}
      ⇄
    </button>
  )
}

/** The number that says the same in the other way, where it is known: a turn over a length, or its lead. */
function start(key: string, now: number, view: StepView | undefined): number {
  const from = view?.used['from']
  const to = view?.used['to']
  const span = typeof from === 'number' && typeof to === 'number' ? to - from : 100
  const value = now === 0 ? 0 : (360 * span) / now
  return key === 'turn' || key === 'lead' ? globalThis.Number(value.toPrecision(6)) : now
}
