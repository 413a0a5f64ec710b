import { Link as Control } from '@chakra-ui/react'
import type { LinkProps } from '@chakra-ui/react'
import { goTo } from '../address'

/** A link. Within the application it changes the page without loading it again; a modified click
 * (another tab, another window) and a download are the browser's. */
export function Link({ href, inside, ...rest }: LinkProps & { href: string; inside?: boolean }) {
  return (
    <Control
      href={href}
      onClick={(e) => {
        if (!inside || e.button !== 0 || e.ctrlKey || e.metaKey || e.shiftKey || e.altKey) return
        e.preventDefault()
        goTo(href)
      }}
      {...rest}
    />
  )
}
