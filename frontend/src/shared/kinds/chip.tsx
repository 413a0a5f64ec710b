import type { MenuEntry } from '../ui/Menu'
import { WordMenu } from '../ui/Menu'
import type { ChipProps } from './at'

/** The edit that gives a value of a step another one; null takes it back to its default. */
export function setting(props: ChipProps, value: unknown, key = props.spec.key) {
  return { kind: 'set_value' as const, part: props.part.id, step: props.step.id, key, value }
}

/** Words that open a menu of what could be there instead. */
export function choices(props: ChipProps, words: string, entries: MenuEntry[]) {
  const address = `${props.part.id}/${props.step.id}/values/${props.spec.key}`
  return (
    <WordMenu
      entries={entries}
      testId={`choices-${address}`}
      trigger={
        // no button element: that is laid out as one box, and long words must run on over lines
        <span
          role="button"
          tabIndex={0}
          className="chip choice"
          data-testid={`chip-${address}`}
          title={props.spec.description}
        >
          {words}
        </span>
      }
    />
  )
}
