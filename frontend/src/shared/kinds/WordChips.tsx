import { drawNew } from '../adding'
import { doEdit } from '../session'
import { curveAskedFor } from '../startingCurves'
import { useView } from '../viewState'
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
  const { spec, step, part, view } = props
  const now = step.values?.[spec.key] ?? spec.default
  const lies = view?.facts[spec.key]
  const words =
    typeof now === 'string'
      ? now === 'longest'
        ? `the longest axis${typeof lies === 'string' ? `, ${lies.toUpperCase()}` : ''}`
        : now.toUpperCase()
      : 'an axis'
  const axes: [string, string][] = [
    ['longest', 'the longest'],
    ['x', 'X'],
    ['y', 'Y'],
    ['z', 'Z'],
  ]
  const menu = choices(props, words, [
    ...axes.map(([id, text]) => ({
      id,
      words: text,
      chosen: now === id,
      act: () => doEdit(setting(props, id)),
    })),
    ...(view && 'callouts' in view
      ? [
          {
            id: 'point',
            words: 'one through a point of it',
            note: 'click it in the view',
            act: () =>
              useView.getState().set({ axisPick: { part: part.id, step: step.id, key: spec.key } }),
          },
        ]
      : // of a curve nothing can be clicked in the view
        [
          {
            id: 'own',
            words: 'one by its numbers',
            note: 'a point and a direction',
            act: () => doEdit(setting(props, { point: [0, 0, 0], direction: [0, 0, 1] })),
          },
        ]),
  ])
  if (typeof now === 'string') return menu
  return (
    <>
      {menu} through <Three number={props.number} of="point" /> along{' '}
      <Three number={props.number} of="direction" />
    </>
  )
}

/** The three numbers of a point or a direction. */
function Three({ number, of }: { number: ChipProps['number']; of: string }) {
  return (
    <span style={{ whiteSpace: 'nowrap' }}>
      {[0, 1, 2].map((k) => (
        <span key={k}>
          {k > 0 && ', '}
          {number(`/${of}/${String(k)}`, true)}
        </span>
      ))}
    </span>
  )
}
