import { Editable } from '@chakra-ui/react'
import { useState } from 'react'

/**
 * A name that is changed where it stands: a click opens it, or it comes open (`opened`, where a
 * menu asked for it and takes it away again on `close`); Enter or leaving it keeps, Escape puts
 * back. An empty name is kept only where a thing may have none.
 */
export function EditableName(props: {
  name: string
  /** what it is the name of, for who can't see where it stands */
  label: string
  keep: (name: string) => void
  opened?: boolean
  close?: () => void
  mayBeEmpty?: boolean
  className?: string
  testId?: string
}) {
  const [draft, setDraft] = useState<string | null>(null)
  return (
    <Editable.Root
      size="md"
      className={props.className}
      value={draft ?? props.name}
      onValueChange={(e) => setDraft(e.value)}
      activationMode="click"
      // Chakra commits a name whose editing is controlled only once it has gone from the page
      defaultEdit={props.opened ?? false}
      submitMode="both"
      selectOnFocus
      maxLength={200}
      onEditChange={(e) => {
        if (!e.edit) props.close?.()
      }}
      onValueRevert={() => setDraft(null)}
      onValueCommit={(e) => {
        const name = e.value.trim()
        setDraft(null)
        if (name !== props.name && (name || props.mayBeEmpty)) props.keep(name)
      }}
    >
      <Editable.Preview
        data-testid={props.testId}
        aria-label={`${props.name || 'No name'}: ${props.label}`}
        title="Rename"
      >
        {props.name}
      </Editable.Preview>
      <Editable.Input
        aria-label={props.label}
        data-testid={props.testId && `${props.testId}-field`}
        onKeyDown={(e) => e.stopPropagation()}
      />
    </Editable.Root>
  )
}
