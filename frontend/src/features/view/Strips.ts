import type { BodyData } from './buffers'

/** Rows of faces that may be drawn two as one, or four (layout: core/geometry/strips.py). */
export interface Strips {
  position: Float32Array
  normal: Int8Array
  edge: Uint8Array
  /** triangles of the body, those of the strips first */
  order: Uint32Array
  rungs: Uint32Array
  spacing: Float32Array
  /** how many of them, the first, are four faces wide */
  wide: number
}

const MAGIC = 0x31534b4a

/** Read the bytes; null where they are not of this body or hold nothing. */
export function readStrips(bytes: ArrayBuffer, body: BodyData): Strips | null {
  const head = new Uint32Array(bytes, 0, 6)
  const [magic, version, vertices = 0, triangles = 0, strips = 0, wide = 0] = head
  if (magic !== MAGIC || version !== 2 || triangles !== body.triangles || !strips) return null
  let at = 24
  const take = <T>(make: (offset: number) => T, size: number): T => {
    const out = make(at)
    at += size
    return out
  }
  return {
    position: take((b) => new Float32Array(bytes, b, vertices * 3), vertices * 12),
    order: take((b) => new Uint32Array(bytes, b, triangles), triangles * 4),
    rungs: take((b) => new Uint32Array(bytes, b, strips), strips * 4),
    spacing: take((b) => new Float32Array(bytes, b, strips), strips * 4),
    wide,
    normal: take((b) => new Int8Array(bytes, b, vertices * 4), vertices * 4),
    edge: take((b) => new Uint8Array(bytes, b, vertices * 4), vertices * 4),
  }
}

/** What is drawn of a body with strips: all its triangles, then those of the strips with faces drawn as one. */
export function withStrips(
  b: BodyData,
  s: Strips,
): Pick<BodyData, 'position' | 'normal' | 'edge' | 'index'> {
  const fine = 3 * b.triangles
  const coarse = s.rungs.reduce((sum, n) => sum + n, 0)
  const index = new Uint32Array(fine + 6 * coarse)
  for (let t = 0; t < b.triangles; t += 1) {
    const from = 3 * (s.order[t] ?? 0)
    for (let k = 0; k < 3; k += 1) index[3 * t + k] = b.index[from + k] ?? 0
  }
  let [at, pair] = [fine, b.vertices]
  for (const rungs of s.rungs) {
    for (let j = 0; j < rungs; j += 1) {
      const [u, w] = [pair + 2 * j, pair + 2 * j + 1]
      index.set([w, w + 2, u + 2, w, u + 2, u], at)
      at += 6
    }
    pair += 2 * (rungs + 1)
  }
  return {
    index,
    position: joined(Float32Array, b.position, s.position),
    normal: joined(Int8Array, b.normal, s.normal),
    edge: joined(Uint8Array, b.edge, s.edge),
  }
}

function joined<T extends Float32Array | Int8Array | Uint8Array>(
  kind: new (n: number) => T,
  a: T,
  b: T,
): T {
  const out = new kind(a.length + b.length)
  out.set(a)
  out.set(b, a.length)
  return out
}
