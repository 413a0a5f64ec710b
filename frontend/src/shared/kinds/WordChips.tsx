import { drawNew } from '../adding'
import { doEdit } from '../session'
import { curveAskedFor } from '../startingCurves'
import type { ChipProps } from './at'
import { choices, setting } from './chip'

export function ChoiceChip(props: ChipProps) {
  const { spec, step } = props
  const now = step.values?.[spec.key] ?? spec.default
  const words = spec.choices.find((c) => c.value === now)?.words ?? String(now)
  const shown = props.first ? words.charAt(0).toUpperCase() + words.slice(1) : words
  return choices(
    props,
    shown,
    spec.choices.map((c) => ({
      id: String(c.value),
      words: c.words,
      chosen: c.value === now,
      act: () => {
        const asked = curveAskedFor(step, spec.key, c.value)
        if (asked) drawNew(props.part.id, step.id, asked, { [spec.key]: c.value })
        else doEdit(setting(props, c.value))
      },
    })),
  )
}

export function SwitchChip(props: ChipProps) {
  const { spec, step } = props
  const now = (step.values?.[spec.key] ?? spec.default) as boolean
  return (
    <button
      className="plain chip choice"
      title={spec.description}
      onClick={() => doEdit(setting(props, !now))}
    >
      {spec.choices.find((c) => c.value === now)?.words}
    </button>
  )
}

export function AxisChip(props: ChipProps) {
  const { spec, step, view } = props
  const now = step.values?.[spec.key] ?? spec.default
  const lies = view?.facts[spec.key]
  const words =
    typeof now === 'string'
      ? now === 'longest'
        ? `the longest axis${typeof lies === 'string' ? `, ${lies.toUpperCase()}` : ''}`
        : now.toUpperCase()
      : 'an axis of its own'
  const axes: [string, string][] = [
    ['longest', 'the longest'],
    ['x', 'X'],
    ['y', 'Y'],
    ['z', 'Z'],
  ]
  return choices(
    props,
    words,
    axes.map(([id, text]) => ({
      id,
      words: text,
      chosen: now === id,
      act: () => doEdit(setting(props, id)),
    })),
  )
}
