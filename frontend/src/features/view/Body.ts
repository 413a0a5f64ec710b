import {
  BufferGeometry,
  Color,
  DoubleSide,
  FrontSide,
  LineSegments,
  Matrix4,
  Mesh,
  OrthographicCamera,
  Vector2,
  Vector3,
} from 'three'
import type { PerspectiveCamera, RawShaderMaterial, Scene, Vector4 } from 'three'
import type { LineSegments2 } from 'three/addons/lines/LineSegments2.js'
import { acceleratedRaycast } from 'three-mesh-bvh'
import { FINISHES, cutWith, draws, set, setAll } from './bodyMaterial'
import { fillGeometry, moveGeometry } from './buffers'
import { Clusters } from './Clusters'
import { InkLines, thinLines } from './inkLine'
import type { BodyData } from './buffers'
import { facetsOf, placedFacets } from './Facets'
import type { Facets } from './Facets'
import { Outline, readOutline } from './Outline'
import { readStrips, withStrips } from './Strips'

export interface Finish {
  colour: string
  metal: number
  roughness: number
  clear: number
  refraction: number
}

/** How a body is shown beside its finish, and whether it can be pointed at. */
export interface As {
  locked: boolean
  through: boolean
  reference: boolean
}

export interface Body {
  data: BodyData
  mesh: Mesh<BufferGeometry, RawShaderMaterial>
  sharp: InkLines
  /** its geometry with all faces, for pointing; what is drawn may leave out those that look away */
  whole: BufferGeometry
  clusters: Clusters | null
  /** where it turns away from the eye; found once it rests, until then its shader draws one */
  outline: Outline | null
  /** whether it, or some of its faces, have the finish of a cut stone */
  stone: boolean
  /** of a cut stone what bounds it, in its own space; null of what is none, undefined until it is asked for */
  facets: Facets | null | undefined
  /** of what it was asked for */
  asked: BodyData | null
  /** the same edges where they lie behind a body */
  behind: LineSegments2 | null
  matrix: Matrix4
  /** all that it is shown by beside its data, as one text */
  shown: string
  as: As
  ticks: LineSegments | null
}

const EDGE = 1.5 // px: how wide sharp edges and outlines are
export const MOST_FAT_LINES = 20_000 // of more all are a px wide

/** What draws a body, with nothing in it yet. */
export function newBody(id: string, data: BodyData, as: As, material: RawShaderMaterial): Body {
  const mesh = new Mesh(new BufferGeometry(), material)
  mesh.frustumCulled = false
  mesh.userData['part'] = id
  const whole = new BufferGeometry()
  // rays meet all faces from both sides, also those that are not drawn: a section may show the inside
  mesh.raycast = (ray, hits) => {
    const drawn = mesh.geometry
    const { side } = material
    const runs = mesh as unknown as Runs
    const batched = runs.isBatchedMesh
    mesh.geometry = whole
    material.side = DoubleSide
    runs.isBatchedMesh = false // which is how it is drawn, not what it is
    acceleratedRaycast.call(mesh, ray, hits)
    runs.isBatchedMesh = batched
    material.side = side
    mesh.geometry = drawn
  }
  return {
    data,
    mesh,
    sharp: new InkLines(EDGE),
    whole,
    clusters: null,
    outline: null,
    stone: false,
    facets: undefined,
    asked: null,
    behind: null,
    matrix: new Matrix4(),
    shown: '',
    as,
    ticks: null,
  }
}

/** Take a body's thin lines away, if it has any. */
export function dropThin(body: Body): void {
  for (const lines of thinOf(body)) {
    body.sharp.remove(lines)
    lines.geometry.dispose()
    lines.material.dispose()
  }
}

/** The thin lines of a body. */
function thinOf(body: Body): LineSegments<BufferGeometry, RawShaderMaterial>[] {
  return body.sharp.children.filter(
    (c): c is LineSegments<BufferGeometry, RawShaderMaterial> => c instanceof LineSegments,
  )
}

/** Put other data in the place of what a body shows. */
export function fillBody(body: Body, data: BodyData): void {
  const { geometry } = body.mesh
  // with strips other arrays were put in the place of its own
  const own = geometry.index?.array === body.data.index
  if (own && data.form && data.form === body.data.form) moveGeometry(geometry, data)
  else {
    fillGeometry(geometry, data)
    fillGeometry(body.whole, data, geometry)
  }
  body.data = data
  body.clusters = null
  body.facets = undefined
  delete body.whole.boundsTree
  // all alike: of very many the first alone is a strong one, for the others to hang on
  const few = data.sharp.length / 6 <= MOST_FAT_LINES
  const lines = data.sharp.subarray(0, few ? data.sharp.length : 6)
  body.sharp.show(lines)
  dropThin(body)
  if (data.sharp.length > lines.length) body.sharp.add(thinLines(data.sharp.subarray(lines.length)))
}

/** What bends light more than glass does is drawn as a cut stone: what is seen in it comes from its own facets. */
const isStone = (f: Finish) => f.clear > 0 && f.refraction > 1.6

/** Finishes, and how it is shown beside them: what is seen through is drawn last and hides nothing. */
export function dressBody(body: Body, finish: Finish, as: As, others: readonly Finish[]): void {
  body.as = as
  const glass = finish.clear > 0 && !isStone(finish)
  const through = as.through || as.reference || glass
  body.mesh.material.transparent = through
  body.mesh.material.depthWrite = !as.through && !glass
  body.mesh.renderOrder = as.through || glass ? 2 : as.reference ? 1 : 0
  const u = body.mesh.material.uniforms
  set(u, 'alpha', as.through ? 0.28 : as.reference ? 0.62 : 1)
  set(u, 'pale', as.reference ? 0.72 : 0)
  const looks = Array.from({ length: FINISHES }, (_, i) => (i ? others[i - 1] : finish) ?? finish)
  draws(body.mesh.material, 'FINISHED', others.length > 0)
  set(
    u,
    'colours',
    looks.map((f) => new Color(f.colour).convertLinearToSRGB()),
  )
  set(
    u,
    'looks',
    looks.map((f) => new Vector3(f.metal, f.roughness, isStone(f) ? f.refraction : f.clear)),
  )
  body.stone = looks.some(isStone)
  draws(body.mesh.material, 'STONE', body.stone)
  draws(
    body.mesh.material,
    'GLASS',
    looks.some((f) => f.clear > 0 && !isStone(f)),
  )
}

/** Follow the light through a stone, or have its stand-in drawn: the first takes a graphics card. */
export function traceStone(body: Body, on: boolean): void {
  if (body.stone && body.facets === undefined) body.facets = facetsOf(body.data)
  set(body.mesh.material.uniforms, 'domed', body.facets ? 0 : 1)
  draws(body.mesh.material, 'TRACED', on && body.stone && !!body.facets)
  placeFacets(body)
}

/** Put the facets of a stone where it stands, for the light that is followed through it. */
export function placeFacets(body: Body): void {
  if (!body.facets) return
  const { planes, count, across } = placedFacets(body.facets, body.mesh.matrix)
  setAll(body.mesh.material.uniforms, { facets: planes, facetCount: count, wide: across })
}

/** Runs of faces of a large closed body, worked out once it rests; with strips finer ones may be drawn as one. */
export function cluster(body: Body, bytes: ArrayBuffer | null = null): void {
  const { data, mesh } = body
  if (!data.closed || (body.clusters && !bytes)) return
  const strips = bytes && readStrips(bytes, data)
  if (bytes && !strips) return
  const drawn = strips ? { ...data, ...withStrips(data, strips) } : data
  body.clusters = new Clusters(drawn, strips)
  if (!strips) return
  const marked = mesh.geometry.getAttribute('changed')
  fillGeometry(mesh.geometry, drawn)
  mesh.geometry.setAttribute('changed', marked)
  mesh.geometry.setDrawRange(0, 3 * data.triangles)
}

/** Give a body that rests its outline. */
export function outline(body: Body, bytes: ArrayBuffer, scene: Scene): void {
  const data = readOutline(bytes, body.data)
  if (!data) return
  dropOutline(body, scene)
  // a little wider than edges, for the body may hide what lies inside of it
  body.outline = new Outline(data, EDGE + 0.5)
  scene.add(body.outline)
}

/** Take a body's outline away, if it has any. */
export function dropOutline(body: Body, scene: Scene): void {
  if (!body.outline) return
  scene.remove(body.outline)
  body.outline.drop()
  body.outline = null
}

/** How lines look in this picture. */
export interface Ink {
  ink: Color
  resolution: Vector2
  cut: readonly Vector4[] | null
}

/** Lines of a body for this picture: its sharp edges, and its outline as it is seen. */
export function drawLines(body: Body, sight: Seen, { ink, resolution, cut }: Ink): void {
  const { outline, mesh, sharp } = body
  draws(mesh.material, 'OUTLINED', outline !== null)
  if (outline) {
    outline.matrix.copy(mesh.matrix)
    outline.renderOrder = mesh.renderOrder + 0.5
    const parallel = toLocal(body, sight)
    outline.look(eye, parallel)
  }
  const alpha = body.as.reference ? 0.45 : 1
  for (const lines of [sharp, ...thinOf(body), ...(outline ? [outline] : [])]) {
    setAll(lines.material.uniforms, { ink, resolution, alpha })
    cutWith(lines.material, cut)
  }
}

const inverse = new Matrix4()
const toEye = new Matrix4()
const eye = new Vector3()

export interface Seen {
  camera: PerspectiveCamera | OrthographicCamera
  way: Vector3
  mmPerPx: number
  /** one px, in mm: at a distance of 1 mm, in parallel views everywhere */
  px: number
}

/** Longest sides, px, up to which faces may be lit at their corners: where the surface hardly bends over a face, and at all. */
const SHORT = 16
const TINY = 4
const BEND = 6

/** Draw only what may be seen of a closed body, cut or whole; all of it with `null`. */
export function cull(body: Body, sight: Seen | null, cut: readonly Vector4[] | null = null): void {
  const { clusters, mesh } = body
  const away = !sight || !clusters || body.as.through
  // of a closed body no back is seen, also before it is known which of its faces look away
  const whole = sight !== null && body.data.closed && !body.as.through && !cut
  mesh.material.side = whole ? FrontSide : DoubleSide
  const runs = mesh as unknown as Runs
  runs.isBatchedMesh = !away
  draws(mesh.material, 'FINE', !away && lightAtCorners(body, clusters, sight.mmPerPx))
  if (away) return
  const { camera } = sight
  toEye.multiplyMatrices(camera.projectionMatrix, camera.matrixWorldInverse).multiply(mesh.matrix)
  const parallel = toLocal(body, sight)
  const [least, most] = [smallestScale(mesh.matrix), mesh.matrix.getMaxScaleOnAxis()]
  clusters.look({
    toEye,
    eye,
    parallel,
    // a length of the body is at most so long on the screen
    px: sight.px / (parallel ? most : most / least),
    cut,
    joined: !('HATCHED' in (mesh.material.defines as object)),
  })
  runs._multiDrawStarts = clusters.starts
  runs._multiDrawCounts = clusters.counts
  runs._multiDrawCount = clusters.runs
  runs._multiDrawInstances = null
  runs._colorsTexture = null
}

/** Put the eye, or for parallel views the way it looks, into a body's own space; whether it is parallel is returned. */
function toLocal({ mesh }: Body, { camera, way }: Seen): boolean {
  inverse.copy(mesh.matrix).invert()
  const parallel = camera instanceof OrthographicCamera
  if (parallel) eye.copy(way).transformDirection(inverse)
  else eye.setFromMatrixPosition(camera.matrix).applyMatrix4(inverse)
  return parallel
}

const axis = new Vector3()

function smallestScale(m: Matrix4): number {
  return Math.min(...[0, 1, 2].map((k) => axis.setFromMatrixColumn(m, k).length()))
}

/** Whether faces are so small on the screen that they need not be lit at each pixel. */
function lightAtCorners(body: Body, { grain }: Clusters, mmPerPx: number): boolean {
  const u = body.mesh.material.uniforms
  const glass = (u['looks']?.value as Vector3[]).some((look) => look.z > 0)
  if (glass || u['bands']?.value || body.mesh.material.transparent) return false
  const px = (grain.side * body.mesh.matrix.getMaxScaleOnAxis()) / mmPerPx
  return px <= TINY || (px <= SHORT && grain.bend <= BEND)
}

/** A mesh of which runs of indices are drawn in one call, as the library draws its batches. */
interface Runs {
  isBatchedMesh: boolean
  _multiDrawStarts: Int32Array
  _multiDrawCounts: Int32Array
  _multiDrawCount: number
  _multiDrawInstances: null
  _colorsTexture: null
}

/** Half of the square on the floor over which bodies stand, with room for their shadows, and its middle. */
export function footprint(
  bodies: readonly Body[],
  most: number,
): [number, { x: number; y: number }] {
  const low = new Vector2(Infinity, Infinity)
  const high = new Vector2(-Infinity, -Infinity)
  const p = new Vector3()
  for (const { data, mesh } of bodies) {
    const n = data.position.length / 3
    const step = Math.max(1, Math.floor(n / 500))
    for (let v = 0; v < n; v += step) {
      p.fromArray(data.position, 3 * v).applyMatrix4(mesh.matrix)
      low.min(new Vector2(p.x, p.y))
      high.max(new Vector2(p.x, p.y))
    }
  }
  if (low.x > high.x) return [most, { x: 0, y: 0 }]
  const half = Math.max(high.x - low.x, high.y - low.y) * 0.62 + most * 0.03
  return [Math.min(half, most * 4), { x: (low.x + high.x) / 2, y: (low.y + high.y) / 2 }]
}
