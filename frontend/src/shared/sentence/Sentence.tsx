import { memo } from 'react'
import type { OperatorView, Part, Step, StepView, ValueView } from '../api/client'
import { KINDS } from '../kinds'
import { isRelevant, valueSpec } from '../operators'
import { doEdit } from '../session'
import { useTarget } from '../shown'
import { NumberChip } from '../ui/NumberChip'
import { PlayButton } from './PlayButton'

interface Props {
  op: OperatorView
  part: Part
  step: Step
  view: StepView | undefined
}

/** The pieces of a sentence; what stands in brackets goes while a value in them does not count. */
export function relevantPieces(template: string, step: Step): string[] {
  const keys = (text: string) =>
    [...text.matchAll(/{([^}]+)}/g)].flatMap((m) => m[1]?.split('|') ?? [])
  const counts = (key: string) => {
    const spec = valueSpec(step.operator, key)
    return !spec || isRelevant(spec, step)
  }
  return template
    .split(/(\[[^\]]*\])/)
    .filter((t) => !t.startsWith('[') || keys(t).every(counts))
    .map((t) => (t.startsWith('[') ? t.slice(1, -1) : t))
    .join('')
    .split(/({[^}]+})/)
    .filter(Boolean)
}

/** A sentence with its values as chips. `{key}` stands for a value, `{a|b}` for whichever of two is given. */
export const Sentence = memo(function Sentence(
  props: Props & { template: string; quiet?: boolean },
) {
  const pieces = relevantPieces(props.template, props.step)
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
})

function Value(props: Props & { keys: string[]; first: boolean }) {
  const { op, step, keys } = props
  const given =
    keys.find((k) => step.values?.[k] !== undefined && step.values[k] !== null) ?? keys[0] ?? ''
  const spec = op.values.find((v) => v.key === given)
  if (!spec) return <span>{given}</span>
  const other = op.values.find((v) => v.key === spec.instead_of)
  const Chip = KINDS[spec.kind].chip
  const number = (below: string, plain = false) => (
    <Number {...props} address={`${spec.key}${below}`} plain={plain} />
  )
  return (
    <>
      {/* of two it is said which is given, unless it is the one that the sentence is made for */}
      {other &&
        (other.unit === spec.unit || given !== keys[0]) &&
        `${spec.key.replaceAll('_', ' ')} `}
      <Chip {...props} spec={spec} number={number} />
      {spec.plays && <PlayButton part={props.part} step={step} spec={spec} />}
      {other && <InsteadOf {...props} spec={spec} other={other} />}
    </>
  )
}

function Number(props: Props & { address: string; plain: boolean }) {
  const target = useTarget(`${props.part.id}/${props.step.id}/values/${props.address}`)
  if (!target) return <span>?</span>
  return <NumberChip target={target} plain={props.plain} />
}

function InsteadOf(props: Props & { spec: ValueView; other: ValueView }) {
  const { spec, other, view } = props
  const words = (v: ValueView) =>
    v.unit ? `${v.key} in ${v.unit === '°' ? 'degrees' : v.unit}` : v.key
  const swap = () => {
    const now = view?.used[spec.key] ?? props.step.values?.[spec.key]
    const same = view?.facts[other.key]
    const value =
      typeof same === 'number'
        ? globalThis.Number(same.toPrecision(6))
        : start(spec.key, typeof now === 'number' ? now : 45, view)
    doEdit({ kind: 'set_value', part: props.part.id, step: props.step.id, key: other.key, value })
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
  const from = view?.facts['from']
  const to = view?.facts['to']
  const span = typeof from === 'number' && typeof to === 'number' ? to - from : 100
  const value = now === 0 ? 0 : (360 * span) / now
  return key === 'turn' || key === 'lead' ? globalThis.Number(value.toPrecision(6)) : now
}
