import {
  BufferAttribute,
  BufferGeometry,
  Color,
  DoubleSide,
  GLSL3,
  Mesh,
  Plane,
  RawShaderMaterial,
  Vector3,
  Vector4,
} from 'three'
import type { Matrix4, Scene, Vector2 } from 'three'
import { setAll } from './bodyMaterial'
import { InkLines } from './inkLine'
import type { CutPlane } from '../../shared/section'

/** What a plane meets of a body, ready to be drawn. */
export interface Cap {
  part: string
  plane: number
  hatch: number
  colour: string
  triangles: Float32Array
  lines: Float32Array
}

interface Held {
  face: Mesh<BufferGeometry, RawShaderMaterial>
  lines: InkLines
}

const vertex = `
precision highp float;
uniform mat4 modelViewMatrix, projectionMatrix;
uniform vec3 across, up;
in vec3 position;
out vec2 vFlat;
void main() {
  vFlat = vec2(dot(position, across), dot(position, up));
  gl_Position = projectionMatrix * modelViewMatrix * vec4(position, 1.0);
}`

// thin lines that keep to the body and stand about as far apart at any distance (ISO 128-50)
const fragment = `
precision highp float;
uniform vec3 ground, ink;
uniform vec2 way;
uniform float apart;
in vec2 vFlat;
out vec4 result;
void main() {
  float s = dot(vFlat, way) / apart;
  float d = abs(fract(s) - 0.5);
  float w = fwidth(s);
  float k = 1.0 - smoothstep(0.15 * w, 0.75 * w, d);
  result = vec4(mix(ground, ink, k * 0.8), 1.0);
}`

const PX_APART = 9

/** The caps of a section: filled, hatched per part, with their outlines. */
export class Cuts {
  planes: readonly CutPlane[] = []
  private held: Held[] = []
  private readonly scene: Scene

  constructor(scene: Scene) {
    this.scene = scene
  }

  /** The planes as three keeps them for lines: what lies ahead of all is taken away. */
  clipping(): Plane[] {
    return this.planes.map((p) => new Plane(new Vector3(...p.normal).negate(), p.offset))
  }

  /** The planes in the space of a body, four numbers each: ahead is where they are greater than 0. */
  inside(world: Matrix4): Vector4[] {
    return [0, 1].map((i) => {
      const p = this.planes[i]
      if (!p) return new Vector4(0, 0, 0, 1)
      const e = world.elements
      const [x, y, z] = p.normal
      const row = (k: number) => x * (e[k] ?? 0) + y * (e[k + 1] ?? 0) + z * (e[k + 2] ?? 0)
      return new Vector4(row(0), row(4), row(8), row(12) - p.offset)
    })
  }

  /** Whether a place is taken away. */
  gone(at: Vector3): boolean {
    return (
      this.planes.length > 0 &&
      this.planes.every(
        (p) => at.x * p.normal[0] + at.y * p.normal[1] + at.z * p.normal[2] > p.offset,
      )
    )
  }

  show(caps: readonly Cap[], origin: readonly number[]): void {
    this.drop()
    for (const cap of caps) {
      const plane = this.planes[cap.plane]
      if (!plane) continue
      const g = new BufferGeometry()
      g.setAttribute('position', new BufferAttribute(cap.triangles, 3))
      const [across, up] = axesOf(plane)
      const material = new RawShaderMaterial({
        glslVersion: GLSL3,
        vertexShader: vertex,
        fragmentShader: fragment,
        side: DoubleSide,
        polygonOffset: true,
        polygonOffsetFactor: 1,
        polygonOffsetUnits: 1,
        uniforms: {
          across: { value: across },
          up: { value: up },
          ground: { value: new Color() },
          ink: { value: new Color() },
          way: { value: [Math.SQRT1_2, (cap.hatch % 2 ? -1 : 1) * Math.SQRT1_2] },
          apart: { value: 1 },
        },
      })
      const face = new Mesh(g, material)
      face.userData['hatch'] = cap.hatch
      face.userData['colour'] = new Color(cap.colour).convertLinearToSRGB()
      const lines = new InkLines(2)
      lines.show(cap.lines)
      for (const o of [face, lines]) {
        o.frustumCulled = false
        o.matrixAutoUpdate = false
        o.matrix.makeTranslation(...(origin as [number, number, number]))
        this.scene.add(o)
      }
      this.held.push({ face, lines })
    }
  }

  /** Colours and spacing for the next picture. */
  prepare(ink: Color, paper: Color, mmPerPx: number, resolution: Vector2): void {
    const near = 2 ** Math.round(Math.log2(PX_APART * mmPerPx))
    for (const { face, lines } of this.held) {
      const u = face.material.uniforms
      const hatch = face.userData['hatch'] as number
      const ground = u['ground']?.value as Color | undefined
      ground?.copy(paper).lerp(face.userData['colour'] as Color, 0.3)
      ;(u['ink']?.value as Color | undefined)?.copy(ink)
      if (u['apart']) u['apart'].value = near * (1 + 0.5 * Math.floor(hatch / 2))
      setAll(lines.material.uniforms, { ink, resolution })
    }
  }

  drop(): void {
    for (const { face, lines } of this.held) {
      this.scene.remove(face, lines)
      for (const o of [face, lines]) {
        o.geometry.dispose()
        o.material.dispose()
      }
    }
    this.held = []
  }
}

/** The axes of a plane's own coordinates; its up is the bench's Z where that can be. */
export function axesOf(plane: CutPlane): [Vector3, Vector3] {
  const n = new Vector3(...plane.normal)
  const top = Math.abs(n.z) < 0.999 ? new Vector3(0, 0, 1) : new Vector3(0, 1, 0)
  const across = top.cross(n).normalize()
  return [across, n.clone().cross(across)]
}
