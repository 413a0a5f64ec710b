import type { Edit } from './api/client'
import { niceStep } from './format'

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
  /** how many of the file's own units (mm, degrees) one of its unit is, where it is written in another one */
  per?: number
  /** as it is written where that is a fraction: `3/64 in` */
  fraction?: string
  /** the edit that gives it another number or formula, or null to take it back to its default */
  edit: (value: number | string | null) => Edit
}

const NUMBER = String.raw`(?:\d+(?:[.,]\d*)?|\.\d+)(?:e[+-]?\d+)?`
const FRACTION = String.raw`(?:\d+\s+)?\d+\/\d+`
const ONE = `(?:${FRACTION}|${NUMBER})`
const LITERAL = new RegExp(
  String.raw`^[+-]?(?:${ONE}\s*(mm|cm|m|in|ft|deg|rad|%|["″”'′’])?|${ONE}\s*(?:ft|['′’])\s*${ONE}\s*(?:in|["″”]))$`,
  'i',
)
const MARKS: Record<string, string> = {
  '"': 'in',
  '″': 'in',
  '”': 'in',
  "'": 'ft',
  '′': 'ft',
  '’': 'ft',
}
const UNITS: Record<string, { of: string; per: number }> = {
  cm: { of: 'mm', per: 10 },
  m: { of: 'mm', per: 1000 },
  in: { of: 'mm', per: 25.4 },
  ft: { of: 'mm', per: 304.8 },
  rad: { of: '°', per: 180 / Math.PI },
}

/** A number that is written in a unit of its own is shown, dragged and typed over in that unit. */
export function inItsUnit(t: NumberTarget): NumberTarget {
  if (typeof t.raw !== 'string') return t
  const found = LITERAL.exec(t.raw.trim())?.[1]?.toLowerCase() ?? ''
  const unit = MARKS[found] ?? found
  const known = UNITS[unit]
  if (known?.of !== t.unit) return t
  const { per } = known
  const whole = (x: number) => Number((x / per).toPrecision(12))
  return {
    ...t,
    unit,
    per,
    ...(t.raw.includes('/') && { fraction: t.raw.trim() }),
    value: t.value === null ? null : whole(t.value),
    least: t.least / per,
    most: t.most / per,
    step: niceStep((t.step / per) * 500),
    edit: (v) => t.edit(typeof v === 'number' ? `${v} ${unit}` : v),
  }
}

/** The value of a number in the file's own unit. */
export const inFile = (t: NumberTarget) => (t.value === null ? null : t.value * (t.per ?? 1))

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
