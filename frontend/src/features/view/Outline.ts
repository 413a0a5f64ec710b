import {
  BufferAttribute,
  BufferGeometry,
  Color,
  DynamicDrawUsage,
  GLSL3,
  InterleavedBuffer,
  InterleavedBufferAttribute,
  Mesh,
  RawShaderMaterial,
  Vector2,
  Vector4,
} from 'three'
import type { Vector3 } from 'three'
import type { BodyData } from './buffers'

/** What the outline of a body is found from (layout: core/geometry/outline.py). */
export interface OutlineData {
  points: Float32Array
  planes: Float32Array
  /** two points, two faces */
  edges: Uint32Array
}

const MAGIC = 0x314f4b4a
const FLOATS = 8 // of a vertex: start, end, corner
const WIDE = 2.5 // px, of which the outer ones fade

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

const vertex = `
precision highp float;
uniform mat4 modelViewMatrix, projectionMatrix;
uniform vec2 resolution;
uniform float wide;
in vec3 start, end;
in vec2 corner; // -1 or 1: at the start or the end, to the right or the left
out float vAcross;
#ifdef CUT
uniform vec4 cuts[2];
out vec2 vCut;
#endif
void main() {
  vec4 a = modelViewMatrix * vec4(start, 1.0), b = modelViewMatrix * vec4(end, 1.0);
  // what lies behind the eye ends before it
  bool before = projectionMatrix[2][3] < 0.0;
  float near = -1e-3 * max(abs(a.z), abs(b.z));
  if (before && a.z > near && b.z < near) a = mix(a, b, (near - a.z) / (b.z - a.z));
  if (before && b.z > near && a.z < near) b = mix(b, a, (near - b.z) / (a.z - b.z));
  vec4 p = projectionMatrix * a, q = projectionMatrix * b;
  vec2 along = (q.xy / q.w - p.xy / p.w) * resolution;
  float length2 = dot(along, along);
  along = length2 > 0.0 ? along * inversesqrt(length2) : vec2(1.0, 0.0);
  vec4 at = corner.x < 0.0 ? p : q;
  // a little farther at both ends, so that joints are filled
  vec2 off = vec2(-along.y, along.x) * corner.y * wide * 0.5 + along * corner.x * wide * 0.25;
  at.xy += off * 2.0 / resolution * at.w;
  vAcross = corner.y * wide * 0.5;
#ifdef CUT
  vec3 place = corner.x < 0.0 ? start : end;
  vCut = vec2(dot(cuts[0].xyz, place) + cuts[0].w, dot(cuts[1].xyz, place) + cuts[1].w);
#endif
  gl_Position = at;
}`

const fragment = `
precision highp float;
uniform vec3 ink;
uniform float alpha, wide;
in float vAcross;
out vec4 result;
#ifdef CUT
in vec2 vCut;
#endif
void main() {
#ifdef CUT
  if (vCut.x > 0.0 && vCut.y > 0.0) discard;
#endif
  result = vec4(ink, alpha * clamp(wide * 0.5 - abs(vAcross), 0.0, 1.0));
}`

/**
 * The outline of a body, found anew for each picture: edges of which one face looks to the eye and the other away. It is as crisp
 * where faces are narrow as where they are wide, which a contour found in the shader can't be.
 */
export class Outline {
  readonly mesh: Mesh<BufferGeometry, RawShaderMaterial>
  private readonly data: OutlineData
  private readonly front: Uint8Array
  private lines = new Float32Array(0)
  private room = 0
  count = 0

  constructor(data: OutlineData) {
    this.data = data
    this.front = new Uint8Array(data.planes.length / 4)
    const u = (value: unknown) => ({ value })
    const material = new RawShaderMaterial({
      glslVersion: GLSL3,
      vertexShader: vertex,
      fragmentShader: fragment,
      transparent: true,
      depthWrite: false,
      side: 2,
      defines: {},
      uniforms: {
        ink: u(new Color()),
        alpha: u(1),
        wide: u(WIDE),
        resolution: u(new Vector2()),
        cuts: u([new Vector4(0, 0, 0, 1), new Vector4(0, 0, 0, 1)]),
      },
    })
    this.mesh = new Mesh(new BufferGeometry(), material)
    this.mesh.frustumCulled = false
    this.mesh.matrixAutoUpdate = false
    this.mesh.raycast = () => undefined
  }

  /** Find the outline for an eye at a place of the body's own space, or for parallel views looking along it. */
  look(eye: Vector3, parallel: boolean): void {
    const { planes, edges, points } = this.data
    const { front } = this
    const [x, y, z] = [eye.x, eye.y, eye.z]
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
    let n = 0
    for (let e = 0; e < edges.length; e += 4) {
      if (front[edges[e + 2] ?? 0] === front[edges[e + 3] ?? 0]) continue
      if (n === this.room) this.grow()
      const { lines } = this
      const [p, q] = [3 * (edges[e] ?? 0), 3 * (edges[e + 1] ?? 0)]
      for (let c = 0; c < 4; c += 1) {
        const to = FLOATS * (4 * n + c)
        for (let k = 0; k < 3; k += 1) {
          lines[to + k] = points[p + k] ?? 0
          lines[to + 3 + k] = points[q + k] ?? 0
        }
      }
      n += 1
    }
    this.count = n
    this.mesh.visible = n > 0
    const held = this.mesh.geometry.getAttribute('start') as InterleavedBufferAttribute | undefined
    if (!held) return
    held.data.clearUpdateRanges()
    held.data.addUpdateRange(0, 4 * FLOATS * n)
    held.data.needsUpdate = true
    this.mesh.geometry.setDrawRange(0, 6 * n)
  }

  /**
   * Room for twice as many lines. Each has four vertices of its own: one shape drawn many times would be a call for each
   * without a graphics card.
   */
  private grow(): void {
    const room = Math.max(256, 2 * this.room)
    const lines = new Float32Array(4 * FLOATS * room)
    lines.set(this.lines)
    const index = new Uint32Array(6 * room)
    for (let n = 0; n < room; n += 1) {
      for (let c = 0; c < 4; c += 1)
        lines.set([c < 2 ? -1 : 1, c % 2 ? 1 : -1], FLOATS * (4 * n + c) + 6)
      index.set(
        [0, 1, 2, 2, 1, 3].map((c) => 4 * n + c),
        6 * n,
      )
    }
    this.mesh.geometry.dispose()
    const geometry = new BufferGeometry()
    const buffer = new InterleavedBuffer(lines, FLOATS).setUsage(DynamicDrawUsage)
    geometry.setAttribute('start', new InterleavedBufferAttribute(buffer, 3, 0))
    geometry.setAttribute('end', new InterleavedBufferAttribute(buffer, 3, 3))
    geometry.setAttribute('corner', new InterleavedBufferAttribute(buffer, 2, 6))
    geometry.setIndex(new BufferAttribute(index, 1))
    this.mesh.geometry = geometry
    this.lines = lines
    this.room = room
  }

  dispose(): void {
    this.mesh.geometry.dispose()
    this.mesh.material.dispose()
  }
}
