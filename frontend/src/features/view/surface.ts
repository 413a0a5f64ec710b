import { Plane, Raycaster, Vector2, Vector3 } from 'three'
import type { Mesh, Ray } from 'three'
import type { BodyData } from './buffers'
import type { Stage } from './Stage'

/** Where something can be set down: a place, the way out of it, and what it can snap to. */
export interface Ground {
  at: Vector3
  normal: Vector3
  /** across, in the ground: along its longest side where it has few */
  along: Vector3
  part: string | null
  /** corners of the face, middles of its sides, its own middle */
  spots: readonly Spot[]
}

export interface Spot {
  at: Vector3
  words: 'corner' | 'middle of an edge' | 'middle of the face' | 'zero point' | 'grid'
  /** the way of the edge, or out of the face */
  along?: Vector3
}

export function rayAt(stage: Stage, x: number, y: number): Ray {
  const caster = new Raycaster()
  caster.setFromCamera(
    new Vector2((x / stage.width) * 2 - 1, 1 - (y / stage.height) * 2),
    stage.placedCamera(),
  )
  return caster.ray
}

/** Where a ray meets a plane before the eye, if it does. */
export function onPlane(ray: Ray, at: Vector3, normal: Vector3): Vector3 | null {
  return ray.intersectPlane(new Plane().setFromNormalAndCoplanarPoint(normal, at), new Vector3())
}

/** What lies under the pointer: a face of any body, else the floor. */
export function groundAt(stage: Stage, x: number, y: number): Ground | null {
  const hit = stage.hitAt(x, y)
  if (hit) return faceGround(hit.mesh, hit.data, hit.triangle, hit.at, hit.part)
  const at = onPlane(rayAt(stage, x, y), new Vector3(), new Vector3(0, 0, 1))
  if (!at || at.length() > stage.floorReach() * 40) return null
  return {
    at,
    normal: new Vector3(0, 0, 1),
    along: new Vector3(1, 0, 0),
    part: null,
    spots: [{ at: new Vector3(), words: 'zero point' }],
  }
}

function faceGround(
  mesh: Mesh,
  data: BodyData,
  triangle: number,
  at: Vector3,
  part: string,
): Ground {
  const world = mesh.matrixWorld
  const corner = (i: number) =>
    new Vector3().fromArray(data.position, 3 * (data.index[i] ?? 0)).applyMatrix4(world)
  const [a, b, c] = [corner(3 * triangle), corner(3 * triangle + 1), corner(3 * triangle + 2)]
  const normal = b.clone().sub(a).cross(c.clone().sub(a)).normalize()
  if (world.determinant() < 0) normal.negate()
  const ring = outline(data, triangle).map((v) =>
    new Vector3().fromArray(data.position, 3 * v).applyMatrix4(world),
  )
  const spots: Spot[] = ring.map((p) => ({ at: p, words: 'corner' }))
  const middle = new Vector3()
  ring.forEach((p, i) => {
    middle.add(p)
    const q = ring[(i + 1) % ring.length] ?? p
    spots.push({
      at: p.clone().add(q).multiplyScalar(0.5),
      words: 'middle of an edge',
      along: q.clone().sub(p).normalize(),
    })
  })
  if (ring.length)
    spots.push({
      at: middle.divideScalar(ring.length),
      words: 'middle of the face',
      along: normal,
    })
  return {
    at,
    normal,
    along: acrossOf(normal, ring),
    part,
    spots: ring.length > 64 ? spots.slice(-1) : spots,
  }
}

/** A direction in the ground: the longest side of a face with few sides, else what lies along X. */
function acrossOf(normal: Vector3, ring: readonly Vector3[]): Vector3 {
  const flat = (v: Vector3) => v.clone().addScaledVector(normal, -v.dot(normal))
  const x = flat(new Vector3(1, 0, 0))
  const start = x.length() > 0.3 ? x : flat(new Vector3(0, 1, 0))
  if (ring.length < 3 || ring.length > 6) return start.normalize()
  let best = start
  let longest = 0
  ring.forEach((p, i) => {
    const side = (ring[(i + 1) % ring.length] ?? p).clone().sub(p)
    if (side.length() > longest * (1 + 1e-6)) {
      longest = side.length()
      best = flat(side)
    }
  })
  // of the four ways that a square footprint can lie, the one nearest to X
  const square = best.clone().cross(normal)
  const ways = [best, best.clone().negate(), square, square.clone().negate()]
  ways.sort((p, q) => q.clone().normalize().dot(start) - p.clone().normalize().dot(start))
  return (ways[0] ?? start).clone().normalize()
}

const outlines = new WeakMap<BodyData, Map<number, number[]>>()

/** The corners of the polygon that a triangle belongs to, in order; kept, as the pointer stays on a face for long. */
function outline(data: BodyData, triangle: number): number[] {
  const face = data.triangleFace[triangle] ?? -1
  const held = outlines.get(data) ?? new Map<number, number[]>()
  outlines.set(data, held)
  const known = held.get(face)
  if (known) return known
  const found = follow(data, face)
  held.set(face, found)
  return found
}

function follow(data: BodyData, face: number): number[] {
  const next = new Map<string, string>()
  const vertex = new Map<string, number>()
  const key = (v: number) => {
    const k = `${String(data.position[3 * v])},${String(data.position[3 * v + 1])},${String(data.position[3 * v + 2])}`
    vertex.set(k, v)
    return k
  }
  const edges = new Set<string>()
  const all: [string, string][] = []
  for (let t = 0; t < data.triangles; t += 1) {
    if (data.triangleFace[t] !== face) continue
    for (let i = 0; i < 3; i += 1) {
      const p = key(data.index[3 * t + i] ?? 0)
      const q = key(data.index[3 * t + ((i + 1) % 3)] ?? 0)
      edges.add(`${p}|${q}`)
      all.push([p, q])
    }
  }
  for (const [p, q] of all) if (!edges.has(`${q}|${p}`)) next.set(p, q)
  const first = next.keys().next().value
  const out: number[] = []
  for (let at = first; at !== undefined && out.length < next.size; at = next.get(at)) {
    out.push(vertex.get(at) ?? 0)
    if (next.get(at) === first) break
  }
  return out
}
