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

/** What a point snaps to under the pointer: points, edge middles and face centres of bodies that it may snap to. */
export function nearestSpot(
  stage: Stage,
  x: number,
  y: number,
  may: (part: string | null) => boolean = () => true,
): (Spot & { ground: Ground }) | null {
  // at a corner the pointer is easily beside the body: look a little around it
  for (const [dx, dy] of AROUND) {
    const ground = groundAt(stage, x + dx, y + dy)
    if (!ground || !may(ground.part)) continue
    const spot = nearOnScreen(stage, ground.spots, x, y)
    if (spot) return { ...spot, ground }
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

/** The ground under the pointer, and on it the place that is meant: what is near, else a crossing of the floor's grid. */
export function meantGround(
  stage: Stage,
  x: number,
  y: number,
  step: number,
  free: boolean,
): { ground: Ground; words: string } | null {
  const under = groundAt(stage, x, y)
  if (free) return under && { ground: under, words: '' }
  const spot = nearestSpot(stage, x, y)
  if (spot) return { ground: { ...spot.ground, at: spot.at.clone() }, words: spot.words }
  if (!under) return null
  const on = (v: number) => Math.round(v / step) * step
  if (!under.part) under.at.set(on(under.at.x), on(under.at.y), 0)
  return { ground: under, words: '' }
}
