import { Raycaster, Vector2, Vector3 } from 'three'
import type { OrthographicCamera, PerspectiveCamera, Scene, WebGLRenderer } from 'three'
import { MeshBVH } from 'three-mesh-bvh'
import { Depth } from './Depth'
import type { Cuts } from './Cuts'
import { cull } from './Body'
import type { Body } from './Body'

const FEW_TRIANGLES = 600

/** A tree of boxes pays from some hundred triangles on; faces keep their order. */
export function ready(b: Body): void {
  if (!b.whole.boundsTree && b.data.triangles > FEW_TRIANGLES)
    b.whole.boundsTree = new MeshBVH(b.whole, { indirect: true })
}

/** What pointing needs to know of a view. */
export interface Seen {
  renderer: WebGLRenderer
  camera: PerspectiveCamera | OrthographicCamera
  cuts: Cuts
  width: number
  height: number
  perspective: boolean
}

/** What a place on the screen means: the bodies under it, and what is seen from the eye. */
export class Pointing {
  private readonly stage: Seen
  private readonly bodies: ReadonlyMap<string, Body>
  private readonly scene: Scene

  constructor(stage: Seen, bodies: ReadonlyMap<string, Body>, scene: Scene) {
    this.stage = stage
    this.bodies = bodies
    this.scene = scene
  }

  /** The part and polygon under a place on the screen, and where it was met. */
  faceAt(x: number, y: number): { part: string; face: number; at: Vector3 } | null {
    const hit = this.cast(x, y, (b) => !b.as.locked && !b.as.reference)
    if (!hit) return null
    const face = hit.body.data.triangleFace[hit.triangle] ?? 0
    return { part: hit.part, face, at: hit.at }
  }

  /** The triangle of any body under a place on the screen, references and locked parts too. */
  hitAt(x: number, y: number) {
    const hit = this.cast(x, y, (b) => !b.mesh.userData['placing'])
    return hit && { ...hit, mesh: hit.body.mesh, data: hit.body.data }
  }

  /** The place and the outward direction of the face under a place on the screen. */
  faceUnder(x: number, y: number): { at: Vector3; normal: Vector3 } | null {
    const hit = this.hitAt(x, y)
    if (!hit) return null
    const [a, b, c] = [0, 1, 2].map((k) =>
      new Vector3()
        .fromArray(hit.data.position, 3 * (hit.data.index[3 * hit.triangle + k] ?? 0))
        .applyMatrix4(hit.mesh.matrixWorld),
    )
    if (!a || !b || !c) return null
    const normal = b.sub(a).cross(c.sub(a)).normalize()
    if (hit.mesh.matrixWorld.determinant() < 0) normal.negate()
    return { at: hit.at, normal }
  }

  private cast(x: number, y: number, which: (b: Body) => boolean) {
    const { width, height, camera, cuts } = this.stage
    const ray = new Raycaster()
    ray.setFromCamera(new Vector2((x / width) * 2 - 1, 1 - (y / height) * 2), camera)
    // what the section takes away is looked through
    const cut = cuts.planes.length > 0
    ray.firstHitOnly = !cut
    const open = [...this.bodies.values()].filter(which)
    for (const b of open) {
      b.mesh.updateMatrixWorld(true)
      ready(b)
    }
    const hits = ray.intersectObjects(
      open.map((b) => b.mesh),
      false,
    )
    const hit = cut ? hits.find((h) => !cuts.gone(h.point)) : hits[0]
    const part = hit?.object.userData['part'] as string | undefined
    const body = part === undefined ? undefined : this.bodies.get(part)
    if (!hit || part === undefined || !body) return null
    return { part, body, triangle: hit.faceIndex ?? 0, at: hit.point }
  }

  /** What is seen: whether a bench point is not behind a body. */
  seen(): (p: Vector3) => boolean {
    const { renderer, camera, width, height, perspective } = this.stage
    // all faces, not the runs that another view drew last
    for (const b of this.bodies.values()) cull(b, null)
    const bodies = [...this.bodies.values()].map((b) => b.mesh)
    const depth = new Depth(
      renderer,
      this.scene,
      camera,
      bodies,
      Math.round(width),
      Math.round(height),
    )
    const { near, far } = camera
    const far_ = (z: number) =>
      perspective ? (near * far) / (far - z * (far - near)) : near + z * (far - near)
    const at = new Vector3()
    return (p) => {
      at.copy(p).project(camera)
      const there = depth.at(((at.x + 1) / 2) * width, ((1 - at.y) / 2) * height)
      return far_((at.z + 1) / 2) <= far_(there) * 1.002
    }
  }
}
