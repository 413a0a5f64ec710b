import type { Vector3 } from 'three'
import type { BodyData } from './buffers'
import { InkLines } from './inkLine'

/** What the outline of a body is found from (layout: core/geometry/outline.py). */
export interface OutlineData {
  points: Float32Array
  planes: Float32Array
  /** two points, two faces */
  edges: Uint32Array
}

const MAGIC = 0x314f4b4a

/** Read the bytes; null where they are not of this body. */
export function readOutline(bytes: ArrayBuffer, body: BodyData): OutlineData | null {
  const [magic, version, points = 0, faces = 0, edges = 0] = new Uint32Array(bytes, 0, 5)
  if (magic !== MAGIC || version !== 1 || faces !== body.faces) return null
  return {
    points: new Float32Array(bytes, 20, points * 3),
    planes: new Float32Array(bytes, 20 + points * 12, faces * 4),
    edges: new Uint32Array(bytes, 20 + points * 12 + faces * 16, edges * 4),
  }
}

/**
 * The outline of a body, found anew for each picture: edges of which one face looks to the eye and the other away. It is as crisp
 * where faces are narrow as where they are wide, which a contour found in the shader can't be.
 */
export class Outline extends InkLines {
  private readonly data: OutlineData
  private readonly front: Uint8Array

  constructor(data: OutlineData, width: number) {
    super(width)
    this.data = data
    this.front = new Uint8Array(data.planes.length / 4)
  }

  /** Find the outline for an eye at a place of the body's own space, or for parallel views looking along it. */
  look(eye: Vector3, parallel: boolean): void {
    const { planes, edges, points } = this.data
    const { front } = this
    const { x, y, z } = eye
    const [sign, at] = parallel ? [-1, 0] : [1, 1]
    for (let f = 0; f < front.length; f += 1) {
      const i = 4 * f
      const d =
        (planes[i] ?? 0) * x +
        (planes[i + 1] ?? 0) * y +
        (planes[i + 2] ?? 0) * z +
        at * (planes[i + 3] ?? 0)
      front[f] = sign * d > 0 ? 1 : 0
    }
    this.begin()
    for (let e = 0; e < edges.length; e += 4)
      if (front[edges[e + 2] ?? 0] !== front[edges[e + 3] ?? 0])
        this.line(points, 3 * (edges[e] ?? 0), 3 * (edges[e + 1] ?? 0))
    this.finish()
  }
}
