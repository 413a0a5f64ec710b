import { useEffect } from 'react'
import { create } from 'zustand'
import { Offline, api } from './api/client'
import type { ClearanceRow, Edit } from './api/client'
import { lengthText } from './units'
import type { Lengths } from './units'
import { boxGap } from './placement'
import { fail, shownParts, useSession } from './session'
import { useView } from './viewState'

interface State {
  part: string | null
  rows: readonly ClearanceRow[]
  /** the boxes alone were looked at so far */
  coarse: boolean
  failed: string | null
}

export const useClearance = create<State>(() => ({
  part: null,
  rows: [],
  coarse: false,
  failed: null,
}))

/** ms after which the hand that drags a number rests */
const RESTS = 250

let wanted: { part: string; edit: Edit | null } | null = null
let asking = false

/** The newest question counts; at most one is on its way. */
async function ask(): Promise<void> {
  if (asking) return
  asking = true
  try {
    while (wanted) {
      const { part, edit } = wanted
      wanted = null
      const { id, bench } = useSession.getState()
      if (!id || !bench) return
      try {
        const found = await api.clearance(id, { part, base: bench.revision, edit })
        useClearance.setState({ part, rows: found.rows, coarse: false, failed: null })
      } catch (e) {
        if (e instanceof Offline) fail(e) // asked again once the bench is
        useClearance.setState({
          part,
          rows: [],
          coarse: false,
          failed: e instanceof Error ? e.message : String(e),
        })
      }
    }
  } finally {
    asking = false
  }
}

/** Keep the clearances of the chosen part up to date: the boxes say at once what they are at least. */
export function useClearances(): void {
  const part = useView((s) => s.part)
  const open = useView((s) => s.side)
  const bench = useSession((s) => s.bench)
  const preview = useSession((s) => s.preview)
  useEffect(() => {
    const session = useSession.getState()
    const parts = shownParts(session)
    const me = parts.find((p) => p.part === part)
    const others = parts.filter((p) => p.part !== part && p.mesh && !p.hidden)
    if (
      !open ||
      !bench ||
      !part ||
      !me?.mesh ||
      others.length === 0 ||
      !bench.parts.some((p) => p.part === part)
    ) {
      useClearance.setState({ part, rows: [], coarse: false, failed: null })
      return
    }
    const known = useClearance.getState()
    useClearance.setState({
      part,
      coarse: true,
      rows: others
        .map((p): ClearanceRow => {
          const gap = boxGap(me, p)
          const old = known.part === part ? known.rows.find((r) => r.part === p.part) : undefined
          if (gap <= 0 && old) return { ...old, about: true }
          return {
            part: p.part,
            name: p.name,
            state: 'apart',
            distance: gap,
            depth: 0,
            depth_most: 0,
            signed: gap,
            places: [],
            about: true,
          }
        })
        .sort((a, b) => a.signed - b.signed),
    })
    const edit = session.preview ? session.previewed : null
    const now = () => {
      wanted = { part, edit }
      void ask()
    }
    // while a number is dragged the body comes first; where parts are moved it is what is watched
    const placing = edit?.kind === 'place_parts' || edit?.kind === 'add_part'
    if (!edit || placing) {
      now()
      return
    }
    const timer = window.setTimeout(now, RESTS)
    return () => clearTimeout(timer)
  }, [part, open, bench, preview])
}

/** What stands between two parts, in words. */
export function inWords(r: ClearanceRow, l: Lengths, name = ''): string {
  const depth = r.depth === null ? '' : `, ${lengthText(r.depth, l, 4)} deep`
  switch (r.state) {
    case 'apart':
      return `${r.about ? 'at least ' : ''}${lengthText(r.distance, l, 4)}`
    case 'touching':
      return `touches${name}`
    case 'crossing':
      return `crosses${name}${depth}`
    case 'inside':
      return name ? `inside or around${name}${depth}` : `inside${depth}`
  }
}
