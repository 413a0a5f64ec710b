import {
  BufferAttribute,
  BufferGeometry,
  GLSL3,
  GreaterDepth,
  LineBasicMaterial,
  LineSegments,
  RawShaderMaterial,
} from 'three'
import type { Color, Matrix4, Plane, Scene, Vector2 } from 'three'
import { LineSegments2 } from 'three/addons/lines/LineSegments2.js'
import { LineSegmentsGeometry } from 'three/addons/lines/LineSegmentsGeometry.js'
import type { Body } from './Body'
import { MOST_FAT_LINES } from './Body'
import { dashedMaterial } from './inkLine'

// a line of the library encodes its colour at each pixel: dear, and the same each time
const floorVertex = `
precision highp float;
uniform mat4 modelViewMatrix, projectionMatrix;
in vec3 position;
void main() { gl_Position = projectionMatrix * modelViewMatrix * vec4(position, 1.0); }`

const floorFragment = `
precision mediump float;
uniform vec3 colour;
out vec4 result;
void main() { result = vec4(colour, 1.0); }`

/** The floor's grid: twelve fields of a fifth of its size to either side; `colour` as it is to appear. */
export function floorLines(
  size: number,
  colour: Color,
): LineSegments<BufferGeometry, RawShaderMaterial> {
  const n = 12
  const step = size / 5
  const rows: number[] = []
  for (let i = -n; i <= n; i += 1) {
    rows.push(i * step, -n * step, 0, i * step, n * step, 0)
    rows.push(-n * step, i * step, 0, n * step, i * step, 0)
  }
  const g = new BufferGeometry()
  g.setAttribute('position', new BufferAttribute(new Float32Array(rows), 3))
  const material = new RawShaderMaterial({
    glslVersion: GLSL3,
    vertexShader: floorVertex,
    fragmentShader: floorFragment,
    uniforms: { colour: { value: colour } },
  })
  const floor = new LineSegments(g, material)
  floor.frustumCulled = false
  floor.renderOrder = 1 // after the bodies: what they hide is not drawn
  floor.position.z = -size * 4e-3 // a hair below: what lies in the floor covers it
  return floor
}

/** Cut each line into a long dash and two short ones. */
export function dashed(lines: Float32Array): Float32Array {
  const out = new Float32Array(lines.length * 3)
  const spans = [0, 0.5, 0.62, 0.72, 0.84, 0.94]
  for (let i = 0; i < lines.length; i += 6)
    for (let d = 0; d < 3; d += 1)
      for (let k = 0; k < 3; k += 1) {
        const a = lines[i + k] ?? 0
        const b = lines[i + 3 + k] ?? 0
        out[i * 3 + d * 6 + k] = a + (b - a) * (spans[2 * d] ?? 0)
        out[i * 3 + d * 6 + 3 + k] = a + (b - a) * (spans[2 * d + 1] ?? 0)
      }
  return out
}

/** Lines as a chain: long dashes and dots, as long as goes evenly into each; both ends are dashes. */
export function chained(lines: readonly (readonly number[])[]): Float32Array {
  const long = Math.max(...lines.map((l) => lengthOf(l)))
  const out: number[] = []
  for (const line of lines) {
    // a dash of five, a gap of one and a half, a dot of one, a gap of one and a half
    const links = Math.max(0, Math.round((lengthOf(line) / long) * LINKS))
    const unit = 1 / (links * 9 + 5)
    const put = (from: number, to: number) => {
      for (const t of [from, to])
        for (const k of [0, 1, 2])
          out.push((line[k] ?? 0) + ((line[k + 3] ?? 0) - (line[k] ?? 0)) * t * unit)
    }
    for (let i = 0; i <= links; i += 1) {
      put(9 * i, 9 * i + 5)
      if (i < links) put(9 * i + 6.5, 9 * i + 7.5)
    }
  }
  return new Float32Array(out)
}

const LINKS = 8

function lengthOf(line: readonly number[]): number {
  return Math.hypot(...[0, 1, 2].map((k) => (line[k + 3] ?? 0) - (line[k] ?? 0)))
}

/** Without a graphics card smoothing costs two thirds of the speed. */
export function rendersInSoftware(): boolean {
  const gl = document.createElement('canvas').getContext('webgl2')
  if (!gl) return true
  const info = gl.getExtension('WEBGL_debug_renderer_info')
  const name = String(
    info ? gl.getParameter(info.UNMASKED_RENDERER_WEBGL) : gl.getParameter(gl.RENDERER),
  )
  gl.getExtension('WEBGL_lose_context')?.loseContext()
  return /swiftshader|llvmpipe|software/i.test(name)
}

/** Short lines that stand with a body. */
export function tickLines(points: Float32Array, colour: Color, matrix: Matrix4): LineSegments {
  const g = new BufferGeometry()
  g.setAttribute('position', new BufferAttribute(points, 3))
  const ticks = new LineSegments(g, new LineBasicMaterial({ color: colour }))
  ticks.frustumCulled = false
  ticks.matrixAutoUpdate = false
  ticks.matrix.copy(matrix)
  return ticks
}

/** How dashed lines look in this picture. */
interface Dashed {
  line: Color
  resolution: Vector2
  clipping: Plane[] | null
  mmPerPx: number
  /** drawn aside, where nothing is encoded */
  aside: boolean
}

/** Sharp edges where they lie behind a body: short dashes, thin (ISO 128-2, line type 02). */
export function showBehind(b: Body, on: boolean, scene: Scene, as?: Dashed): void {
  if (!on || !as || !b.sharp.visible) {
    if (b.behind) {
      scene.remove(b.behind)
      b.behind.geometry.dispose()
      b.behind.material.dispose()
      b.behind = null
    }
    return
  }
  if (!b.behind) {
    const geometry = new LineSegmentsGeometry()
    geometry.setPositions(b.data.sharp.subarray(0, 6 * MOST_FAT_LINES))
    b.behind = new LineSegments2(geometry, dashedMaterial(1, { depthFunc: GreaterDepth }))
    b.behind.computeLineDistances()
    b.behind.frustumCulled = false
    b.behind.renderOrder = 3
    b.behind.matrixAutoUpdate = false
    scene.add(b.behind)
  }
  const m = b.behind.material
  b.behind.matrix.copy(b.sharp.matrix)
  m.color.copy(as.line)
  if (!as.aside) m.color.convertSRGBToLinear()
  m.resolution.copy(as.resolution)
  m.clippingPlanes = as.clipping
  m.clipIntersection = true
  m.dashSize = 6 * as.mmPerPx
  m.gapSize = 4 * as.mmPerPx
}
