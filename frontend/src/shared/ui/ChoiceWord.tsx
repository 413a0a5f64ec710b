import { WordMenu } from './Menu'

/** A word that opens a list of what could stand there instead. */
export function ChoiceWord<T extends string>(props: {
  label: string
  now: T
  choices: readonly (readonly [T, string])[]
  choose: (value: T) => void
  testId?: string
}) {
  const { choices, now } = props
  return (
    <WordMenu
      trigger={
        <button
          className="plain chip choice"
          aria-label={`${props.label}: ${choices.find(([v]) => v === now)?.[1] ?? now}`}
          data-testid={props.testId}
        >
          {choices.find(([v]) => v === now)?.[1] ?? now}
        </button>
      }
      entries={choices.map(([value, words]) => ({
        id: value,
        words,
        chosen: value === now,
        act: () => props.choose(value),
      }))}
    />
  )
}
