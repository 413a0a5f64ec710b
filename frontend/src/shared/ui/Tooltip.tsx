import { Kbd, Portal, Tooltip as Control } from '@chakra-ui/react'
import type { ReactElement } from 'react'

/** What a control does and the key that does it, after a short rest of the pointer on it. */
export function Tooltip(props: { words: string; keys?: string; children: ReactElement }) {
  return (
    <Control.Root openDelay={500} closeDelay={80} positioning={{ placement: 'bottom' }}>
      <Control.Trigger asChild>{props.children}</Control.Trigger>
      <Portal>
        <Control.Positioner>
          <Control.Content>
            {props.words}
            {props.keys && (
              <Kbd size="sm" variant="outline" ml="8px" className="figures">
                {props.keys}
              </Kbd>
            )}
          </Control.Content>
        </Control.Positioner>
      </Portal>
    </Control.Root>
  )
}
