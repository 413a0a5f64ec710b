import type { BufferGeometry } from 'three'
import { BufferAttribute, Sphere, Vector3 } from 'three'

/** Drawing data of a body, as views on the bytes that came (layout: core/geometry/view.py). */
export interface BodyData {
  digest: string
  origin: readonly [number, number, number]
  vertices: number
  triangles: number
  faces: number
  /** closed, and all of it faces outward: faces that look away need not be drawn */
  closed: boolean
  /** a limit surface, not the body itself */
  limit?: boolean
  position: Float32Array
  sharp: Float32Array
  index: Uint32Array
  triangleFace: Uint32Array
  vertexFace: Uint32Array
  normal: Int8Array
  edge: Uint8Array
  /** row of the lineage table of each face, -1 for none */
  faceLineage: Int32Array
  /** rows of step, group, parent row */
  lineage: readonly (readonly [string, string, number])[]
  /** finishes of single faces: their number stands in the fourth place of the normals, from 1 on */
  finishes: readonly string[]
}

const MAGIC = 0x31564b4a

/** Read the bytes; nothing is copied. */
export function readBody(digest: string, bytes: ArrayBuffer): BodyData {
  const head = new Uint32Array(bytes, 0, 12)
  if (head[0] !== MAGIC || head[1] !== 1)
    throw new Error('The drawing data is of another version; reload the page.')
  const [
    ,
    ,
    vertices = 0,
    triangles = 0,
    faces = 0,
    segments = 0,
    text = 0,
    names = 0,
    closed = 0,
  ] = head
  const o = new Float64Array(bytes.slice(48, 72))
  let at = 72
  const take = <T>(make: (offset: number) => T, size: number): T => {
    const out = make(at)
    at += size
    return out
  }
  const position = take((b) => new Float32Array(bytes, b, vertices * 3), vertices * 12)
  const sharp = take((b) => new Float32Array(bytes, b, segments * 6), segments * 24)
  const index = take((b) => new Uint32Array(bytes, b, triangles * 3), triangles * 12)
  const triangleFace = take((b) => new Uint32Array(bytes, b, triangles), triangles * 4)
  const vertexFace = take((b) => new Uint32Array(bytes, b, vertices), vertices * 4)
  const faceLineage = take((b) => new Int32Array(bytes, b, faces), faces * 4)
  const normal = take((b) => new Int8Array(bytes, b, vertices * 4), vertices * 4)
  const edge = take((b) => new Uint8Array(bytes, b, vertices * 4), vertices * 4)
  const words = new TextDecoder().decode(new Uint8Array(bytes, at, text))
  const lineage = (words ? JSON.parse(words) : []) as BodyData['lineage']
  const list = new TextDecoder().decode(new Uint8Array(bytes, at + text, names))
  return {
    digest,
    origin: [o[0] ?? 0, o[1] ?? 0, o[2] ?? 0],
    vertices,
    triangles,
    faces,
    closed: closed === 1,
    position,
    sharp,
    index,
    triangleFace,
    vertexFace,
    normal,
    edge,
    faceLineage,
    lineage,
    finishes: list ? (JSON.parse(list) as string[]) : [],
  }
}

/** The steps and groups that a face has come from, oldest first. */
export function trailOf(b: BodyData, face: number): { step: string; group: string }[] {
  const out: { step: string; group: string }[] = []
  for (let row = b.faceLineage[face] ?? -1; row >= 0;) {
    const [step = '', group = '', parent = -1] = b.lineage[row] ?? []
    out.unshift({ step, group })
    row = parent
  }
  return out
}

/** Short lines along the normals of corners, each once: from the body outward. */
export function normalTicks(b: BodyData, length: number): Float32Array {
  const out: number[] = []
  const seen = new Set<string>()
  const most = Math.max(1, Math.ceil(b.vertices / MOST_TICKS))
  for (let v = 0; v < b.vertices; v += most) {
    const at = [0, 1, 2].map((k) => b.position[3 * v + k] ?? 0)
    const n = [0, 1, 2].map((k) => (b.normal[4 * v + k] ?? 0) / 127)
    const key = [...at, ...n.map((x) => Math.round(x * 20))].join()
    if (seen.has(key)) continue
    seen.add(key)
    out.push(...at, ...at.map((x, k) => x + (n[k] ?? 0) * length))
  }
  return new Float32Array(out)
}

type Arrays = Pick<BodyData, 'position' | 'normal' | 'edge' | 'index' | 'vertices'>

/** Put a body's arrays into a geometry that is kept. */
export function fillGeometry(g: BufferGeometry, b: Arrays, shared?: BufferGeometry): void {
  if (shared) {
    // the same arrays, on the graphics card once
    for (const [name, attribute] of Object.entries(shared.attributes))
      g.setAttribute(name, attribute)
    g.setIndex(shared.index)
    g.boundingSphere = shared.boundingSphere
    return
  }
  g.dispose() // what it held on the graphics card
  g.setAttribute('position', new BufferAttribute(b.position, 3))
  g.setAttribute('normal', new BufferAttribute(b.normal, 4, true))
  g.setAttribute('edge', new BufferAttribute(b.edge, 4, true))
  g.setAttribute('changed', new BufferAttribute(new Uint8Array(b.vertices), 1, true))
  g.setIndex(new BufferAttribute(b.index, 1))
  g.setDrawRange(0, Infinity)
  g.boundingSphere = new Sphere(new Vector3(), Infinity)
}

const MOST_COMPARED = 60_000
const MOST_TICKS = 40_000

/** Mark the vertices of faces that were not there before: 255 where a face changed. */
export function markChanged(now: BodyData, before: BodyData | null): Uint8Array {
  const out = new Uint8Array(now.vertices)
  if (!before || before.digest === now.digest || now.vertices > MOST_COMPARED * 4) return out
  const shift = [0, 1, 2].map((k) => (now.origin[k] ?? 0) - (before.origin[k] ?? 0))
  const face = new Uint8Array(now.faces)
  if (now.vertices === before.vertices && now.triangles === before.triangles) {
    const eps = 1e-4
    for (let v = 0; v < now.vertices; v += 1)
      for (let k = 0; k < 3; k += 1)
        if (
          Math.abs(
            (now.position[3 * v + k] ?? 0) + (shift[k] ?? 0) - (before.position[3 * v + k] ?? 0),
          ) > eps
        )
          face[now.vertexFace[v] ?? 0] = 1
  } else {
    const held = new Set<number>()
    const key = (b: BodyData, v: number, s: readonly number[]) => {
      let h = 17
      for (let k = 0; k < 3; k += 1)
        h =
          (Math.imul(h, 0x9e3779b1) ^
            Math.round(((b.position[3 * v + k] ?? 0) + (s[k] ?? 0)) * 2000)) |
          0
      return h
    }
    for (let v = 0; v < before.vertices; v += 1) held.add(key(before, v, [0, 0, 0]))
    for (let v = 0; v < now.vertices; v += 1)
      if (!held.has(key(now, v, shift))) face[now.vertexFace[v] ?? 0] = 1
  }
  for (let v = 0; v < now.vertices; v += 1) if (face[now.vertexFace[v] ?? 0]) out[v] = 255
  return out
}
