import { describe, expect, it } from 'vitest'
import { meantPlace } from './curveSnap'

const none = { near: 0.5, grid: 1, spots: [], rays: [], levels: [] }

describe('a place that is dragged on the board', () => {
  it('goes by the grid where nothing is near', () => {
    expect(meantPlace([2.2, 3.7], none)).toEqual({ at: [2, 4], words: null, lines: [] })
  })
  it('goes to a point before anything else', () => {
    const spots = [{ at: [2.25, 3.5] as const, words: 'point 3' }]
    expect(meantPlace([2.2, 3.7], { ...none, spots }).at).toEqual([2.25, 3.5])
    expect(meantPlace([2.2, 4.7], { ...none, spots }).words).toBe(null)
  })
  it('goes on a tangent, and where two lines cross', () => {
    const rays = [{ at: [0, 0] as const, way: [1, 1] as const, words: 'tangent' }]
    const on = meantPlace([5.2, 4.9], { ...none, rays })
    expect(on.words).toBe('tangent')
    expect(on.at[0]).toBeCloseTo(5.05)
    expect(on.at[1]).toBeCloseTo(5.05)
    const levels = [{ at: [9, 5.3] as const, words: 'point 2' }]
    const both = meantPlace([5.2, 5.1], { ...none, rays, levels })
    expect(both.words).toBe('tangent, level with point 2')
    expect(both.at).toEqual([5.3, 5.3])
    expect(both.lines.length).toBe(2)
  })
  it('goes level with a point, by the grid along it', () => {
    const levels = [{ at: [9, 5.3] as const, words: 'point 2' }]
    expect(meantPlace([3.1, 5.1], { ...none, levels })).toEqual({
      at: [3, 5.3],
      words: 'level with point 2',
      lines: [
        [
          [9, 5.3],
          [3, 5.3],
        ],
      ],
    })
    expect(meantPlace([8.8, 1.2], { ...none, levels }).at).toEqual([9, 1])
  })
})
