import { Checkbox as Control } from '@chakra-ui/react'
import type { ReactNode } from 'react'

export function Checkbox(props: {
  checked: boolean
  change: (on: boolean) => void
  children: ReactNode
  disabled?: boolean
  testId?: string
}) {
  return (
    <Control.Root
      size="md"
      checked={props.checked}
      disabled={props.disabled ?? false}
      onCheckedChange={(e) => props.change(e.checked === true)}
      data-testid={props.testId}
    >
      <Control.HiddenInput />
      <Control.Control />
      <Control.Label>{props.children}</Control.Label>
    </Control.Root>
  )
}
