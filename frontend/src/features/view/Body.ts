import { BufferGeometry, Color, Matrix4, Mesh, Vector2 } from 'three'
import type { LineSegments, RawShaderMaterial } from 'three'
import { LineSegments2 } from 'three/addons/lines/LineSegments2.js'
import { LineSegmentsGeometry } from 'three/addons/lines/LineSegmentsGeometry.js'
import { acceleratedRaycast } from 'three-mesh-bvh'
import { FINISHES, set } from './bodyMaterial'
import { fillGeometry } from './buffers'
import { inkMaterial } from './inkLine'
import type { BodyData } from './buffers'

export interface Finish {
  colour: string
  metal: number
  roughness: number
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
  sharp: LineSegments2
  /** the same edges where they lie behind a body */
  behind: LineSegments2 | null
  matrix: Matrix4
  as: As
  ticks: LineSegments | null
}

const MOST_FAT_LINES = 20_000

/** What draws a body, with nothing in it yet. */
export function newBody(id: string, data: BodyData, as: As, material: RawShaderMaterial): Body {
  const mesh = new Mesh(new BufferGeometry(), material)
  const sharp = new LineSegments2(new LineSegmentsGeometry(), inkMaterial(1.5))
  mesh.frustumCulled = false
  sharp.frustumCulled = false
  mesh.userData['part'] = id
  mesh.raycast = acceleratedRaycast
  return { data, mesh, sharp, behind: null, matrix: new Matrix4(), as, ticks: null }
}

/** Put other data in the place of what a body shows. */
export function fillBody(body: Body, data: BodyData): void {
  body.data = data
  fillGeometry(body.mesh.geometry, data)
  delete body.mesh.geometry.boundsTree
  body.sharp.geometry.dispose()
  body.sharp.geometry = new LineSegmentsGeometry()
  const few = data.sharp.length / 6 <= MOST_FAT_LINES
  const lines = few ? data.sharp : data.sharp.slice(0, MOST_FAT_LINES * 6)
  if (lines.length) body.sharp.geometry.setPositions(lines)
  body.sharp.visible = lines.length > 0
}

/** Finishes, and how it is shown beside them: what is seen through is drawn last and hides nothing. */
export function dressBody(body: Body, finish: Finish, as: As, others: readonly Finish[]): void {
  body.as = as
  const through = as.through || as.reference
  body.mesh.material.transparent = through
  body.mesh.material.depthWrite = !as.through
  body.mesh.renderOrder = as.through ? 2 : as.reference ? 1 : 0
  const u = body.mesh.material.uniforms
  set(u, 'alpha', as.through ? 0.28 : as.reference ? 0.62 : 1)
  set(u, 'pale', as.reference ? 0.72 : 0)
  body.sharp.material.opacity = as.reference ? 0.45 : 1
  const looks = Array.from({ length: FINISHES }, (_, i) => (i ? others[i - 1] : finish) ?? finish)
  set(
    u,
    'colours',
    looks.map((f) => new Color(f.colour).convertLinearToSRGB()),
  )
  set(
    u,
    'looks',
    looks.map((f) => new Vector2(f.metal, f.roughness)),
  )
}
