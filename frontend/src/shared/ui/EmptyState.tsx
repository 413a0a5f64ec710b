import { EmptyState as Control } from '@chakra-ui/react'
import type { ReactNode } from 'react'

/** What stands where nothing is yet: why it is empty, and what would fill it. */
export function EmptyState(props: { words: string; children?: ReactNode; testId?: string }) {
  return (
    <Control.Root size="md" data-testid={props.testId}>
      <Control.Content>
        <Control.Description>{props.words}</Control.Description>
        {props.children}
      </Control.Content>
    </Control.Root>
  )
}
