import type { Vector3 } from 'three'
import type { Stage } from './Stage'
import { groundAt } from './surface'
import type { Ground, Spot } from './surface'

const NEAR = 12 // px

/** Of some spots the one that the pointer is near to on the screen. */
export function nearOnScreen(
  stage: Stage,
  spots: readonly Spot[],
  x: number,
  y: number,
  near = NEAR,
): Spot | null {
  let best: Spot | null = null
  let least = near
  for (const s of spots) {
    const p = stage.project(s.at)
    const d = Math.hypot(p.x - x, p.y - y)
    if (d < least) {
      least = d
      best = s
    }
  }
  return best
}

/** What a point snaps to under the pointer: points, edge middles and face centres of bodies other than these. */
export function nearestSpot(
  stage: Stage,
  x: number,
  y: number,
  own: ReadonlySet<string>,
): Spot | null {
  for (const [dx, dy] of AROUND) {
    const ground = groundAt(stage, x + dx, y + dy)
    if (!ground || (ground.part && own.has(ground.part))) continue
    const spot = nearOnScreen(stage, ground.spots, x, y)
    if (spot) return spot
  }
  return null
}

const AROUND = [
  [0, 0],
  [8, 0],
  [-8, 0],
  [0, 8],
  [0, -8],
] as const

/** A place on a ground, snapped to what is near, else to its grid. */
export function snapTo(
  stage: Stage,
  ground: Ground,
  x: number,
  y: number,
  step: number,
  free: boolean,
): { at: Vector3; words: string } {
  if (free) return { at: ground.at, words: '' }
  const spot = nearOnScreen(stage, ground.spots, x, y)
  if (spot) return { at: spot.at.clone(), words: spot.words }
  if (ground.part) return { at: ground.at, words: '' }
  const on = (v: number) => Math.round(v / step) * step
  return { at: ground.at.clone().set(on(ground.at.x), on(ground.at.y), 0), words: '' }
}
