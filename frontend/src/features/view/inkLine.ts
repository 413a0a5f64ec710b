import {
  BufferAttribute,
  BufferGeometry,
  Color,
  DynamicDrawUsage,
  GLSL3,
  InterleavedBuffer,
  InterleavedBufferAttribute,
  LineSegments,
  Mesh,
  RawShaderMaterial,
  Vector2,
  Vector4,
} from 'three'
import { LineMaterial } from 'three/addons/lines/LineMaterial.js'
import type { LineMaterialParameters } from 'three/addons/lines/LineMaterial.js'

const FLOATS = 8 // of a vertex: start, end, corner

const cutVertex = `
#ifdef CUT
uniform vec4 cuts[2];
out vec2 vCut;
#endif
`
const cutFragment = `
#ifdef CUT
in vec2 vCut;
#endif
`
const cutAway = `
#ifdef CUT
  if (vCut.x > 0.0 && vCut.y > 0.0) discard;
#endif
`

const vertex = `
precision highp float;
uniform mat4 modelViewMatrix, projectionMatrix;
uniform vec2 resolution;
uniform float wide;
in vec3 start, end;
in vec2 corner; // -1 or 1: at the start or the end, to the right or the left
out float vAcross;
${cutVertex}
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
  vec2 off = vec2(-along.y, along.x) * corner.y * wide * 0.5 + along * corner.x * wide * 0.3;
  at.xy += off * 2.0 / resolution * at.w;
  vAcross = corner.y * wide * 0.5;
#ifdef CUT
  vec3 place = corner.x < 0.0 ? start : end;
  vCut = vec2(dot(cuts[0].xyz, place) + cuts[0].w, dot(cuts[1].xyz, place) + cuts[1].w);
#endif
  gl_Position = at;
}`

// the outer pixel fades out, so that a line is smooth without multisampling
const fragment = `
precision highp float;
uniform vec3 ink;
uniform float alpha, wide;
in float vAcross;
out vec4 result;
${cutFragment}
void main() {
${cutAway}
  result = vec4(ink, alpha * clamp(wide * 0.5 - abs(vAcross), 0.0, 1.0));
}`

const thinVertex = `
precision highp float;
uniform mat4 modelViewMatrix, projectionMatrix;
in vec3 position;
${cutVertex}
void main() {
#ifdef CUT
  vCut = vec2(dot(cuts[0].xyz, position) + cuts[0].w, dot(cuts[1].xyz, position) + cuts[1].w);
#endif
  gl_Position = projectionMatrix * modelViewMatrix * vec4(position, 1.0);
}`

const thinFragment = `
precision highp float;
uniform vec3 ink;
uniform float alpha;
out vec4 result;
${cutFragment}
void main() {
${cutAway}
  result = vec4(ink, alpha);
}`

/** What lines are drawn with: ink, as it is to appear, and alpha; `cuts` with CUT; wide ones know the picture's `resolution`, px. */
function lineMaterial(vertexShader: string, fragmentShader: string, wide: number) {
  return new RawShaderMaterial({
    glslVersion: GLSL3,
    vertexShader,
    fragmentShader,
    transparent: true,
    depthWrite: false,
    side: 2,
    defines: {},
    uniforms: {
      ink: { value: new Color() },
      alpha: { value: 1 },
      wide: { value: wide },
      resolution: { value: new Vector2() },
      cuts: { value: [new Vector4(0, 0, 0, 1), new Vector4(0, 0, 0, 1)] },
    },
  })
}

/**
 * Lines of ink, some px wide at any distance. Each has four vertices of its own: one shape drawn many times would be a call for
 * each without a graphics card.
 */
export class InkLines extends Mesh<BufferGeometry, RawShaderMaterial> {
  override readonly raycast = () => undefined // a line is no ground to point at
  private held = new Float32Array(0)
  private room = 0
  private lines = 0

  constructor(width: number) {
    super(new BufferGeometry(), lineMaterial(vertex, fragment, width + 1))
    this.frustumCulled = false
    this.matrixAutoUpdate = false
    this.visible = false
  }

  /** Begin anew, with none. */
  begin(): void {
    this.lines = 0
  }

  /** One more line, between two places of `points`. */
  line(points: Float32Array, from: number, to: number): void {
    if (this.lines === this.room) this.makeRoom(Math.max(64, 2 * this.room))
    const { held } = this
    for (let c = 0; c < 4; c += 1) {
      const at = FLOATS * (4 * this.lines + c)
      for (let k = 0; k < 3; k += 1) {
        held[at + k] = points[from + k] ?? 0
        held[at + 3 + k] = points[to + k] ?? 0
      }
    }
    this.lines += 1
  }

  /** Hand over what was added since the beginning. */
  finish(): void {
    this.visible = this.lines > 0
    this.geometry.setDrawRange(0, 6 * this.lines)
    const sent = this.geometry.getAttribute('start') as InterleavedBufferAttribute | undefined
    if (!sent) return
    sent.data.clearUpdateRanges()
    sent.data.addUpdateRange(0, 4 * FLOATS * this.lines)
    sent.data.needsUpdate = true
  }

  /** Show these in the place of those before: six numbers each. */
  show(lines: Float32Array): void {
    this.begin()
    if (lines.length / 6 > this.room) this.makeRoom(lines.length / 6)
    for (let i = 0; i + 5 < lines.length; i += 6) this.line(lines, i, i + 3)
    this.finish()
  }

  private makeRoom(room: number): void {
    const held = new Float32Array(4 * FLOATS * room)
    held.set(this.held)
    const index = new Uint32Array(6 * room)
    for (let n = 0; n < room; n += 1) {
      for (let c = 0; c < 4; c += 1) {
        held[FLOATS * (4 * n + c) + 6] = c < 2 ? -1 : 1
        held[FLOATS * (4 * n + c) + 7] = c % 2 ? 1 : -1
      }
      for (let k = 0; k < 6; k += 1) index[6 * n + k] = 4 * n + (SIDES[k] ?? 0)
    }
    this.geometry.dispose()
    this.geometry = new BufferGeometry()
    const buffer = new InterleavedBuffer(held, FLOATS).setUsage(DynamicDrawUsage)
    this.geometry.setAttribute('start', new InterleavedBufferAttribute(buffer, 3, 0))
    this.geometry.setAttribute('end', new InterleavedBufferAttribute(buffer, 3, 3))
    this.geometry.setAttribute('corner', new InterleavedBufferAttribute(buffer, 2, 6))
    this.geometry.setIndex(new BufferAttribute(index, 1))
    this.held = held
    this.room = room
  }

  drop(): void {
    this.geometry.dispose()
    this.material.dispose()
  }
}

const SIDES = [0, 1, 2, 2, 1, 3] // two triangles of four corners

/** Lines a px wide, for very many. */
export function thinLines(points: Float32Array): LineSegments<BufferGeometry, RawShaderMaterial> {
  const geometry = new BufferGeometry()
  geometry.setAttribute('position', new BufferAttribute(points, 3))
  const lines = new LineSegments(geometry, lineMaterial(thinVertex, thinFragment, 1))
  lines.frustumCulled = false
  return lines
}

const PLAIN = 'gl_FragColor = vec4( diffuseColor.rgb, alpha );'
const SOFT = `
#ifndef WORLD_UNITS
float off = abs( vUv.y ) > 1.0 ? length( vec2( vUv.x, vUv.y > 0.0 ? vUv.y - 1.0 : vUv.y + 1.0 ) ) : abs( vUv.x );
alpha *= 1.0 - smoothstep( max( 0.0, 1.0 - 2.0 / linewidth ), 1.0, off );
#endif
${PLAIN}`

/** A dashed line of ink, `width` px wide. */
export function dashedMaterial(width: number, more: LineMaterialParameters = {}): LineMaterial {
  const material = new LineMaterial({
    linewidth: width + 1,
    worldUnits: false,
    transparent: true,
    depthWrite: false,
    dashed: true,
    ...more,
  })
  material.onBeforeCompile = (shader) => {
    shader.fragmentShader = shader.fragmentShader.replace(PLAIN, SOFT)
  }
  return material
}
