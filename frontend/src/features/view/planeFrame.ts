import { Vector3 } from 'three'
import type { CutPlane } from '../../shared/section'
import { axesOf } from './Cuts'
import type { Spot } from './layout'
import type { Sight } from './Sight'

/** The four corners on the screen of what is drawn of a cutting plane: as far as the bodies reach, and a little more. */
export function planeFrame(sight: Sight, plane: CutPlane, corners: readonly Vector3[]): Spot[] {
  const [u, v] = axesOf(plane)
  const at = new Vector3(...plane.normal).multiplyScalar(plane.offset)
  const range = (w: Vector3) => {
    const d = corners.map((c) => c.dot(w))
    const [low, high] = [Math.min(...d), Math.max(...d)]
    const room = (high - low) * 0.06 + 1e-6
    return [low - room, high + room] as const
  }
  const [[u0, u1], [v0, v1]] = [range(u), range(v)]
  const put = (a: number, b: number) =>
    sight.project(
      at
        .clone()
        .addScaledVector(u, a - at.dot(u))
        .addScaledVector(v, b - at.dot(v)),
    )
  return [put(u0, v0), put(u1, v0), put(u1, v1), put(u0, v1)]
}
