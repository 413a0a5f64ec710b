import { Color, GLSL3, Matrix4, RawShaderMaterial, Vector3, Vector4 } from 'three'
import type { Object3D } from 'three'
import type { BodyData } from './buffers'
import { MOST_FACETS } from './Facets'
import { bodyVertex } from './shaders'

export const FINISHES = 16 // as the shader has room for, the part's own first

/** What a body is drawn with. */
export function bodyMaterial(
  fragment: string,
  ink: Color,
  paper: Color,
  moss: Color,
): RawShaderMaterial {
  const u = (value: unknown) => ({ value })
  return new RawShaderMaterial({
    glslVersion: GLSL3,
    vertexShader: bodyVertex,
    fragmentShader: fragment,
    side: 2,
    defines: {},
    polygonOffset: true,
    polygonOffsetFactor: 2, // more than half the width of a line, which would be half hidden else
    polygonOffsetUnits: 1,
    uniforms: {
      colours: u(Array.from({ length: FINISHES }, () => new Color())),
      looks: u(Array.from({ length: FINISHES }, () => new Vector3(0, 0.5, 0))),
      ink: u(ink),
      paper: u(paper),
      moss: u(moss),
      lines: u(1),
      grey: u(0),
      alpha: u(1),
      pale: u(0),
      bands: u(0),
      lights: u([]),
      shade: u(1),
      eye: u(new Vector4()),
      cuts: u([new Vector4(0, 0, 0, 1), new Vector4(0, 0, 0, 1)]),
      whole: u(1),
      facets: u(new Float32Array(4 * MOST_FACETS)),
      facetCount: u(0),
      wide: u(1),
      domed: u(0),
    },
  })
}

export function setWorld(body: {
  matrix: Matrix4
  data: BodyData
  mesh: Object3D
  sharp: Object3D
}): void {
  const world = body.matrix.clone().multiply(new Matrix4().makeTranslation(...body.data.origin))
  for (const o of [body.mesh, body.sharp]) {
    o.matrixAutoUpdate = false
    o.matrix.copy(world)
  }
}

export function set(uniforms: RawShaderMaterial['uniforms'], name: string, value: unknown): void {
  const u = uniforms[name]
  if (u) u.value = value
}

export function sameNumbers(a: readonly number[] | null, b: readonly number[] | null): boolean {
  return a === b || (!!a && !!b && a.length === b.length && a.every((x, i) => x === b[i]))
}

export function setAll(
  uniforms: RawShaderMaterial['uniforms'],
  values: Readonly<Record<string, unknown>>,
): void {
  for (const [name, value] of Object.entries(values)) set(uniforms, name, value)
}

/** What a shader of bodies may have beyond the plain one. */
export type Extra =
  'BANDS' | 'CUT' | 'FINE' | 'FINISHED' | 'GLASS' | 'HATCHED' | 'OUTLINED' | 'STONE' | 'TRACED'

/** What a body's shader has beyond the plain one, each for a price: a section, faces of other finishes, marks of change, light followed through a stone; or for less. */
export function draws(material: RawShaderMaterial, what: Extra, on: boolean): void {
  const { [what]: was, ...others } = material.defines as Record<string, number>
  if (on === (was !== undefined)) return
  material.defines = on ? { ...others, [what]: 1 } : others
  material.needsUpdate = true
}

/** Draw with what lies ahead of the section's planes taken away, or whole again. */
export function cutWith(material: RawShaderMaterial, cuts: readonly Vector4[] | null): void {
  draws(material, 'CUT', cuts !== null)
  if (cuts) set(material.uniforms, 'cuts', cuts)
}
