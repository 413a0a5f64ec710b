import type { Edit, Part, PartView, Placement } from './api/client'

/** Where parts stand: turns as the bench file has them, about the fixed X, Y, Z in that order. No three.js here. */

export type Three = readonly [number, number, number]
export const SIDES = ['left', 'right', 'front', 'back', 'bottom', 'top'] as const
export type Side = (typeof SIDES)[number]
/** the step that stands for the placement in what is chosen */
export const PLACE = '=place'

const RADIAN = Math.PI / 180

/** Rows of the 3 × 3 matrix of a turn. */
export function matrixOfTurn(turn: readonly number[]): number[][] {
  const [a = 0, b = 0, c = 0] = turn.map((x) => x * RADIAN)
  const [sa, ca, sb, cb, sc, cc] = [
    Math.sin(a),
    Math.cos(a),
    Math.sin(b),
    Math.cos(b),
    Math.sin(c),
    Math.cos(c),
  ]
  return [
    [cc * cb, cc * sb * sa - sc * ca, cc * sb * ca + sc * sa],
    [sc * cb, sc * sb * sa + cc * ca, sc * sb * ca - cc * sa],
    [-sb, cb * sa, cb * ca],
  ]
}

/** The turn of a matrix whose columns are unit axes. */
export function turnOfMatrix(m: readonly (readonly number[])[]): Three {
  const at = (i: number, k: number) => m[i]?.[k] ?? 0
  const sb = Math.min(1, Math.max(-1, -at(2, 0)))
  const b = Math.asin(sb)
  const flat = Math.abs(sb) > 1 - 1e-12
  const a = flat ? 0 : Math.atan2(at(2, 1), at(2, 2))
  const c = flat
    ? Math.atan2(-at(0, 1), at(1, 1)) // X and Z turn about the same line: all of it is given to Z
    : Math.atan2(at(1, 0), at(0, 0))
  return [a, b, c].map((x) => tidy(x / RADIAN, 11)) as unknown as Three
}

export function times(a: readonly (readonly number[])[], b: readonly (readonly number[])[]) {
  return a.map((row) => [0, 1, 2].map((k) => row.reduce((s, x, i) => s + x * (b[i]?.[k] ?? 0), 0)))
}

/** The turn about an axis of the bench, degrees. */
export function aboutAxis(axis: 0 | 1 | 2, degrees: number): number[][] {
  return matrixOfTurn([0, 1, 2].map((k) => (k === axis ? degrees : 0)))
}

export function tidy(x: number, decimals = 9): number {
  const out = Number(x.toFixed(decimals))
  return Object.is(out, -0) ? 0 : out
}

/** a sum that ends in a plain number: what comes before it, the sign and the number */
const ENDS_IN_NUMBER = /^(.*[^\s+\-*/^(,<>=?:])(?<!\de)\s*([+-])\s*(\d+(?:\.\d+)?)$/i

/** A number of a placement with something added; a formula stays one, and a number at its end is added to. */
export function plus(n: number | string, by: number): number | string {
  if (by === 0) return n
  if (typeof n === 'number') return tidy(n + by)
  const found = ENDS_IN_NUMBER.exec(n.trim())
  const [head, sign, end] = found ? [found[1] ?? '', found[2], Number(found[3])] : [n, '+', 0]
  // within brackets, or behind a comparison, the number is no term of the whole
  const whole =
    !/[<>=?:]|\b(if|and|or)\b/i.test(n) && head.split('(').length === head.split(')').length
  if (!whole) return `(${n}) ${by > 0 ? '+' : '-'} ${String(tidy(Math.abs(by)))}`
  const sum = tidy((sign === '-' ? -end : end) + by)
  return sum === 0 ? head : `${head} ${sum > 0 ? '+' : '-'} ${String(Math.abs(sum))}`
}

export function placementOf(part: Part): Required<Placement> {
  const p = part.placement
  return {
    move: p?.move ?? [0, 0, 0],
    turn: p?.turn ?? [0, 0, 0],
    scale: p?.scale ?? [1, 1, 1],
    zero: p?.zero ?? [0, 0, 0],
    extents: p?.extents ?? {},
  }
}

/** A placement moved on the bench; extents that are set move along. */
export function movedBy(p: Required<Placement>, by: Three): Required<Placement> {
  const extents = Object.fromEntries(
    Object.entries(p.extents).map(([side, v]) => [
      side,
      plus(v, by[Math.floor(SIDES.indexOf(side as Side) / 2)] ?? 0),
    ]),
  )
  return { ...p, move: p.move.map((n, k) => plus(n, by[k] ?? 0)), extents }
}

/** Where the zero point of a part stands on the bench. */
export function zeroOf(view: PartView): Three {
  const m = view.matrix ?? []
  const z = view.placed?.zero ?? [0, 0, 0]
  return [0, 1, 2].map(
    (i) =>
      (m[4 * i] ?? 0) * (z[0] ?? 0) +
      (m[4 * i + 1] ?? 0) * (z[1] ?? 0) +
      (m[4 * i + 2] ?? 0) * (z[2] ?? 0) +
      (m[4 * i + 3] ?? 0),
  ) as unknown as Three
}

/** A part turned about an axis of the bench through a place. */
export function turnedAbout(
  part: Part,
  view: PartView,
  axis: 0 | 1 | 2,
  degrees: number,
  about: Three,
): Required<Placement> {
  const p = placementOf(part)
  const r = aboutAxis(axis, degrees)
  const turn = turnOfMatrix(times(r, matrixOfTurn(view.placed?.turn ?? [0, 0, 0])))
  const from = zeroOf(view).map((x, k) => x - (about[k] ?? 0))
  const to = r.map((row) => row.reduce((s, x, k) => s + x * (from[k] ?? 0), 0))
  const by = to.map((x, k) => tidy(x - (from[k] ?? 0))) as unknown as Three
  return { ...movedBy(p, by), turn: [...turn] }
}

/** Which way the own Z of a part points, by name, or null when it points elsewhere. */
export function axisName(turn: readonly number[]): string | null {
  const m = matrixOfTurn(turn)
  for (const [k, name] of ['X', 'Y', 'Z'].entries()) {
    const c = m[k]?.[2] ?? 0
    if (Math.abs(Math.abs(c) - 1) < 1e-9) return c > 0 ? name : `−${name}`
  }
  return null
}

/** The turns that let the own Z of a part point along an axis. */
export const POINTING: readonly (readonly [string, Three])[] = [
  ['Z', [0, 0, 0]],
  ['−Z', [180, 0, 0]],
  ['X', [0, 90, 0]],
  ['−X', [0, -90, 0]],
  ['Y', [-90, 0, 0]],
  ['−Y', [90, 0, 0]],
]

export function placing(placements: Record<string, Placement>, what: string): Edit {
  return { kind: 'place_parts', placements, what }
}

/** The placement of one more copy: what led from the first to the second, done once more to the second. */
export function oneMore(first: PartView, second: PartView, part: Part): Required<Placement> {
  const rows = (v: PartView) =>
    [0, 1, 2].map((i) => [0, 1, 2].map((k) => v.matrix?.[4 * i + k] ?? 0))
  const [ra, rb] = [matrixOfTurn(first.placed?.turn ?? []), matrixOfTurn(second.placed?.turn ?? [])]
  const turn = times(
    rb,
    [0, 1, 2].map((i) => [0, 1, 2].map((k) => ra[k]?.[i] ?? 0)),
  )
  const [a, b] = [zeroOf(first), zeroOf(second)]
  const same = rows(first).every((row, i) =>
    row.every((x, k) => Math.abs(x - (rows(second)[i]?.[k] ?? 0)) < 1e-9),
  )
  const p = placementOf(part)
  if (same) return movedBy(p, b.map((x, k) => tidy(x - (a[k] ?? 0))) as unknown as Three)
  // the motion takes zero point to zero point; done again it takes the second one on
  const moved = turn.map((row) => row.reduce((s, x, k) => s + x * ((b[k] ?? 0) - (a[k] ?? 0)), 0))
  return {
    ...movedBy(p, moved.map((x) => tidy(x)) as unknown as Three),
    turn: [...turnOfMatrix(times(turn, rb))],
  }
}

/** How far two boxes are apart, mm: what a clearance is at least. */
export function boxGap(a: PartView, b: PartView): number {
  const gaps = [0, 1, 2].map((k) =>
    Math.max(
      (a.stands?.[0]?.[k] ?? 0) - (b.stands?.[1]?.[k] ?? 0),
      (b.stands?.[0]?.[k] ?? 0) - (a.stands?.[1]?.[k] ?? 0),
      0,
    ),
  )
  return Math.hypot(...gaps)
}

/** The plane at which a mirror image stands clear of what it is of: left and right, front and back, or X where both reach over. */
export function mirrorPlane(stands: readonly (readonly number[])[] | null): 'x' | 'y' | 'z' {
  const [low = [], high = []] = stands ?? []
  const clear = (k: number) => {
    const [a = 0, b = 0] = [low[k], high[k]]
    return Math.max(a, -b) >= -1e-6 * Math.max(b - a, 1e-9)
  }
  return clear(0) || !clear(1) ? 'x' : 'y'
}
