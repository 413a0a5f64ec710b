import type { Curve } from './api/client'
import { snapped } from './format'
import { inUnitOf, isFormula } from './number'
import type { Plane } from './planes'

/** Points of a curve that move together: those that are held, and with a soft reach those near them less and less. */

type Points = Curve['points']
type Written = number | string

interface Spot {
  id: string
  at: readonly number[]
}

/** How much each point goes along: 1 those that are held, less the farther it is from the nearest of them, none from `reach` mm on. */
export function pulls(
  points: readonly Spot[],
  held: readonly string[],
  reach: number | null,
): Map<string, number> {
  const out = new Map<string, number>()
  const from = points.filter((p) => held.includes(p.id))
  for (const p of points) {
    if (held.includes(p.id)) out.set(p.id, 1)
    else if (reach !== null && reach > 0) {
      const far = Math.min(
        ...from.map((q) => Math.hypot(...p.at.map((x, k) => x - (q.at[k] ?? 0)))),
      )
      const t = far / reach
      if (t < 1) out.set(p.id, (1 - t * t) ** 2)
    }
  }
  return out
}

/** The points with some of them moved in a plane, each by its pull; a coordinate that is a formula stays one. */
export function pulled(
  points: Points,
  spots: readonly Spot[],
  how: ReadonlyMap<string, number>,
  by: readonly [number, number],
  plane: Plane,
): Points {
  return points.map((p) => {
    const pull = how.get(p.id ?? '')
    const at = spots.find((s) => s.id === p.id)?.at
    if (pull === undefined || !at) return p
    const moved = p.at.map((x: Written, k) => {
      const i = plane.indexOf(k)
      if (i < 0 || isFormula(x)) return x
      return inUnitOf(x, snapped((at[k] ?? 0) + pull * (by[i] ?? 0), 1e-6))
    })
    return { ...p, at: moved }
  })
}

/** A reach to begin with: a quarter of what the points take up, a round number. */
export function firstReach(points: readonly Spot[]): number {
  const extents = [0, 1, 2].map((k) => {
    const along = points.map((p) => p.at[k] ?? 0)
    return along.length ? Math.max(...along) - Math.min(...along) : 0
  })
  const quarter = Math.max(...extents) / 4
  if (!(quarter > 0)) return 1
  const ten = 10 ** Math.floor(Math.log10(quarter))
  return ([5, 2, 1].find((n) => n * ten <= quarter * (1 + 1e-9)) ?? 1) * ten
}

const sum = (x: Written, y: Written): Written =>
  typeof x === 'number' && typeof y === 'number' ? x + y : `(${x}) + (${y})`
const times = (x: Written, by: number): Written =>
  typeof x === 'number' ? Number((x * by).toPrecision(12)) : `(${x}) * ${String(by)}`
const half = (a: Written, b: Written): Written => times(sum(a, b), 0.5)

/**
 * The points with the piece behind one of them in two halves that run as the whole did: a cubic one by de Casteljau's rule.
 * `middle` is the place of a smooth piece half way, as it is drawn.
 */
export function split(
  points: Points,
  at: number,
  closed: boolean,
  id: string,
  middle: readonly number[],
): Points {
  const from = points[at]
  const next = (at + 1) % points.length
  const to = points[next]
  if (!from || !to || (next === 0 && !closed)) return points
  const none = from.at.map((): Written => 0)
  const add = (a: readonly Written[], b: readonly Written[]) => a.map((x, k) => sum(x, b[k] ?? 0))
  const join = from.join ?? 'straight'
  const fresh: Points[number] = {
    id,
    at: from.at.map((x: Written, k) => half(x, to.at[k] ?? 0)),
    fillet: 0,
    join,
  }
  if (join === 'smooth') fresh.at = [...middle]
  if (join !== 'bezier') return [...points.slice(0, at + 1), fresh, ...points.slice(at + 1)]
  const [out, into] = [from.out ?? none, to.in ?? none]
  const b: Written[] = add(from.at, out)
  const c: Written[] = add(to.at, into)
  const mid = (p: readonly Written[], q: readonly Written[]) => p.map((x, k) => half(x, q[k] ?? 0))
  const inner = mid(b, c)
  const [left, right] = [mid(mid(from.at, b), inner), mid(inner, mid(c, to.at))]
  const middleAt = mid(left, right)
  const less = (p: readonly Written[], q: readonly Written[]) =>
    p.map((x, k) => {
      const y = q[k] ?? 0
      return typeof x === 'number' && typeof y === 'number'
        ? Number((x - y).toPrecision(12))
        : `(${x}) - (${y})`
    })
  const rows = points.map((p, k) =>
    k === at
      ? { ...p, out: out.map((x) => times(x, 0.5)) }
      : k === next
        ? { ...p, in: into.map((x) => times(x, 0.5)) }
        : p,
  )
  const two = {
    ...fresh,
    at: middleAt,
    in: less(left, middleAt),
    out: less(right, middleAt),
  }
  return [...rows.slice(0, at + 1), two, ...rows.slice(at + 1)]
}

/** A closed curve opened at a point, which is its first and its last then; an open one in two, which both have the point. */
export function cut(points: Points, at: number, closed: boolean): [Points] | [Points, Points] {
  const there = points[at]
  if (!there) return [points]
  if (closed) {
    const round = [...points.slice(at), ...points.slice(0, at)]
    const end = { ...there, id: null, join: 'straight' as const, fillet: 0, chamfer: 0 }
    return [[...round.map((p, k) => (k ? p : { ...p, fillet: 0, chamfer: 0 })), end]]
  }
  if (at === 0 || at === points.length - 1) return [points]
  const last = { ...there, join: 'straight' as const, fillet: 0, chamfer: 0 }
  return [
    [...points.slice(0, at), last],
    points.slice(at).map((p, k) => (k ? p : { ...p, fillet: 0, chamfer: 0 })),
  ]
}

/** The other end of a straight piece at another length or angle: numbers stay numbers, a formula becomes one of each coordinate. */
export function reaching(
  from: readonly Written[],
  plane: Plane,
  piece: { long: Written; angle: Written },
  third: Written,
): Written[] {
  const turn = (name: 'cos' | 'sin'): Written => {
    if (typeof piece.angle !== 'number') return `${name}(${piece.angle})`
    const quarter = ((piece.angle % 360) + 360) % 360
    const exact = { cos: [1, 0, -1, 0], sin: [0, 1, 0, -1] }[name][quarter / 90]
    return exact ?? Math[name]((piece.angle * Math.PI) / 180)
  }
  return from.map((x, k) => {
    const i = plane.indexOf(k)
    if (i < 0) return third
    const way = turn(i === 0 ? 'cos' : 'sin')
    if (typeof x === 'number' && typeof way === 'number' && typeof piece.long === 'number')
      return snapped(x + piece.long * way, 1e-9)
    return `(${x}) + (${piece.long}) * ${typeof way === 'number' ? `(${way.toPrecision(15)})` : way}`
  })
}

/** Whether two handles of a point lie in one line, away from each other: the curve runs through it without a corner. */
export function inOneLine(out: readonly number[], into: readonly number[]): boolean {
  const size = Math.hypot(...out) * Math.hypot(...into)
  if (!(size > 0)) return false
  const dot = out.reduce((sum, x, k) => sum + x * (into[k] ?? 0), 0)
  return dot / size < -0.99999
}
