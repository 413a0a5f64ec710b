import { describe, expect, it } from 'vitest'
import { cut, firstReach, inOneLine, pulled, pulls, reaching, split } from './curveMoves'

const spots = [0, 1, 2, 3, 4].map((i) => ({ id: `p${String(i)}`, at: [10 * i, 0] }))
const points = spots.map((s) => ({ id: s.id, at: [...s.at], fillet: 0, join: 'straight' as const }))

describe('points that move together', () => {
  it('are those held alone, or with a reach those near them less and less', () => {
    expect([...pulls(spots, ['p1', 'p3'], null)]).toEqual([
      ['p1', 1],
      ['p3', 1],
    ])
    const soft = pulls(spots, ['p0'], 25)
    expect([...soft.keys()]).toEqual(['p0', 'p1', 'p2'])
    const [one = 0, two = 0] = [soft.get('p1'), soft.get('p2')]
    expect(one).toBeCloseTo((1 - 0.16) ** 2)
    expect(1 > one && one > two && two > 0).toBe(true)
  })
  it('keep formulas and units, and the coordinates of the other axis', () => {
    const rows = [
      { ...points[0], id: 'p0', at: ['w / 2', 0] },
      { ...points[1], id: 'p1', at: [10, '0 mm'] },
    ]
    const moved = pulled(rows, spots, pulls(spots, ['p0', 'p1'], null), [1, 2], [0, 1])
    expect(moved.map((p) => p.at[0])).toEqual(['w / 2', 11])
    expect(moved[0]?.at[1]).toBe(2)
  })
  it('begin with a reach of a quarter of them, a round number', () => {
    expect(firstReach(spots)).toBe(10)
    expect(firstReach(spots.map((s) => ({ ...s, at: s.at.map((x) => x * 1e-4) })))).toBeCloseTo(
      1e-3,
    )
    expect(firstReach([])).toBe(1)
  })
})

describe('a piece in two', () => {
  it('runs as it did: de Casteljau', () => {
    const curve = [
      { id: 'p1', at: [0, 0], out: [0, 8], join: 'bezier' as const },
      { id: 'p2', at: [12, 0], in: [0, 8], join: 'straight' as const },
    ]
    const [a, b, c] = split(curve, 0, false, 'p3', [])
    expect([a?.out, b?.at, b?.in, b?.out, c?.in]).toEqual([
      [0, 4],
      [6, 6],
      [-3, 0],
      [3, 0],
      [0, 4],
    ])
  })
  it('stays a formula where it is one, and is left where there is none', () => {
    const rows = [
      { id: 'p1', at: ['w', 0] },
      { id: 'p2', at: [4, 2] },
    ]
    expect(split(rows, 0, false, 'n', [])[1]?.at).toEqual(['((w) + (4)) * 0.5', 1])
    expect(split(rows, 1, false, 'n', [])).toBe(rows)
    expect(split(rows, 1, true, 'n', []).length).toBe(3)
  })
})

describe('a curve that is cut', () => {
  it('opens where it is closed, else both have the point', () => {
    const [round] = cut(points, 2, true)
    expect(round.map((p) => p.at[0])).toEqual([20, 30, 40, 0, 10, 20])
    const two = cut(points, 2, false)
    expect(two.map((rows) => rows.map((p) => p.at[0]))).toEqual([
      [0, 10, 20],
      [20, 30, 40],
    ])
    expect(cut(points, 0, false).length).toBe(1)
  })
})

describe('a length and an angle that are typed', () => {
  it('set the other end; quarters are exact, formulas stay alive', () => {
    expect(reaching([1, 2], [0, 1], { long: 10, angle: 90 }, 0)).toEqual([1, 12])
    expect(reaching([1, 2], [0, 1], { long: 10, angle: -180 }, 0)).toEqual([-9, 2])
    const [x] = reaching([0, 0], [0, 1], { long: 2, angle: 60 }, 0)
    expect(x).toBeCloseTo(1, 9)
    expect(reaching([0, 5, 7], [0, 2], { long: 'w', angle: 0 }, 5)).toEqual([
      '(0) + (w) * (1.00000000000000)',
      5,
      '(7) + (w) * (0.00000000000000)',
    ])
    expect(reaching([0, 0], [0, 1], { long: 3, angle: 'a' }, 0)).toEqual([
      '(0) + (3) * cos(a)',
      '(0) + (3) * sin(a)',
    ])
  })
})

describe('handles', () => {
  it('lie in one line where they run away from each other', () => {
    expect(inOneLine([2, 1], [-4, -2])).toBe(true)
    expect(inOneLine([2, 1], [4, 2])).toBe(false)
    expect(inOneLine([2, 1], [-4, -2.1])).toBe(false)
    expect(inOneLine([0, 0], [-4, -2])).toBe(false)
  })
})
