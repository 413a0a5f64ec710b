import { Combobox as Control, Portal, createListCollection } from '@chakra-ui/react'
import { useMemo } from 'react'
import type { Ref } from 'react'
import { EmptyState } from './EmptyState'

export interface Option {
  id: string
  words: string
  note: string
  /** the heading it stands under; none for a list in one piece */
  chapter: string
  /** address of a small drawing */
  drawing: string | null
}

/**
 * A field with a list under it, which is narrowed by what is typed. What is typed takes the first
 * that fits; with nothing typed Enter takes only what was pointed at, with nothing found nothing.
 */
export function Combobox<T extends Option>(props: {
  label: string
  placeholder: string
  text: string
  change: (text: string) => void
  open: boolean
  setOpen: (open: boolean) => void
  options: readonly T[]
  choose: (option: T) => void
  leave: () => void
  nothing: string
  field?: Ref<HTMLInputElement>
  /** the list is `<testId>-list`, an option `<testId>-<id>` */
  testId: string
}) {
  const { options } = props
  const collection = useMemo(
    () =>
      createListCollection({
        items: [...options],
        itemToValue: (o) => o.id,
        itemToString: (o) => o.words,
      }),
    [options],
  )
  const chapters = [...new Set(options.map((o) => o.chapter))]
  return (
    <Control.Root
      size="md"
      variant="flushed"
      collection={collection}
      value={[]}
      selectionBehavior="clear"
      inputBehavior={props.text.trim() ? 'autohighlight' : 'none'}
      inputValue={props.text}
      onInputValueChange={(e) => {
        if (e.reason === 'input-change') props.change(e.inputValue)
      }}
      open={props.open}
      onOpenChange={(e) => props.setOpen(e.open)}
      onValueChange={(e) => {
        const option = options.find((o) => o.id === e.value[0])
        if (option) props.choose(option)
      }}
      openOnClick
      lazyMount
      unmountOnExit
      loopFocus={false}
      positioning={{ placement: 'bottom-start', sameWidth: false }}
      onKeyDown={(e) => {
        e.stopPropagation()
        if (e.key === 'Escape') props.leave()
      }}
    >
      <Control.Control>
        <Control.Input
          ref={props.field}
          aria-label={props.label}
          placeholder={props.placeholder}
          data-testid={props.testId}
          onFocus={() => props.setOpen(true)}
        />
      </Control.Control>
      <Portal>
        <Control.Positioner>
          <Control.Content data-testid={`${props.testId}-list`}>
            <Control.Empty>
              <EmptyState words={props.nothing} testId={`${props.testId}-nothing`} />
            </Control.Empty>
            {chapters.map((chapter) => (
              <Control.ItemGroup key={chapter}>
                {chapter && <Control.ItemGroupLabel>{chapter}</Control.ItemGroupLabel>}
                {options
                  .filter((o) => o.chapter === chapter)
                  .map((o) => (
                    <Control.Item key={o.id} item={o} data-testid={`${props.testId}-${o.id}`}>
                      <span className="ink">
                        {o.drawing && <img src={o.drawing} alt="" loading="lazy" />}
                      </span>
                      <span>
                        <b>{o.words}</b>
                        <span className="note">{o.note}</span>
                      </span>
                    </Control.Item>
                  ))}
              </Control.ItemGroup>
            ))}
          </Control.Content>
        </Control.Positioner>
      </Portal>
    </Control.Root>
  )
}
