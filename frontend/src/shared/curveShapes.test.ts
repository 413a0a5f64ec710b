import { describe, expect, it } from 'vitest'
import { READY, mirrored, moved, negated, reversed } from './curveShapes'

const bent = [
  { id: 'a', at: [0, 0], join: 'bezier' as const, out: [1, 2] },
  { id: 'b', at: ['foot / 2', 4], join: 'straight' as const, in: [-1, 0], fillet: 2 },
  { id: 'c', at: [9, -3], join: 'smooth' as const },
]

describe('all points of a curve', () => {
  it('run the other way, each piece with them, and back again', () => {
    const open = reversed(bent, false)
    expect(open.map((p) => [p.id, p.join])).toEqual([
      ['c', 'straight'],
      ['b', 'bezier'],
      ['a', 'straight'],
    ])
    expect([open[1]?.out, open[2]?.in, open[1]?.fillet]).toEqual([[-1, 0], [1, 2], 2])
    const closed = reversed(bent, true)
    expect(closed.map((p) => p.join)).toEqual(['straight', 'bezier', 'smooth'])
    expect(reversed(closed, true)).toEqual(bent)
  })

  it('are mirrored twice to what they were, formulas too', () => {
    expect(mirrored(bent, 0).map((p) => p.at[0])).toEqual([0, '-(foot / 2)', -9])
    expect(mirrored(mirrored(bent, 0), 0)).toEqual(bent)
    expect([negated('-(a) + (b)'), negated('-(a * (b))')]).toEqual(['-(-(a) + (b))', 'a * (b)'])
  })

  it('are moved, formulas by what is added to them', () => {
    expect(moved(bent, 0, 2.5).map((p) => p.at[0])).toEqual([2.5, '(foot / 2) + 2.5', 11.5])
    expect(moved(bent, 1, -1)[1]?.at).toEqual(['foot / 2', 3])
  })
})

describe('ready curves', () => {
  it('are as large as asked for, with as many coordinates as their kind has', () => {
    for (const r of READY)
      for (const size of [0.01, 20, 5e4]) {
        const points = r.make(size)
        const across = points.map((p) => Number(p.at[0]))
        expect(new Set(points.map((p) => p.at.length))).toEqual(
          new Set([r.kind === 'path' ? 3 : 2]),
        )
        expect((Math.max(...across) - Math.min(...across)) / size).toBeGreaterThan(0.7)
        expect((Math.max(...across) - Math.min(...across)) / size).toBeLessThan(1.5)
        expect(new Set(points.map((p) => p.id)).size).toBe(points.length)
      }
  })
})
