import type { Edit, Step } from './api/client'
import type { Pair } from './dragging'
import { freeId, snapped } from './format'

/** A point as it is written: its numbers may be formulas. */
export interface Written {
  id: string
  at: number | string
  value: number | string
  smooth?: boolean
  in?: (number | string)[]
  out?: (number | string)[]
}

/** A point worked out. Handles are offsets (place, value) from it; null where there is none. */
export interface GraphPoint {
  id: string
  at: number
  value: number
  smooth: boolean
  into: Pair | null
  out: Pair | null
}

/** Which graph: a value of a step, or one within a value: `weights/graph`. */
export interface GraphPlace {
  part: string
  step: string
  key: string
}

export const addressOf = (g: GraphPlace) => `${g.part}/${g.step}/values/${g.key}`

/** The points as they are written, each with an id: of a file that gives none, its number. */
export function writtenPoints(step: Step | undefined, key: string): Written[] {
  const raw = key
    .split('/')
    .reduce<unknown>(
      (at, word) => (at as Record<string, unknown> | null | undefined)?.[word],
      step?.values,
    )
  if (!Array.isArray(raw)) return []
  return (raw as Partial<Written>[]).map((p, i) => ({ ...p, id: p.id ?? String(i) }) as Written)
}

export function pairOf(raw: readonly (number | string)[] | undefined): Pair | null {
  const [x, y] = raw ?? []
  return typeof x === 'number' && typeof y === 'number' ? [x, y] : null
}

/** For each piece the handle at its start and the one at its end, as the core has them. */
export function handles(points: readonly GraphPoint[]): { first: Pair; second: Pair }[] {
  const n = points.length - 1
  const step = Array.from({ length: n }, (_, i) => point(points, i + 1).at - point(points, i).at)
  const slope = step.map((h, i) => (point(points, i + 1).value - point(points, i).value) / h)
  // Fritsch and Butland 1984: between two points a smooth graph never leaves their values
  const tangent = points.map((_, i) => {
    const [before, after] = [slope[i - 1], slope[i]]
    if (before === undefined || after === undefined) return before ?? after ?? 0
    if (before * after <= 0) return 0
    const [h0, h1] = [step[i - 1] ?? 0, step[i] ?? 0]
    const [w1, w2] = [2 * h1 + h0, h1 + 2 * h0]
    return (w1 + w2) / (w1 / before + w2 / after)
  })
  return step.map((h, i) => {
    const [a, b] = [point(points, i), point(points, i + 1)]
    const chord = slope[i] ?? 0
    const out: Pair = a.out ?? [h / 3, (h / 3) * (a.smooth ? (tangent[i] ?? 0) : chord)]
    const into: Pair = b.into ?? [-h / 3, (-h / 3) * (b.smooth ? (tangent[i + 1] ?? 0) : chord)]
    return {
      first: [Math.min(Math.max(out[0], 0), h), out[1]],
      second: [Math.min(Math.max(into[0], -h), 0), into[1]],
    }
  })
}

const NONE: GraphPoint = { id: '', at: 0, value: 0, smooth: false, into: null, out: null }
const point = (points: readonly GraphPoint[], i: number) => points[i] ?? NONE

/** The graph as a line of (place, value), level before its first point and after its last. */
export function sampled(points: readonly GraphPoint[], each = 24): Pair[] {
  const first = points[0]
  const last = points.at(-1)
  if (!first || !last) return []
  const out: Pair[] = [[0, first.value]]
  handles(points).forEach(({ first: f, second: s }, i) => {
    const [a, b] = [point(points, i), point(points, i + 1)]
    for (let k = 0; k <= each; k += 1) {
      const t = k / each
      const [u, v, w, x] = [(1 - t) ** 3, 3 * (1 - t) ** 2 * t, 3 * (1 - t) * t ** 2, t ** 3]
      out.push([
        u * a.at + v * (a.at + f[0]) + w * (b.at + s[0]) + x * b.at,
        u * a.value + v * (a.value + f[1]) + w * (b.value + s[1]) + x * b.value,
      ])
    }
  })
  if (points.length === 1) out.push([first.at, first.value])
  out.push([1, last.value])
  return out
}

/** What the graph comes to at a place, read off its line. */
export function valueAt(line: readonly Pair[], place: number): number {
  for (let i = 1; i < line.length; i += 1) {
    const [a, b] = [line[i - 1], line[i]]
    if (!a || !b || b[0] < place) continue
    return b[0] > a[0] ? a[1] + ((b[1] - a[1]) * (place - a[0])) / (b[0] - a[0]) : b[1]
  }
  return line.at(-1)?.[1] ?? 0
}

/** The edit that writes all points of a graph; none takes it away, and the value that it stands in. */
export function setting(place: GraphPlace, points: readonly Written[]): Edit {
  const key = points.length ? place.key : (place.key.split('/')[0] ?? place.key)
  return { kind: 'set_value', ...place, key, value: points.length ? points : null }
}

/** The points with one more at a place, in their order; null where one stands there already. */
export function withPoint(
  written: readonly Written[],
  points: readonly GraphPoint[],
  at: number,
  value: number,
): { points: Written[]; id: string } | null {
  if (points.some((p) => Math.abs(p.at - at) < 1e-6)) return null
  const id = freeId(
    'g',
    written.map((p) => p.id),
  )
  const behind = points.findIndex((p) => p.at > at)
  const k = behind < 0 ? points.length : behind
  return { id, points: [...written.slice(0, k), { id, at, value }, ...written.slice(k)] }
}

/** A point moved: between its neighbours, never onto one. Numbers that are formulas stay so. */
export function movedTo(
  written: readonly Written[],
  points: readonly GraphPoint[],
  id: string,
  to: Pair,
): Written[] {
  const i = points.findIndex((p) => p.id === id)
  const low = i > 0 ? point(points, i - 1).at + GAP : 0
  const high = i < points.length - 1 ? point(points, i + 1).at - GAP : 1
  const at = snapped(Math.min(Math.max(to[0], low), high), 1e-4)
  return written.map((p) =>
    p.id !== id
      ? p
      : {
          ...p,
          at: typeof p.at === 'string' ? p.at : at,
          value: typeof p.value === 'string' ? p.value : to[1],
        },
  )
}

const GAP = 0.002

/** A handle pulled: the other one of a smooth point turns with it and keeps its reach. */
export function bentTo(
  written: readonly Written[],
  p: GraphPoint,
  side: 'in' | 'out',
  to: Pair,
  other: Pair | null,
): Written[] {
  const sign = side === 'out' ? 1 : -1
  const own: Pair = [sign * Math.max(sign * to[0], 1e-4), to[1]]
  const change: Partial<Written> = { [side]: [...own] }
  if (p.smooth && other) {
    const slope = own[1] / own[0]
    change[side === 'out' ? 'in' : 'out'] = [other[0], snapped(other[0] * slope, 1e-6)]
  }
  return written.map((q) => (q.id === p.id ? { ...q, ...change } : q))
}

/** A point without handles of its own, as a corner or smooth. */
export function asCorner(written: readonly Written[], id: string, smooth: boolean): Written[] {
  return written.map((p) => {
    if (p.id !== id) return p
    const plain: Written = { id: p.id, at: p.at, value: p.value }
    return smooth ? { ...plain, smooth } : plain
  })
}

const row = (...pairs: readonly (readonly [number, number, boolean?])[]): Written[] =>
  pairs.map(([at, value, smooth], i) => ({
    id: `g${i + 1}`,
    at,
    value,
    ...(smooth ? { smooth } : {}),
  }))

/** Shapes to begin with; of a graph of lengths, values are of `size`. */
export function readyShapes(unit: string, size: number): { name: string; points: Written[] }[] {
  const k = unit ? size / 4 : 1
  const base = unit ? 0 : 1
  const shapes: { name: string; points: Written[] }[] = [
    { name: 'level', points: row([0, unit ? 0 : 1], [1, unit ? 0 : 1]) },
    { name: 'rising', points: row([0, unit ? 0 : 0.25], [1, unit ? k : 1]) },
    { name: 'falling', points: row([0, unit ? k : 1], [1, unit ? 0 : 0.25]) },
    { name: 'swelling', points: row([0, base], [0.5, base + 0.5 * k, true], [1, base]) },
    { name: 'waisted', points: row([0, base], [0.5, base - 0.5 * k, true], [1, base]) },
    { name: 'easing', points: row([0, unit ? 0 : 0.25, true], [1, unit ? k : 1, true]) },
  ]
  if (!unit) shapes.push({ name: 'to a point', points: row([0, 1], [1, 0]) })
  return shapes
}

/** What a graph is of, in words: its key without what says that it is one. */
export const graphWords = (key: string) =>
  key.startsWith('weights/') ? 'mask' : key.replace(/_graph$/, '').replaceAll('_', ' ')

/** The place from 0 to 1 of a run that is nearest to a point of the part's own space, and how far off it is. */
export function nearestOnRun(
  run: readonly (readonly number[])[],
  at: readonly number[],
): { place: number; far: number } | null {
  let best: { place: number; far: number } | null = null
  for (let i = 1; i < run.length; i += 1) {
    const [a, b] = [run[i - 1] ?? [], run[i] ?? []]
    const d = [1, 2, 3].map((k) => (b[k] ?? 0) - (a[k] ?? 0))
    const w = [0, 1, 2].map((k) => (at[k] ?? 0) - (a[k + 1] ?? 0))
    const l = dot(d, d)
    const t = l > 0 ? Math.min(1, Math.max(0, dot(w, d) / l)) : 0
    const far = Math.hypot(...w.map((x, k) => x - t * (d[k] ?? 0)))
    if (!best || far < best.far)
      best = { place: (a[0] ?? 0) + t * ((b[0] ?? 0) - (a[0] ?? 0)), far }
  }
  return best
}

/** The point of a run at a place. */
export function onRun(
  run: readonly (readonly number[])[],
  place: number,
): [number, number, number] | null {
  const k = run.findIndex((r) => (r[0] ?? 0) >= place)
  const b = run[k < 0 ? run.length - 1 : k]
  const a = run[Math.max((k < 0 ? run.length - 1 : k) - 1, 0)]
  if (!a || !b) return null
  const span = (b[0] ?? 0) - (a[0] ?? 0)
  const t = span > 0 ? (place - (a[0] ?? 0)) / span : 0
  const at = (i: number) => (a[i] ?? 0) + t * ((b[i] ?? 0) - (a[i] ?? 0))
  return [at(1), at(2), at(3)]
}

const dot = (a: readonly number[], b: readonly number[]) =>
  a.reduce((sum, x, k) => sum + x * (b[k] ?? 0), 0)
