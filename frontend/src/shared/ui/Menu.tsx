import { Menu, Portal } from '@chakra-ui/react'
import type { ReactElement } from 'react'

export interface MenuEntry {
  id: string
  words: string
  note?: string
  chosen?: boolean
  disabled?: boolean
  act: () => void
}

/** A plain menu of sentences. */
export function WordMenu(props: {
  trigger: ReactElement
  entries: readonly MenuEntry[]
  testId?: string
}) {
  return (
    <Menu.Root onSelect={(e) => props.entries.find((x) => x.id === e.value)?.act()}>
      <Menu.Trigger asChild>{props.trigger}</Menu.Trigger>
      <Portal>
        <Menu.Positioner>
          <Menu.Content
            borderWidth="1px"
            borderColor="border.emphasized"
            bg="bg.panel"
            data-testid={props.testId}
            minW="180px"
          >
            {props.entries.map((e) => (
              <Menu.Item
                key={e.id}
                value={e.id}
                disabled={e.disabled ?? false}
                color="fg"
                _highlighted={{ bg: 'bg.muted' }}
              >
                <span style={{ fontWeight: e.chosen ? 600 : 400 }}>
                  {e.words}
                  {e.note && <span className="muted"> {e.note}</span>}
                </span>
              </Menu.Item>
            ))}
          </Menu.Content>
        </Menu.Positioner>
      </Portal>
    </Menu.Root>
  )
}
