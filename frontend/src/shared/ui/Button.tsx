import { Button as Control } from '@chakra-ui/react'
import type { ButtonProps } from '@chakra-ui/react'

/** What the button is in its place: words alone, words in a sentence, a box, the box to take first. */
export type Tone = 'word' | 'link' | 'boxed' | 'first'

const VARIANT = { word: 'plain', link: 'ghost', boxed: 'outline', first: 'solid' } as const

export function Button({
  tone = 'boxed',
  ...rest
}: Omit<ButtonProps, 'variant' | 'size'> & { tone?: Tone }) {
  return <Control variant={VARIANT[tone]} size="md" {...rest} />
}
