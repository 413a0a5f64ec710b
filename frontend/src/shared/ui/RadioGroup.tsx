import { RadioGroup as Control } from '@chakra-ui/react'

/** One of a few, all of them to be seen, each with a word about it. */
export function RadioGroup<T extends string>(props: {
  label: string
  value: T
  change: (value: T) => void
  options: readonly { value: T; words: string; note?: string }[]
  /** each choice is `<testId>-<value>` */
  testId?: string
}) {
  return (
    <Control.Root
      size="md"
      value={props.value}
      onValueChange={(e) => {
        const option = props.options.find((o) => o.value === e.value)
        if (option) props.change(option.value)
      }}
    >
      <Control.Label fontWeight="600">{props.label}</Control.Label>
      {props.options.map((o) => (
        <Control.Item
          key={o.value}
          value={o.value}
          data-testid={props.testId && `${props.testId}-${o.value}`}
        >
          <Control.ItemHiddenInput />
          <Control.ItemIndicator />
          <Control.ItemText>
            {o.words} {o.note && <span className="muted">{o.note}</span>}
          </Control.ItemText>
        </Control.Item>
      ))}
    </Control.Root>
  )
}
