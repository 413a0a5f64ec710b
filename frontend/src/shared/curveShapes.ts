import type { Curve } from './api/client'

/** What can be done with all points of a curve at once, and curves that are ready to be taken. Formulas stay formulas. */

type Points = Curve['points']
type Point = Points[number]
type Written = number | string

/** The other way of a number or formula; done twice it is as before. */
export function negated(x: Written): Written {
  if (typeof x === 'number') return x === 0 ? 0 : -x
  const inner = /^-\((.*)\)$/.exec(x)?.[1]
  return inner !== undefined && balanced(inner) ? inner : `-(${x})`
}

/** Whether each bracket closes one that opened before: `a) + (b` is none. */
function balanced(text: string): boolean {
  let depth = 0
  for (const c of text) {
    if (c === '(') depth += 1
    if (c === ')') depth -= 1
    if (depth < 0) return false
  }
  return depth === 0
}

function shifted(x: Written, by: number): Written {
  if (typeof x === 'number') return Number((x + by).toPrecision(12))
  return by < 0 ? `(${x}) - ${String(-by)}` : `(${x}) + ${String(by)}`
}

/** The same curve from its other end; how pieces run and their handles go with them. */
export function reversed(points: Points, closed: boolean): Points {
  const n = points.length
  const back = [...points].reverse()
  return back.map((p, i) => {
    // the piece after a point was the one before it
    const piece = points[(n - 2 - i + n) % n]
    const { in: into, out, ...rest } = p
    return {
      ...rest,
      join: !closed && i === n - 1 ? 'straight' : (piece?.join ?? 'straight'),
      ...(into ? { out: into } : {}),
      ...(out ? { in: out } : {}),
    }
  })
}

/** Its mirror image: one of its coordinates the other way. */
export function mirrored(points: Points, axis: number): Points {
  const over = (row: readonly Written[]) => row.map((x, k) => (k === axis ? negated(x) : x))
  return points.map((p) => ({
    ...p,
    at: over(p.at),
    ...(p.out ? { out: over(p.out) } : {}),
    ...(p.in ? { in: over(p.in) } : {}),
  }))
}

/** Moved along one of its coordinates. */
export function moved(points: Points, axis: number, by: number): Points {
  return points.map((p) => ({ ...p, at: p.at.map((x, k) => (k === axis ? shifted(x, by) : x)) }))
}

export interface Ready {
  words: string
  kind: Curve['kind']
  closed: boolean
  make: (size: number) => Points
}

const KAPPA = 0.5522847498

const point = (i: number, at: number[], more: Partial<Point> = {}): Point => ({
  id: `p${String(i + 1)}`,
  at: at.map((x) => Number(x.toPrecision(10)) + 0),
  fillet: 0,
  join: 'straight',
  ...more,
})

function polygon(n: number, radius: number, turned: number): number[][] {
  return Array.from({ length: n }, (_, i) => {
    const a = turned + (2 * Math.PI * i) / n
    return [radius * Math.cos(a), radius * Math.sin(a)]
  })
}

function circle(r: number): Points {
  return polygon(4, r, 0).map((at, i) => {
    const ahead = polygon(4, r * KAPPA, Math.PI / 2)[i] ?? [0, 0]
    return point(i, at, { join: 'bezier', out: ahead, in: ahead.map((x) => -x) })
  })
}

const smooth = (rows: number[][]): Points => rows.map((at, i) => point(i, at, { join: 'smooth' }))

function along(steps: number, place: (t: number) => number[], closed: boolean): number[][] {
  return Array.from({ length: closed ? steps : steps + 1 }, (_, i) => place(i / steps))
}

/** Ready curves, as large as `size`: their points are ordinary ones and are changed as all others. */
export const READY: readonly Ready[] = [
  { words: 'circle', kind: 'profile', closed: true, make: (s) => circle(s / 2) },
  {
    words: 'square',
    kind: 'profile',
    closed: true,
    make: (s) => polygon(4, s / Math.SQRT2, -0.75 * Math.PI).map((at, i) => point(i, at)),
  },
  {
    words: 'rectangle with round corners',
    kind: 'profile',
    closed: true,
    make: (s) =>
      [
        [-s / 2, -s / 4],
        [s / 2, -s / 4],
        [s / 2, s / 4],
        [-s / 2, s / 4],
      ].map((at, i) => point(i, at, { fillet: Number((s / 8).toPrecision(6)) })),
  },
  {
    words: 'hexagon',
    kind: 'profile',
    closed: true,
    make: (s) => polygon(6, s / 2, 0).map((at, i) => point(i, at)),
  },
  {
    words: 'star',
    kind: 'profile',
    closed: true,
    make: (s) =>
      polygon(10, s / 2, Math.PI / 2).map((at, i) =>
        point(
          i,
          at.map((x) => (i % 2 ? x * 0.45 : x)),
        ),
      ),
  },
  {
    words: 'arc',
    kind: 'profile',
    closed: false,
    make: (s) => circle(s / 2).slice(0, 3),
  },
  {
    words: 'helix',
    kind: 'path',
    closed: false,
    make: (s) =>
      smooth(
        along(
          24,
          (t) => [
            (s / 2) * Math.cos(6 * Math.PI * t),
            (s / 2) * Math.sin(6 * Math.PI * t),
            1.5 * s * t,
          ],
          false,
        ),
      ),
  },
  {
    words: 'knot round a ring',
    kind: 'path',
    closed: true,
    make: (s) =>
      smooth(
        along(
          24,
          (t) => {
            const a = 2 * Math.PI * t
            const r = (s / 3) * (1 + 0.5 * Math.cos(3 * a))
            return [r * Math.cos(2 * a), r * Math.sin(2 * a), (s / 6) * Math.sin(3 * a) + s / 6]
          },
          true,
        ),
      ),
  },
]
