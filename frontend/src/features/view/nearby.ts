import type { Spot } from './layout'

/** Near a contour the pointer is easily beside the body: places a little around it, in px. */
export const AROUND = [
  [0, 0],
  [5, 0],
  [-5, 0],
  [0, 5],
  [0, -5],
] as const

/** How far a place on the screen lies from a segment, px. */
export function toSegment(x: number, y: number, a: Spot, b: Spot): number {
  const [ux, uy] = [b.x - a.x, b.y - a.y]
  const t = ((x - a.x) * ux + (y - a.y) * uy) / Math.max(ux * ux + uy * uy, 1e-9)
  const s = Math.max(0, Math.min(1, t))
  return Math.hypot(x - a.x - s * ux, y - a.y - s * uy)
}
