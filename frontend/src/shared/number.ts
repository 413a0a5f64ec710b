import type { Edit } from './api/client'
import { niceStep } from './format'
import { FRACTION, LENGTHS, NUMBER, inFileAs, lengthsOf, unitNamed, withDecimals } from './units'
import type { Lengths } from './units'

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
  /** whether that unit is its own and not the bench's */
  own?: boolean
  /** places after the point that are shown; left out for as many as are needed */
  decimals?: number
  /** as it is written where that is a fraction: `3/64 in` */
  fraction?: string
  /** the edit that gives it another number or formula, or null to take it back to its default */
  edit: (value: number | string | null) => Edit
}

const ONE = `(?:${FRACTION}|${NUMBER})`
const LITERAL = new RegExp(
  String.raw`^[+-]?(?:${ONE}\s*(mm|cm|m|in|ft|deg|rad|%|["″”'′’])?|${ONE}\s*(?:ft|['′’])\s*${ONE}\s*(?:in|["″”]))$`,
  'i',
)
const UNITS: Record<string, { of: string; per: number }> = {
  ...Object.fromEntries(
    ['cm', 'm', 'in', 'ft'].map((unit) => [unit, { of: 'mm', per: LENGTHS[unit] ?? 1 }]),
  ),
  rad: { of: '°', per: 180 / Math.PI },
}

/** The unit that a number is written with; empty where it has none, or is a formula. */
function unitOf(raw: string): string {
  return unitNamed(LITERAL.exec(raw.trim())?.[1] ?? '')
}

/**
 * A number as it is shown, dragged and typed over: in the unit that it is written with, where it has
 * one of its own; else a length in the unit of the bench.
 */
export function inItsUnit(t: NumberTarget, lengths: Lengths = lengthsOf(null)): NumberTarget {
  if (typeof t.raw !== 'string') return inTheBenchs(t, lengths)
  const unit = unitOf(t.raw)
  if (unit === '') return inTheBenchs(t, lengths)
  // written in mm where the bench shows another unit: that stands beside it
  if (unit === 'mm' && t.unit === 'mm' && lengths.per !== 1)
    return { ...t, own: true, edit: (v) => t.edit(typeof v === 'number' ? `${v} mm` : v) }
  const known = UNITS[unit]
  if (known?.of !== t.unit) return t
  const { per } = known
  return {
    ...t,
    unit,
    per,
    own: true,
    ...(t.raw.includes('/') && { fraction: t.raw.trim() }),
    ...scaled(t, per),
    edit: (v) => t.edit(typeof v === 'number' ? `${v} ${unit}` : v),
  }
}

function scaled(t: NumberTarget, per: number) {
  return {
    value: t.value === null ? null : inUnits(t.value, per),
    least: t.least / per,
    most: t.most / per,
    step: niceStep((t.step / per) * 500),
  }
}

const inUnits = (x: number, per: number) => Number((x / per).toPrecision(12))

function inTheBenchs(t: NumberTarget, l: Lengths): NumberTarget {
  if (t.unit !== 'mm') return t
  if (l.per === 1 && l.decimals === null) return t
  const decimals = l.decimals === null ? {} : { decimals: l.decimals }
  if (l.per === 1) return { ...t, ...decimals }
  return {
    ...t,
    ...decimals,
    ...scaled(t, l.per),
    raw: typeof t.raw === 'number' ? inUnits(t.raw, l.per) : t.raw,
    unit: l.unit,
    per: l.per,
    edit: (v) => t.edit(inFileAs(v, l)),
  }
}

/** A number's figure: with the decimals that it is shown with, else with at most so many digits. */
export function figureOf(t: NumberTarget, digits = 6): string {
  return t.value === null ? '?' : withDecimals(t.value, t.decimals ?? null, digits)
}

/** A length of mm as it is written over one that stands in the file: with the unit that this has of its own. */
export function inUnitOf(raw: number | string | null, mm: number): number | string {
  if (typeof raw !== 'string') return mm
  const unit = unitOf(raw)
  const known = UNITS[unit]
  return known?.of === 'mm' ? `${inUnits(mm, known.per)} ${unit}` : mm
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
