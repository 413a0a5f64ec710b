import { NativeSelect } from '@chakra-ui/react'

/** One of a few words; the browser's own list, so that keys and screen readers know it. */
export function Select<T extends string>(props: {
  label: string
  value: T
  change: (value: T) => void
  options: readonly { value: T; words: string; disabled?: boolean }[]
  disabled?: boolean
  testId?: string
}) {
  return (
    <NativeSelect.Root size="md" variant="outline" disabled={props.disabled ?? false}>
      <NativeSelect.Field
        aria-label={props.label}
        data-testid={props.testId}
        value={props.value}
        onChange={(e) => {
          const option = props.options.find((o) => o.value === e.target.value)
          if (option) props.change(option.value)
        }}
        onKeyDown={(e) => e.stopPropagation()}
      >
        {props.options.map((o) => (
          <option key={o.value} value={o.value} disabled={o.disabled}>
            {o.words}
          </option>
        ))}
      </NativeSelect.Field>
      <NativeSelect.Indicator />
    </NativeSelect.Root>
  )
}
