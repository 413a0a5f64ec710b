import type { Schemas } from './api/client'
import { figure, minus, niceStep, withUnit, written } from './format'

/*
 * Lengths are mm in the file and on the way to the server. Here they become what the bench shows:
 * its unit, its decimals; and what is typed without a unit is read in that unit.
 */

export type LengthUnit = 'mm' | 'cm' | 'in'

/** mm in one of each */
export const PER: Record<LengthUnit, number> = { mm: 1, cm: 10, in: 25.4 }

/** Lengths as a bench shows them. */
export interface Lengths {
  unit: LengthUnit
  /** mm in one of its unit */
  per: number
  /** places after the point; null for as many as are needed */
  decimals: number | null
}

const made = new Map<string, Lengths>()

/** How a bench shows lengths; the same object for the same setting. */
export function lengthsOf(shown: Partial<Schemas['Shown']> | null | undefined): Lengths {
  const unit = shown?.unit ?? 'mm'
  const decimals = shown?.decimals ?? null
  const key = `${unit} ${String(decimals)}`
  const found = made.get(key) ?? { unit, per: PER[unit], decimals }
  made.set(key, found)
  return found
}

/** A number with so many decimals; one that they would make 0 of is shown all the same. */
export function withDecimals(x: number, decimals: number | null, digits: number): string {
  if (decimals === null || !Number.isFinite(x)) return figure(x, digits)
  const text = x.toFixed(decimals)
  return x !== 0 && Number(text) === 0 ? figure(x, 2) : minus(text)
}

/** A length of mm as a figure alone. */
export function lengthFigure(mm: number, l: Lengths, digits = 6): string {
  return withDecimals(mm / l.per, l.decimals, digits)
}

/** A length of mm with its unit. */
export function lengthText(mm: number, l: Lengths, digits = 6): string {
  return withUnit(lengthFigure(mm, l, digits), l.unit)
}

/** A change of length, with its sign and unit. */
export function lengthChange(mm: number, l: Lengths, digits = 3): string {
  return (mm > 0 ? '+' : '') + lengthText(mm, l, digits)
}

/** Coordinates, with one unit behind the last. */
export function placeText(mm: readonly number[], l: Lengths, digits = 4): string {
  return withUnit(mm.map((x) => lengthFigure(x, l, digits)).join(', '), l.unit)
}

/** An area of mm². */
export function areaText(mm2: number, l: Lengths, digits = 5): string {
  return withUnit(figure(mm2 / l.per ** 2, digits), `${l.unit}²`)
}

/** A volume of mm³: in an mm bench in mm³ or cm³, whichever reads better. */
export function volumeText(mm3: number, l: Lengths): string {
  const large = l.unit === 'mm' && Math.abs(mm3) >= 100
  const unit = large ? 'cm' : l.unit
  return withUnit(figure(mm3 / PER[unit] ** 3, 3), `${unit}³`)
}

/** A step of mm fit for something of that size, round in the unit of the bench. */
export function niceLength(mm: number, l: Lengths): number {
  return niceStep(mm / l.per) * l.per
}

/** How a number and a fraction are written, as parts of a pattern. */
export const NUMBER = String.raw`(?:\d+(?:[.,]\d*)?|\.\d+)(?:e[+-]?\d+)?`
export const FRACTION = String.raw`(?:\d+\s+)?\d+\/\d+`
/** mm in one of every unit that a length may be written in */
export const LENGTHS: Record<string, number> = { ...PER, m: 1000, ft: 304.8 }

/** The name of a unit as it is written: `"` is in, `'` is ft. */
export function unitNamed(word: string): string {
  return /^["″”]$/.test(word) ? 'in' : /^['′’]$/.test(word) ? 'ft' : word.toLowerCase()
}

const ONE = new RegExp(String.raw`^(?:(${FRACTION})|(${NUMBER}))\s*(mm|cm|m|in|ft)?$`, 'i')
const FEET = new RegExp(String.raw`^(.*?(?:ft))\s*(.*in)$`, 'i')

/** The mm of a length as it is typed: 12, 8,5, 1/8 in, 5 1/2", 2 ft 3 in; null where it is none. */
export function lengthTyped(text: string, l: Lengths): number | null {
  const clean = text
    .trim()
    .replace(/["″”'′’]/g, unitNamed)
    .replace(/−|–/g, '-')
  const both = FEET.exec(clean)
  if (both) {
    const [feet, inches] = [one(both[1] ?? '', l), one(both[2] ?? '', l)]
    return feet === null || inches === null ? null : tidied(feet + inches)
  }
  if (clean.startsWith('-')) {
    const size = one(clean.slice(1).trim(), l)
    return size === null ? null : -size
  }
  return one(clean, l)
}

function one(text: string, l: Lengths): number | null {
  const m = ONE.exec(text.trim())
  if (!m) return null
  const [, fraction, plain = '', unit] = m
  const n = fraction ? valueOf(fraction) : Number(plain.replace(',', '.'))
  const mm = n * (unit ? (LENGTHS[unit.toLowerCase()] ?? 1) : l.per)
  return Number.isFinite(mm) ? tidied(mm) : null
}

/** The value of `1/8` or `5 1/2`. */
function valueOf(fraction: string): number {
  const [under, over, whole] = fraction
    .split(/[\s/]+/)
    .map(Number)
    .reverse()
  return (whole ?? 0) + (over ?? 0) / (under ?? 1)
}

/** Without the dust of binary fractions. */
const tidied = (x: number) => Number(x.toPrecision(12))

const BARE_FRACTION = new RegExp(`^[+-]?${FRACTION}$`)

/**
 * A length that was typed, as the file holds it: a number is one of the bench's unit, and so is a
 * fraction; what has a unit of its own, or is a formula, stays as it is.
 */
export function inFileAs(value: number | string | null, l: Lengths): number | string | null {
  if (l.per === 1) return value
  if (typeof value === 'number') return tidied(value * l.per)
  return value !== null && BARE_FRACTION.test(value.trim()) ? `${value.trim()} ${l.unit}` : value
}

/** What was typed as a length, as the file holds it. */
export function writtenLength(text: string, l: Lengths): number | string | null {
  return inFileAs(written(text), l)
}
