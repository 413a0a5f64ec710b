import { describe, expect, it } from 'vitest'
import type { Curve, CurveView } from '../../shared/api/client'
import { handleSnaps, pointSnaps } from './snaps'

type Point = CurveView['points'][number]

const point = (id: string, at: number[], more: Partial<Point> = {}): Point => ({
  id,
  at,
  fillet: 0,
  chamfer: 0,
  join: 'straight',
  out: at.map(() => 0),
  into: at.map(() => 0),
  ...more,
})

function curve(points: Point[], closed = false): [Curve, CurveView] {
  const shared = { id: 'c1', name: 'C', kind: 'profile' as const, closed }
  const written: Curve = { ...shared, points: points.map((p) => ({ id: p.id, at: p.at })) }
  const view: CurveView = {
    ...shared,
    points,
    samples: points.map((p) => p.at),
    length: 1,
    crosses: null,
    steps: [],
    deformed: [],
    fillets: [],
    traced: null,
    error: null,
  }
  return [written, view]
}

const BENT = [
  point('p1', [0, 0], { join: 'bezier', out: [0, 5] }),
  point('p2', [10, 0], { into: [-4, 4] }),
  point('p3', [20, -5]),
  point('p4', [30, -5]),
]

describe('what a point of the board can be drawn to', () => {
  it('is the line on which a straight piece goes on from the piece beside it', () => {
    const [c, view] = curve(BENT)
    const found = pointSnaps(c, view, [0, 1], 'p3', ['p3'])
    // from p2 on, as the Bezier piece comes to it; nothing follows p4
    expect(found.rays).toEqual([{ at: [10, 0], way: [-4, 4], words: 'tangent' }])
    expect(found.spots.map((s) => s.words)).toEqual(['point 1', 'point 2', 'point 4'])
    expect(found.levels.at(-1)).toEqual({ at: [0, 0], words: 'the axis' })
  })
  it('goes round a closed curve, from both sides', () => {
    const [c, view] = curve(BENT, true)
    const rays = pointSnaps(c, view, [0, 1], 'p4', ['p4']).rays
    expect(rays.map((r) => [r.at, r.way])).toEqual([
      [
        [20, -5],
        [-10, 5],
      ],
      [
        [0, 0],
        [0, 5],
      ],
    ])
  })
  it('is nothing that moves along with it', () => {
    const [c, view] = curve(BENT)
    const found = pointSnaps(c, view, [0, 1], 'p3', ['p2', 'p3', 'p4'])
    expect([found.rays, found.spots.length]).toEqual([[], 1])
  })
  it('is, of a handle, the way of the piece on the other side of its point', () => {
    const [c, view] = curve(BENT)
    expect(handleSnaps(c, view, [0, 1], 'p2', 'into').rays).toEqual([
      { at: [10, 0], way: [10, -5], words: 'tangent' },
    ])
    expect(handleSnaps(c, view, [0, 1], 'p1', 'out').rays).toEqual([])
  })
})
