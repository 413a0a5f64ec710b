import type { BufferGeometry } from 'three'
import { BufferAttribute, Sphere, Vector3 } from 'three'

/** What bodies of which only the points have moved have in common (layout: core/geometry/view.py). */
export interface Form {
  /** names it, for the server */
  hash: string
  index: Uint32Array
  triangleFace: Uint32Array
  vertexFace: Uint32Array
  vertexPoint: Uint32Array
  vertexFan: Uint32Array
  /** points at the ends of sharp edges */
  sharp: Uint32Array
  edge: Uint8Array
  /** row of the lineage table of each face, -1 for none */
  faceLineage: Int32Array
  /** rows of step, group, parent row */
  lineage: readonly (readonly [string, string, number])[]
  /** finishes of single faces: their number stands in the fourth place of the normals, from 1 on */
  finishes: readonly string[]
}

/** Drawing data of a body. */
export interface BodyData extends Pick<
  Form,
  'index' | 'triangleFace' | 'vertexFace' | 'edge' | 'faceLineage' | 'lineage' | 'finishes'
> {
  digest: string
  /** the same object for bodies of which only the points have moved */
  form?: Form
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
  normal: Int8Array
}

const FORM = 0x32564b4a
const PLACES = 0x32504b4a
const HASH = 16

/** Read the bytes; `known` gives a form that is here already, for those that come without. */
export function readBody(
  digest: string,
  bytes: ArrayBuffer,
  known: (hash: string) => Form | undefined = () => undefined,
): BodyData {
  const magic = new Uint32Array(bytes, 0, 1)[0]
  if (magic === PLACES) {
    const form = known(hashAt(bytes, 16))
    if (!form) throw new Error('Drawing data came for a form that is not here; reload the page.')
    return place(digest, form, bytes, 0)
  }
  if (magic !== FORM) throw new Error('The drawing data is of another version; reload the page.')
  const [form, end] = readForm(bytes)
  return place(digest, known(form.hash) ?? form, bytes, end)
}

function hashAt(bytes: ArrayBuffer, at: number): string {
  return Array.from(new Uint8Array(bytes, at, HASH), (b) => b.toString(16).padStart(2, '0')).join(
    '',
  )
}

/** Read a form; nothing is copied. Where its bytes end is returned too. */
function readForm(bytes: ArrayBuffer): [Form, number] {
  const head = new Uint32Array(bytes, 0, 12)
  const [, vertices = 0, triangles = 0, faces = 0, , segments = 0, text = 0, names = 0] = head
  let at = 48 + HASH
  const take = (count: number): Uint32Array => {
    const out = new Uint32Array(bytes, at, count)
    at += out.byteLength
    return out
  }
  const [index, triangleFace] = [take(triangles * 3), take(triangles)]
  const [vertexFace, vertexPoint, vertexFan] = [take(vertices), take(vertices), take(vertices)]
  const sharp = take(segments * 2)
  const lineageOf = take(faces)
  const edge = take(vertices)
  const read = (from: number, size: number) =>
    new TextDecoder().decode(new Uint8Array(bytes, from, size))
  const form = {
    hash: hashAt(bytes, 48),
    index,
    triangleFace,
    vertexFace,
    vertexPoint,
    vertexFan,
    sharp,
    faceLineage: new Int32Array(bytes, lineageOf.byteOffset, faces),
    edge: new Uint8Array(bytes, edge.byteOffset, vertices * 4),
    lineage: text ? (JSON.parse(read(at, text)) as Form['lineage']) : [],
    finishes: names ? (JSON.parse(read(at + text, names)) as string[]) : [],
  }
  return [form, Math.ceil((at + text + names) / 8) * 8]
}

/** Give each vertex of a form the place and the normal that the bytes have for it. */
function place(digest: string, form: Form, bytes: ArrayBuffer, from: number): BodyData {
  const [, points = 0, fans = 0, closed = 0] = new Uint32Array(bytes, from, 4)
  const [x = 0, y = 0, z = 0] = new Float64Array(bytes.slice(from + 32, from + 56))
  const at = new Float32Array(bytes, from + 56, points * 3)
  const normalOf = new Uint32Array(bytes, from + 56 + at.byteLength, fans)
  const vertices = form.vertexPoint.length
  const normal = new Uint32Array(vertices)
  // the fourth byte of each, which is the last: the finish
  const edges = new Uint32Array(form.edge.buffer, form.edge.byteOffset, vertices)
  for (let v = 0; v < vertices; v += 1)
    normal[v] = (normalOf[form.vertexFan[v] ?? 0] ?? 0) | ((edges[v] ?? 0) & 0xff000000)
  return {
    digest,
    form,
    origin: [x, y, z],
    vertices,
    triangles: form.triangleFace.length,
    faces: form.faceLineage.length,
    closed: closed === 1,
    position: gathered(at, form.vertexPoint),
    sharp: gathered(at, form.sharp),
    normal: new Int8Array(normal.buffer),
    index: form.index,
    triangleFace: form.triangleFace,
    vertexFace: form.vertexFace,
    edge: form.edge,
    faceLineage: form.faceLineage,
    lineage: form.lineage,
    finishes: form.finishes,
  }
}

/** The three coordinates of each of these points. */
function gathered(points: Float32Array, which: Uint32Array): Float32Array {
  const out = new Float32Array(which.length * 3)
  for (let i = 0, k = 0; i < which.length; i += 1, k += 3) {
    const p = 3 * (which[i] ?? 0)
    out[k] = points[p] ?? 0
    out[k + 1] = points[p + 1] ?? 0
    out[k + 2] = points[p + 2] ?? 0
  }
  return out
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

/** Put other places of the same form into a geometry: what has not changed stays on the graphics card. */
export function moveGeometry(g: BufferGeometry, b: BodyData): void {
  for (const [name, array] of [
    ['position', b.position],
    ['normal', b.normal],
  ] as const) {
    const attribute = g.getAttribute(name) as BufferAttribute
    attribute.array = array
    attribute.needsUpdate = true
  }
  if ((g.getAttribute('changed') as BufferAttribute).version > 0) unmark(g, b.vertices)
}

/** Have no face of a geometry marked as changed. */
function unmark(g: BufferGeometry, vertices: number): void {
  g.setAttribute('changed', new BufferAttribute(new Uint8Array(vertices), 1, true))
}

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
  unmark(g, b.vertices)
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
