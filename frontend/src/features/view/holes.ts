import { Vector3 } from 'three'
import { api } from '../../shared/api/client'
import type { OperatorView, PartView } from '../../shared/api/client'
import { matrixOf } from './layout'
import { onPlane, rayAt } from './surface'
import type { Ground } from './surface'
import type { Stage } from './Stage'

/** A round hole on the bench, and what a shape that is set down on it takes from it. */
export interface Hole {
  part: string
  centre: Vector3
  normal: Vector3
  radius: number
  values: Record<string, unknown>
  words: string
}

const BESIDE = 8 // px that the pointer may be outside its rim

/** The round holes of shown bodies, as they stand; what can't be had is left out. */
export async function holesOf(parts: readonly PartView[], operator: OperatorView): Promise<Hole[]> {
  if (!operator.placing?.hole) return []
  const shown = parts.filter((p) => p.mesh && !p.hidden)
  const found = await Promise.all(
    shown
      .map(async (p) => {
        const m = matrixOf(p)
        const scale = Math.cbrt(Math.abs(m.determinant())) || 1
        const { holes } = await api.holes(p.mesh ?? '', operator.id, scale)
        return holes.map((h) => {
          const centre = new Vector3().fromArray(h.centre)
          const tip = centre.clone().add(new Vector3().fromArray(h.normal)).applyMatrix4(m)
          centre.applyMatrix4(m)
          return {
            part: p.part,
            centre,
            normal: tip.sub(centre).normalize(),
            radius: h.radius * scale,
            values: h.values,
            words: h.words,
          }
        })
      })
      .map((p) => p.catch(() => [])),
  )
  return found.flat()
}

/** The hole whose mouth lies under the pointer and looks to the eye; of several the nearest. */
export function holeAt(stage: Stage, holes: readonly Hole[], x: number, y: number): Hole | null {
  const ray = rayAt(stage, x, y)
  let best: Hole | null = null
  let least = Infinity
  for (const h of holes) {
    if (ray.direction.dot(h.normal) >= 0) continue
    const p = onPlane(ray, h.centre, h.normal)
    if (!p || p.distanceTo(h.centre) > h.radius + BESIDE * stage.mmPerPx()) continue
    const far = p.distanceTo(ray.origin)
    if (far < least) {
      least = far
      best = h
    }
  }
  // behind another body it is not meant
  const hit = best && stage.hitAt(x, y)
  return hit && hit.at.distanceTo(ray.origin) < least - (best?.radius ?? 0) / 2 ? null : best
}

/** The ground that a shape on a hole stands on: the middle of its mouth. */
export function groundOf(h: Hole): Ground {
  const x = new Vector3(1, 0, 0).addScaledVector(h.normal, -h.normal.x)
  const along = x.length() > 0.3 ? x : new Vector3(0, 1, 0).addScaledVector(h.normal, -h.normal.y)
  return {
    at: h.centre.clone(),
    normal: h.normal.clone(),
    along: along.normalize(),
    part: h.part,
    spots: [],
  }
}

/** What is said of a hole under the pointer. */
export function holeWords(h: Hole, length: (mm: number) => string): string {
  return `hole ⌀ ${length(2 * h.radius)}: ${h.words}`
}
