import { Matrix4, Vector3 } from 'three'
import type { PartView } from '../../shared/api/client'
import type { End } from '../../shared/measuring'
import type { BodyData } from './buffers'
import { AROUND, toSegment } from './nearby'
import type { Sight } from './Sight'

const NEAR_POINT = 9
const NEAR_EDGE = 7

/** The point, edge or face of any shown body that the pointer means. */
export function elementUnder(
  stage: Sight,
  parts: readonly PartView[],
  x: number,
  y: number,
): End | null {
  for (const [dx, dy] of AROUND) {
    const hit = stage.hitAt(x + dx, y + dy)
    if (!hit) continue
    const part = parts.find((p) => p.part === hit.part)
    if (!part?.mesh || !part.matrix) continue
    const face = faceOf(hit.data, hit.triangle)
    const world = new Matrix4().set(...(part.matrix as Parameters<Matrix4['set']>))
    const put = (p: Vector3) => p.clone().applyMatrix4(world)
    const base = { part: part.part, mesh: part.mesh, matrix: part.matrix }
    const near = nearest(stage, face, put, x, y)
    if (near) return { ...base, ...near }
    if (dx || dy) continue
    const middle = face.points
      .reduce((s, p) => s.add(p), new Vector3())
      .divideScalar(face.points.length || 1)
    return {
      ...base,
      of: 'faces',
      at: middle.toArray(),
      normal: face.normal.toArray(),
      lines: face.sides.flatMap(([a, b]) => [put(a).toArray(), put(b).toArray()]),
    }
  }
  return null
}

interface Face {
  points: Vector3[]
  sides: [Vector3, Vector3][]
  normal: Vector3
}

/** Corners and sides of the polygon a triangle is part of, in the part's own space. */
function faceOf(b: BodyData, triangle: number): Face {
  const face = b.triangleFace[triangle]
  let first = triangle
  while (first > 0 && b.triangleFace[first - 1] === face) first -= 1
  let last = triangle
  while (last + 1 < b.triangles && b.triangleFace[last + 1] === face) last += 1
  const at = (v: number) =>
    new Vector3(
      (b.position[3 * v] ?? 0) + b.origin[0],
      (b.position[3 * v + 1] ?? 0) + b.origin[1],
      (b.position[3 * v + 2] ?? 0) + b.origin[2],
    )
  const points = new Map<string, Vector3>()
  const sides: [Vector3, Vector3][] = []
  const normal = new Vector3()
  for (let t = first; t <= last; t += 1) {
    const three = [0, 1, 2].map((k) => b.index[3 * t + k] ?? 0)
    const [p, q, r] = three.map(at)
    if (!p || !q || !r) continue
    for (const c of [p, q, r]) points.set(c.toArray().join(), c)
    normal.add(q.clone().sub(p).cross(r.clone().sub(p)))
    for (const k of [0, 1, 2]) {
      // a side of the polygon has 0 at both its ends; a diagonal has none
      const ends = [p, q, r].filter((_, i) => (b.edge[4 * (three[i] ?? 0) + k] ?? 255) === 0)
      if (ends.length === 2 && ends[0] && ends[1]) sides.push([ends[0], ends[1]])
    }
  }
  return { points: [...points.values()], sides, normal: normal.normalize() }
}

function nearest(
  stage: Sight,
  face: Face,
  put: (p: Vector3) => Vector3,
  x: number,
  y: number,
): Pick<End, 'of' | 'at' | 'normal' | 'lines'> | null {
  let best: Vector3 | null = null
  let least = NEAR_POINT
  for (const p of face.points) {
    const s = stage.project(put(p))
    const d = Math.hypot(s.x - x, s.y - y)
    if (d < least) {
      least = d
      best = p
    }
  }
  if (best) return { of: 'points', at: best.toArray(), normal: null, lines: [put(best).toArray()] }
  let side: [Vector3, Vector3] | null = null
  least = NEAR_EDGE
  for (const [p, q] of face.sides) {
    const d = toSegment(x, y, stage.project(put(p)), stage.project(put(q)))
    if (d < least) {
      least = d
      side = [p, q]
    }
  }
  if (!side) return null
  const middle = side[0].clone().add(side[1]).multiplyScalar(0.5)
  const lines = side.map((p) => put(p).toArray())
  return { of: 'edges', at: middle.toArray(), normal: null, lines }
}
