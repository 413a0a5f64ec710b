import { CloseButton, Dialog, Portal } from '@chakra-ui/react'
import type { ReactNode } from 'react'

/** A dialog on a ruled sheet. */
export function Sheet(props: {
  open: boolean
  close: () => void
  title: string
  children: ReactNode
  testId?: string
  wide?: boolean
}) {
  return (
    <Dialog.Root
      open={props.open}
      onOpenChange={(e) => {
        if (!e.open) props.close()
      }}
      lazyMount
      unmountOnExit
    >
      <Portal>
        <Dialog.Backdrop bg="blackAlpha.500" />
        <Dialog.Positioner>
          <Dialog.Content
            bg="bg.panel"
            maxW={props.wide ? 'min(860px, 94vw)' : undefined}
            color="fg"
            borderWidth="1px"
            borderColor="border.emphasized"
            data-testid={props.testId}
          >
            <Dialog.Header>
              <Dialog.Title fontFamily="heading">{props.title}</Dialog.Title>
            </Dialog.Header>
            <Dialog.Body pb="6" maxH={props.wide ? '82vh' : '65vh'} overflow="auto">
              {props.children}
            </Dialog.Body>
            <Dialog.CloseTrigger asChild>
              <CloseButton size="sm" />
            </Dialog.CloseTrigger>
          </Dialog.Content>
        </Dialog.Positioner>
      </Portal>
    </Dialog.Root>
  )
}
