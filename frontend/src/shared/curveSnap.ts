import type { Pair } from './dragging'
import { snapped } from './format'

/** What a place that is dragged on the drawing board goes to: points, lines that go on without a corner, levels of points, the grid. */

export interface Marked {
  at: Pair
  words: string
}

/** A line through a place that the dragged one may lie on. */
export interface Ray extends Marked {
  way: Pair
}

export interface Meant {
  at: Pair
  /** what it was drawn to; null where that is the grid alone */
  words: string | null
  /** lines to be shown, from what it goes by to it */
  lines: readonly (readonly [Pair, Pair])[]
}

export interface Nearby {
  /** mm on the board that count as near */
  near: number
  grid: number
  spots: readonly Marked[]
  rays: readonly Ray[]
  levels: readonly Marked[]
}

/** The place that is meant by one that is pointed at. */
export function meantPlace(to: Pair, o: Nearby): Meant {
  const spot = nearest(o.spots, (s) => Math.hypot(s.at[0] - to[0], s.at[1] - to[1]), o.near)
  if (spot) return { at: spot.at, words: spot.words, lines: [] }
  const rays = o.rays.filter((r) => Math.hypot(...r.way) > 0)
  const ray = nearest(rays, (r) => away(to, r), o.near)
  const lines: Ray[] = [
    ...o.levels.map((s) => ({ ...s, way: [1, 0] as Pair, words: `level with ${s.words}` })),
    ...o.levels.map((s) => ({ ...s, way: [0, 1] as Pair, words: `in line with ${s.words}` })),
  ]
  const others = ray ? lines.filter((l) => Math.abs(cross(l.way, ray.way)) > 0.05) : lines
  const first = ray ?? nearest(lines, (r) => away(to, r), o.near)
  if (!first)
    return { at: [snapped(to[0], o.grid), snapped(to[1], o.grid)], words: null, lines: [] }
  const second = nearest(
    (ray ? [...rays, ...others] : lines).filter(
      (r) => r !== first && Math.abs(cross(unit(r.way), unit(first.way))) > 0.05,
    ),
    (r) => away(to, r),
    o.near,
  )
  const crossing = second && meeting(first, second)
  if (second && crossing && Math.hypot(crossing[0] - to[0], crossing[1] - to[1]) < 2 * o.near)
    return {
      at: crossing,
      words: `${first.words}, ${second.words}`,
      lines: [
        [first.at, crossing],
        [second.at, crossing],
      ],
    }
  const at = onLine(to, first, ray ? null : o.grid)
  return { at, words: first.words, lines: [[first.at, at]] }
}

function nearest<T>(rows: readonly T[], far: (row: T) => number, near: number): T | null {
  let best: T | null = null
  let least = near
  for (const row of rows) {
    const d = far(row)
    if (d < least) {
      least = d
      best = row
    }
  }
  return best
}

const cross = (a: Pair, b: Pair) => a[0] * b[1] - a[1] * b[0]

function unit(v: Pair): Pair {
  const l = Math.hypot(...v)
  return [v[0] / l, v[1] / l]
}

function away(to: Pair, r: Ray): number {
  return Math.abs(cross(unit(r.way), [to[0] - r.at[0], to[1] - r.at[1]]))
}

/** The place on a line that is nearest to one that is pointed at; along a level it goes by the grid. */
function onLine(to: Pair, r: Ray, grid: number | null): Pair {
  if (grid !== null)
    return r.way[0] === 0 ? [r.at[0], snapped(to[1], grid)] : [snapped(to[0], grid), r.at[1]]
  const u = unit(r.way)
  const t = (to[0] - r.at[0]) * u[0] + (to[1] - r.at[1]) * u[1]
  return [snapped(r.at[0] + t * u[0], 1e-6), snapped(r.at[1] + t * u[1], 1e-6)]
}

function meeting(p: Ray, q: Ray): Pair | null {
  const d = cross(p.way, q.way)
  if (d === 0) return null
  const t = cross([q.at[0] - p.at[0], q.at[1] - p.at[1]], q.way) / d
  return [snapped(p.at[0] + t * p.way[0], 1e-6), snapped(p.at[1] + t * p.way[1], 1e-6)]
}
