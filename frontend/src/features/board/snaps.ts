import type { Curve, CurveView } from '../../shared/api/client'
import type { Marked, Nearby, Ray } from '../../shared/curveSnap'
import type { Pair } from '../../shared/dragging'
import type { Plane } from '../../shared/planes'

type Found = Omit<Nearby, 'near' | 'grid'>
type Point = CurveView['points'][number]

const flat = (p: readonly number[], [i, j]: Plane): Pair => [p[i] ?? 0, p[j] ?? 0]

/** What a point of a curve can be drawn to: its other points and their levels, and lines on which a piece beside it goes on straight. */
export function pointSnaps(
  curve: Curve,
  view: CurveView | undefined,
  plane: Plane,
  id: string,
  moving: readonly string[],
): Found {
  const points = view?.points ?? []
  const n = points.length
  const at = points.findIndex((p) => p.id === id)
  const spots: Marked[] = []
  points.forEach((p, k) => {
    if (!moving.includes(p.id))
      spots.push({ at: flat(p.at, plane), words: `point ${String(k + 1)}` })
  })
  const levels =
    curve.kind === 'path' ? spots : [...spots, { at: [0, 0] as Pair, words: 'the axis' }]
  const rays: Ray[] = []
  const closed = curve.closed ?? false
  for (const way of [-1, 1]) {
    const beside = (k: number) =>
      closed ? points[(at + k * way + 2 * n) % n] : points[at + k * way]
    const near = beside(1)
    const piece = way > 0 ? points[at] : near
    if (!near || !piece || piece.join !== 'straight' || moving.includes(near.id)) continue
    const tangent = leaving(view, near, way, beside(2), plane)
    if (tangent) rays.push({ at: flat(near.at, plane), way: tangent, words: 'tangent' })
  }
  return { spots, rays, levels }
}

/** The way in which the piece on the other side of a neighbour comes to it. */
function leaving(
  view: CurveView | undefined,
  near: Point,
  way: number,
  beyond: Point | undefined,
  plane: Plane,
): Pair | null {
  if (!beyond) return null
  const piece = way > 0 ? near : beyond
  const handle = way > 0 ? near.out : near.into
  if (piece.join === 'bezier' && handle.some((x) => x !== 0)) return flat(handle, plane)
  if (piece.join === 'smooth') return chord(view, near, way, plane)
  const [a, b] = [flat(near.at, plane), flat(beyond.at, plane)]
  return [b[0] - a[0], b[1] - a[1]]
}

/** The first chord that is drawn of a smooth piece as it leaves a point. */
function chord(view: CurveView | undefined, p: Point, way: number, plane: Plane): Pair | null {
  const rows = view?.samples ?? []
  let best = -1
  let least = Infinity
  rows.forEach((r, k) => {
    const d = Math.hypot(...r.map((x, c) => x - (p.at[c] ?? 0)))
    if (d < least) {
      least = d
      best = k
    }
  })
  const next =
    rows[best + way] ?? (view?.closed ? rows[(best + way + rows.length) % rows.length] : null)
  const here = rows[best]
  if (!here || !next) return null
  const [a, b] = [flat(here, plane), flat(next, plane)]
  return [b[0] - a[0], b[1] - a[1]]
}

/** What a handle can be drawn to: the way in which the piece on the other side of its point comes, so that there is no corner. */
export function handleSnaps(
  curve: Curve,
  view: CurveView | undefined,
  plane: Plane,
  id: string,
  which: 'out' | 'into',
): Found {
  const points = view?.points ?? []
  const n = points.length
  const at = points.findIndex((p) => p.id === id)
  const p = points[at]
  const way = which === 'out' ? -1 : 1
  const beyond = curve.closed ? points[(at + way + n) % n] : points[at + way]
  const tangent = p && leaving(view, p, way, beyond, plane)
  const here = p ? flat(p.at, plane) : ([0, 0] as Pair)
  return {
    spots: [],
    levels: [{ at: here, words: `point ${String(at + 1)}` }],
    rays: tangent ? [{ at: here, way: tangent, words: 'tangent' }] : [],
  }
}
