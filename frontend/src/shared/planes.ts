/** Planes in which the points of a path are drawn and dragged: two of its three coordinates, the first across, the second up. */

export type Plane = readonly [number, number]

export const PLANES: readonly Plane[] = [
  [0, 2],
  [0, 1],
  [1, 2],
]

export const planeName = (p: Plane): string => p.map((k) => 'XYZ'.charAt(k)).join('\u2009')

/** The plane in which points reach farthest; the upright one across X where they reach nowhere. */
export function widest(points: readonly (readonly number[])[]): Plane {
  const extent = [0, 1, 2].map((k) => {
    const along = points.map((p) => p[k] ?? 0)
    return along.length ? Math.max(...along) - Math.min(...along) : 0
  })
  const area = ([a, b]: Plane) => (extent[a] ?? 0) * (extent[b] ?? 0)
  return [...PLANES].sort((p, q) => area(q) - area(p))[0] ?? [0, 2]
}

/** The plane that is seen least from the side, by how its axes run on the screen. */
export function facing(ways: readonly { x: number; y: number }[]): Plane {
  const seen = ([a, b]: Plane) => {
    const [u, v] = [ways[a], ways[b]]
    return u && v ? Math.abs(u.x * v.y - u.y * v.x) : 0
  }
  return [...PLANES].sort((p, q) => seen(q) - seen(p))[0] ?? [0, 2]
}

/** A place with two of its coordinates changed. */
export function inPlane<T>(place: readonly T[], [a, b]: Plane, to: readonly [T, T]): T[] {
  return place.map((x, k) => (k === a ? to[0] : k === b ? to[1] : x))
}
