import type { OrthographicCamera, PerspectiveCamera, Vector3 } from 'three'
import type { BodyData } from './buffers'
import type { Looking } from './camera'

/** A way the bench is seen: the large view, or one of the three beside it. */
export interface Sight {
  readonly looking: Looking
  readonly width: number
  readonly height: number
  readonly camera: PerspectiveCamera | OrthographicCamera
  /** A bench point on the screen: px from the upper left, and whether it lies before the eye. */
  project(p: Vector3): { x: number; y: number; ahead: boolean }
  mmPerPx(): number
  faceAt(x: number, y: number): { part: string; face: number; at: Vector3 } | null
  /** What is seen: whether a bench point is not behind a body. */
  seen(): (p: Vector3) => boolean
  hitAt(x: number, y: number): { part: string; triangle: number; data: BodyData } | null
}
