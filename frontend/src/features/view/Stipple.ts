import { BufferAttribute, BufferGeometry, GLSL3, Matrix4, Mesh, RawShaderMaterial } from 'three'
import type { Color, Scene } from 'three'
import type { Elements } from '../../shared/pickRules'
import { set, setAll } from './bodyMaterial'

const vertex = /* glsl */ `
precision highp float;
uniform mat4 modelViewMatrix;
uniform mat4 projectionMatrix;
in vec3 position;
in float weight;
out vec3 place;
out float much;
void main() {
  place = position;
  much = weight;
  gl_Position = projectionMatrix * modelViewMatrix * vec4(position, 1.0);
}`

/*
 * Dots of ink that lie on the surface: balls scattered in space, one to each cell of two lattices, cut by the
 * surface. Where more acts they are larger. The cells keep about their size on the screen, by halves of two.
 */
const fragment = /* glsl */ `
precision highp float;
uniform vec3 ink;
uniform float cell;
in vec3 place;
in float much;
out vec4 result;

vec3 scattered(vec3 p) {
  p = fract(p * vec3(0.1031, 0.1030, 0.0973));
  p += dot(p, p.yxz + 33.33);
  return fract((p.xxy + p.yxx) * p.zyx);
}
float dotted(vec3 p, float radius) {
  vec3 at = floor(p);
  vec3 centre = at + mix(vec3(radius), vec3(1.0 - radius), scattered(at));
  float d = length(p - centre);
  float soft = max(length(fwidth(p)) * 0.5, 1e-6);
  return 1.0 - smoothstep(radius - soft, radius + soft, d);
}
void main() {
  float w = clamp(much, 0.0, 1.0);
  if (w < 0.004) discard;
  // the share that balls of this radius take of a cell is what acts: 4/3 pi r^3
  float radius = 0.49 * pow(w, 0.3333);
  vec3 p = place / cell;
  float mark = max(dotted(p, radius), dotted(p * 1.13 + 17.5, radius * 0.8));
  if (mark < 0.02) discard;
  result = vec4(ink, mark * 0.85);
}`

const CELL = 6 // px, about

/** A mask on the body that it weighs: ink stipple that thickens with the weight. */
export class Stipple {
  private readonly mesh: Mesh<BufferGeometry, RawShaderMaterial>
  private readonly scene: Scene

  constructor(scene: Scene, body: Elements, matrix: readonly number[]) {
    this.scene = scene
    const geometry = new BufferGeometry()
    geometry.setAttribute('position', new BufferAttribute(body.points, 3))
    geometry.setAttribute(
      'weight',
      new BufferAttribute(new Float32Array(body.points.length / 3), 1),
    )
    geometry.setIndex(new BufferAttribute(triangles(body), 1))
    const material = new RawShaderMaterial({
      glslVersion: GLSL3,
      vertexShader: vertex,
      fragmentShader: fragment,
      transparent: true,
      depthWrite: false,
      side: 2,
      polygonOffset: true,
      polygonOffsetFactor: -1,
      polygonOffsetUnits: -2,
      uniforms: { ink: { value: null }, cell: { value: 1 } },
    })
    this.mesh = new Mesh(geometry, material)
    this.mesh.matrixAutoUpdate = false
    this.mesh.matrix
      .set(...(matrix as Parameters<Matrix4['set']>))
      .multiply(new Matrix4().makeTranslation(...(body.origin as [number, number, number])))
    this.mesh.renderOrder = 3
    this.mesh.frustumCulled = false
    scene.add(this.mesh)
  }

  show(weights: Float32Array): void {
    const held = this.mesh.geometry.getAttribute('weight') as BufferAttribute
    ;(held.array as Float32Array).set(weights)
    held.needsUpdate = true
  }

  /** Ink and the size of the dots for the next picture. */
  prepare(ink: Color, mmPerPx: number): void {
    set(this.mesh.material.uniforms, 'cell', 2 ** Math.round(Math.log2(CELL * mmPerPx)))
    setAll(this.mesh.material.uniforms, { ink })
  }

  dispose(): void {
    this.scene.remove(this.mesh)
    this.mesh.geometry.dispose()
    this.mesh.material.dispose()
  }
}

/** The faces of a body in triangles, each from its first corner. */
function triangles(body: Elements): Uint32Array {
  const faces = body.offsets.length - 1
  const out = new Uint32Array(3 * Math.max(body.cornerPoint.length - 2 * faces, 0))
  let at = 0
  for (let f = 0; f < faces; f += 1) {
    const first = body.offsets[f] ?? 0
    for (let c = first + 1; c + 1 < (body.offsets[f + 1] ?? 0); c += 1) {
      out[at] = body.cornerPoint[first] ?? 0
      out[at + 1] = body.cornerPoint[c] ?? 0
      out[at + 2] = body.cornerPoint[c + 1] ?? 0
      at += 3
    }
  }
  return out
}
