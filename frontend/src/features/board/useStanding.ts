import { useRef } from 'react'
import type { Curve, CurveView } from '../../shared/api/client'
import { pulled, pulls } from '../../shared/curveMoves'
import type { Pair } from '../../shared/dragging'
import type { Plane } from '../../shared/planes'

type Points = Curve['points']
type Spots = CurveView['points']

/** Moves some points from where they stand: the points, as they are written then; `keep` says that they are sent so. */
export interface Moving {
  size: number
  to: (by: Pair) => Points
  keep: (by: Pair) => void
}

/**
 * The points of a curve as they stand with what was sent and not answered yet: a list that is sent while the server is away
 * must not lose the one before it.
 */
export function useStanding(curve: Curve, view: CurveView | undefined) {
  const sent = useRef<{ before: Points; points: Points; spots: Spots } | null>(null)
  return (held: readonly string[], soft: number | null, plane: Plane): Moving => {
    const s = sent.current?.before === curve.points ? sent.current : null
    const points = s?.points ?? curve.points
    const spots = s?.spots ?? view?.points ?? []
    const how = pulls(spots, held, soft)
    const to = (by: Pair) => pulled(points, spots, how, by, plane)
    const keep = (by: Pair) => {
      const moved = spots.map((p) => {
        const pull = how.get(p.id) ?? 0
        const at = p.at.map((x, k) => x + pull * (by[plane.indexOf(k)] ?? 0))
        return { ...p, at }
      })
      sent.current = { before: curve.points, points: to(by), spots: moved }
    }
    return { size: how.size, to, keep }
  }
}
