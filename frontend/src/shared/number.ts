import type { Edit } from './api/client'

export const LIMIT = 1e9

/** A number of the bench that can be dragged and typed, wherever it is shown. */
export interface NumberTarget {
  /** `p1/s2/values/turn`, `p1/s1/values/size/0`, `curves/c1/p3/fillet`, `curves/c1/p3/at/1`, `dimensions/flutes` */
  address: string
  words: string
  /** worked out; null when its formula can't be */
  value: number | null
  /** as it stands in the file; null when it is left out and chosen by itself */
  raw: number | string | null
  unit: string
  whole: boolean
  least: number
  most: number
  /** what one arrow key changes */
  step: number
  /** the part to work out while dragging, null for all */
  part: string | null
  /** the edit that gives it another number or formula, or null to take it back to its default */
  edit: (value: number | string | null) => Edit
}

const LITERAL = /^[+-]?(\d+\.?\d*|\.\d+)(e[+-]?\d+)?\s*(mm|cm|m|in|deg|rad|%)?$/i

/** Whether a number stands in the file as a formula: more than digits and perhaps a unit. */
export function isFormula(raw: number | string | null): raw is string {
  return typeof raw === 'string' && !LITERAL.test(raw.trim())
}

/** The number before a per cent sign; null where there is none. */
export function perCent(text: unknown): number | null {
  if (typeof text !== 'string' || !text.trim().endsWith('%')) return null
  const n = Number(text.trim().slice(0, -1))
  return Number.isFinite(n) ? n : null
}
