import { Field as Control, Input } from '@chakra-ui/react'
import type { InputProps } from '@chakra-ui/react'

/**
 * A line to write on. What is wrong with what stands there is said under it and read out; keys
 * typed here are no shortcuts.
 */
export function Field(
  props: Omit<InputProps, 'onChange' | 'size' | 'variant'> & {
    /** what is asked for; the label is read out only, where the sentence around it says it */
    label: string
    labelShown?: boolean
    value: string
    change: (text: string) => void
    keep?: () => void
    leave?: () => void
    wrong?: string | null
    help?: string
    testId?: string
  },
) {
  const { label, labelShown, change, keep, leave, wrong, help, testId, ...rest } = props
  return (
    <Control.Root invalid={!!wrong} width={rest.width ?? 'auto'} display="inline-flex">
      {labelShown && <Control.Label>{label}</Control.Label>}
      <Input
        {...rest}
        aria-label={labelShown ? undefined : label}
        data-testid={testId}
        onChange={(e) => change(e.target.value)}
        onKeyDown={(e) => {
          e.stopPropagation()
          if (e.key === 'Enter' && keep) {
            e.preventDefault()
            keep()
          }
          if (e.key === 'Escape') leave?.()
        }}
      />
      {help && !wrong && <Control.HelperText>{help}</Control.HelperText>}
      {wrong && (
        <Control.ErrorText role="alert" data-testid={testId && `${testId}-wrong`}>
          {wrong}
        </Control.ErrorText>
      )}
    </Control.Root>
  )
}
