import { Toaster, Toast, createToaster } from '@chakra-ui/react'
import { useEffect } from 'react'
import { onMessage } from '../session'

const toaster = createToaster({ placement: 'bottom-start', pauseOnPageIdle: true, max: 4 })

/** Short messages at the lower left; errors stay until they are read. */
export function Messages() {
  useEffect(() => {
    onMessage((text, kind) => {
      toaster.create({
        description: text,
        type: kind,
        duration: kind === 'error' ? 12_000 : 4000,
        closable: true,
      })
    })
  }, [])
  return (
    <Toaster toaster={toaster}>
      {(toast) => (
        <Toast.Root
          data-testid="message"
          bg="bg.panel"
          color="fg"
          borderWidth="1px"
          borderColor={toast.type === 'error' ? 'var(--red)' : 'border.emphasized'}
          width="340px"
        >
          <Toast.Description>{toast.description}</Toast.Description>
          <Toast.CloseTrigger color="fg" />
        </Toast.Root>
      )}
    </Toaster>
  )
}
