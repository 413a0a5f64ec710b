import { Matrix3, Vector3 } from 'three'
import type { Matrix4 } from 'three'
import type { BodyData } from './buffers'

/** Facets that the shader has room for. */
export const MOST_FACETS = 128

const FLAT = 2e-4 // of the size: places come in single precision

/** The planes that bound a convex body of flat faces, in its own space: of each the way out, and how far along it the plane lies. */
export interface Facets {
  planes: Float32Array
  count: number
  /** its widest extent, mm */
  across: number
}

interface Plane {
  n: Vector3
  w: number
}

/**
 * The facets of a cut stone, to follow light through it; null of a body that is not convex, has bent faces or too many of them.
 * Faces of an inner skin, which look inward, bound nothing.
 */
export function facetsOf(data: BodyData): Facets | null {
  if (data.faces > 8 * MOST_FACETS || data.triangles === 0) return null
  const points = placesOf(data)
  const size = extentOf(points)
  const eps = FLAT * size
  const out: Plane[] = []
  let inward = false
  for (const plane of planesOf(data, points)) {
    if (out.some((p) => p.n.dot(plane.n) > 1 - 1e-7 && Math.abs(p.w - plane.w) < eps)) continue
    const [low, high] = reachOf(points, plane)
    if (high <= eps) out.push(plane)
    else if (low >= -eps) inward = true
    else return null
  }
  if (out.length < 4 || out.length > MOST_FACETS || (!data.closed && !inward)) return null
  const planes = new Float32Array(4 * MOST_FACETS)
  out.forEach(({ n, w }, i) => planes.set([n.x, n.y, n.z, w], 4 * i))
  return { planes, count: out.length, across: size }
}

/** The same facets where the body stands. */
export function placedFacets(facets: Facets, matrix: Matrix4): Facets {
  const turn = new Matrix3().getNormalMatrix(matrix)
  const planes = new Float32Array(4 * MOST_FACETS)
  const n = new Vector3()
  const at = new Vector3()
  for (let i = 0; i < facets.count; i += 1) {
    n.fromArray(facets.planes, 4 * i)
    at.copy(n)
      .multiplyScalar(facets.planes[4 * i + 3] ?? 0)
      .applyMatrix4(matrix)
    n.applyMatrix3(turn).normalize()
    planes.set([n.x, n.y, n.z, n.dot(at)], 4 * i)
  }
  return { planes, count: facets.count, across: facets.across * matrix.getMaxScaleOnAxis() }
}

function placesOf({ position }: BodyData): Vector3[] {
  return Array.from({ length: position.length / 3 }, (_, v) =>
    new Vector3().fromArray(position, 3 * v),
  )
}

function extentOf(points: readonly Vector3[]): number {
  const low = new Vector3(Infinity, Infinity, Infinity)
  const high = new Vector3(-Infinity, -Infinity, -Infinity)
  for (const p of points) {
    low.min(p)
    high.max(p)
  }
  const { x, y, z } = high.sub(low)
  return Math.max(x, y, z)
}

/** The plane of each face, by its area and through its first corner. */
function planesOf(data: BodyData, points: readonly Vector3[]): Plane[] {
  const areas = new Map<number, { n: Vector3; at: Vector3 }>()
  for (let t = 0; t < data.triangles; t += 1) {
    const [a, b, c] = [0, 1, 2].map((i) => points[data.index[3 * t + i] ?? 0] ?? new Vector3())
    if (!a || !b || !c) continue
    const face = data.triangleFace[t] ?? 0
    const n = b.clone().sub(a).cross(c.clone().sub(a))
    const known = areas.get(face)
    if (known) known.n.add(n)
    else areas.set(face, { n, at: a })
  }
  return [...areas.values()]
    .filter(({ n }) => n.lengthSq() > 0)
    .map(({ n, at }) => ({ n: n.normalize(), w: n.dot(at) }))
}

/** How far the points lie along a plane's way out: the least, the most. */
function reachOf(points: readonly Vector3[], { n, w }: Plane): [number, number] {
  let low = Infinity
  let high = -Infinity
  for (const p of points) {
    const d = n.dot(p) - w
    low = Math.min(low, d)
    high = Math.max(high, d)
  }
  return [low, high]
}
