import type { BenchView, Edit } from './api/client'
import { differenceInWords } from './differences'
import { namedIn } from './operators'
import { lengthsOf } from './units'

type Parts = NonNullable<BenchView['document']['parts']>

/** What an edit is about: what it did is told beside this. */
export interface Target {
  part: string
  step: string | null
}

/** What a change did to a part, in words, shown for a while beside the number that made it. */
export interface Change extends Target {
  text: string
  before: string | null
}

/** The step that an edit changes, or the first that takes the curve it changes; null of anything else. */
export function targetOf(parts: Parts, e: Edit): Target | null {
  if ('step' in e && 'part' in e) return { part: e.part, step: e.step }
  if ('curve' in e && typeof e.curve === 'string') {
    const curve = e.curve
    for (const p of parts)
      for (const s of p.recipe)
        if (namedIn(s, 'curve').includes(curve)) return { part: p.id, step: s.id }
  }
  return null
}

/** What became of a part between two states of a bench; null where it is not in both. */
export function describe(before: BenchView, after: BenchView, target: Target): Change | null {
  const a = before.parts.find((p) => p.part === target.part)
  const b = after.parts.find((p) => p.part === target.part)
  if (!a || !b) return null
  const text = differenceInWords(a, b, lengthsOf(after.document.shown))
  return { part: target.part, step: target.step, text, before: a.mesh }
}

/** Parts, by id, and the live copies of them, which change with them: those that follow others, by their id or their name. */
export function withFollowers(parts: Parts, ids: readonly string[]): string[] {
  const out = [...ids]
  for (const id of out) {
    const name = parts.find((p) => p.id === id)?.name
    for (const p of parts)
      if (
        !out.includes(p.id) &&
        p.recipe.some((s) => namedIn(s, 'part').some((n) => n === id || n === name))
      )
        out.push(p.id)
  }
  return out
}
