import { replaceEqualDeep } from '@tanstack/react-query'
import { useMemo, useRef } from 'react'
import type { RefObject } from 'react'
import type { PartView } from './api/client'
import type { NumberTarget } from './number'
import { shownParts, useSession } from './session'
import { numberAt } from './targets'
import { lengthsOf } from './units'
import type { Lengths } from './units'

/*
 * While a number is dragged the bench comes anew with every picture. What is read from it here is
 * the same object as before where it says the same, so that only what changed is rendered.
 */

/** Something of the session; the same object as before for as long as it says the same. */
export function useSame<T>(select: (s: ReturnType<typeof useSession.getState>) => T): T {
  const last = useRef<T | undefined>(undefined)
  return useSession((s) => (last.current = replaceEqualDeep<T>(last.current, select(s))))
}

/** How the bench shows lengths. */
export function useLengths(): Lengths {
  return useSession((s) => lengthsOf((s.preview ?? s.bench)?.document.shown))
}

/** The view of a part as it is shown. */
export function shownPart(
  s: ReturnType<typeof useSession.getState>,
  part: string | null,
): PartView | undefined {
  return (
    s.preview?.parts.find((p) => p.part === part) ?? s.bench?.parts.find((p) => p.part === part)
  )
}

/**
 * Whether what is told of a part (of any, where none is named) is of before the last change: the
 * edit is on its way, or its body is being worked out.
 */
export function isStale(s: ReturnType<typeof useSession.getState>, part: string | null): boolean {
  if (s.waiting > 0) return true
  const coming = s.bench?.waiting ?? []
  return part === null ? coming.length > 0 : coming.includes(part)
}

/** The number at an address as it is shown, or null when it is not there. */
export function useTarget(address: string): NumberTarget | null {
  const newest = useRef<NumberTarget | null>(null)
  const told = useSame((s) => {
    const bench = s.preview ?? s.bench
    const t = bench ? numberAt(bench, shownParts(s), address) : null
    newest.current = t ?? newest.current
    return t && withoutEdit(t)
  })
  return useMade(told, newest)
}

function withoutEdit(t: NumberTarget): Omit<NumberTarget, 'edit'> {
  const out: Partial<NumberTarget> = { ...t }
  delete out.edit
  return out as Omit<NumberTarget, 'edit'>
}

/**
 * The edit is made from the bench as it stands then: a chip is not rendered again for each change of
 * it. Of a number that went while it was held it is the edit it had: the server says what is wrong.
 */
function useMade(
  told: Omit<NumberTarget, 'edit'> | null,
  newest: RefObject<NumberTarget | null>,
): NumberTarget | null {
  return useMemo(
    () =>
      told && {
        ...told,
        edit: (value) => {
          const { bench } = useSession.getState()
          const now = (bench && numberAt(bench, bench.parts, told.address)) ?? newest.current
          if (!now) throw new Error('This number is not there any more.')
          return now.edit(value)
        },
      },
    [told, newest],
  )
}
