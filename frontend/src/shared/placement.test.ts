import { describe, expect, it } from 'vitest'
import type { Part, PartView } from './api/client'
import {
  POINTING,
  axisName,
  matrixOfTurn,
  mirrorPlane,
  movedBy,
  oneMore,
  placementOf,
  plus,
  times,
  turnOfMatrix,
  turnedAbout,
  zeroOf,
} from './placement'

const part = (placement: Part['placement']): Part =>
  ({ id: 'p1', name: 'P', recipe: [], placement }) as unknown as Part

function view(move: number[], turn: number[]): PartView {
  const m = matrixOfTurn(turn)
  const matrix = [0, 1, 2].flatMap((i) => [...(m[i] ?? []), move[i] ?? 0]).concat([0, 0, 0, 1])
  return {
    matrix,
    placed: { move, turn, scale: [1, 1, 1], zero: [0, 0, 0], extents: {} },
  } as unknown as PartView
}

describe('turns', () => {
  it('come back from their matrices', () => {
    for (const turn of [
      [10, 20, 30],
      [-170, 80, 5],
      [0, 90, 0],
      [90, -90, 20],
      [180, 0, 0],
    ]) {
      const m = matrixOfTurn(turn)
      const again = matrixOfTurn(turnOfMatrix(m))
      m.forEach((row, i) => row.forEach((x, k) => expect(again[i]?.[k]).toBeCloseTo(x, 9)))
    }
  })
  it('of the six ways to point have their names', () => {
    for (const [name, turn] of POINTING) expect(axisName(turn)).toBe(name)
    expect(axisName([0, 12, 0])).toBeNull()
  })
})

describe('placements', () => {
  it('keep formulas and take set extents along', () => {
    const p = placementOf(part({ move: ['gap * 2', 1, 0], extents: { bottom: 3, left: 'a' } }))
    const moved = movedBy(p, [5, 0, -1.5])
    expect(moved.move).toEqual(['gap * 2 + 5', 1, -1.5])
    expect(moved.extents).toEqual({ bottom: 1.5, left: 'a + 5' })
  })
  it('turn about a place on the bench', () => {
    const p = part({ move: [10, 0, 0], turn: [0, 0, 30] })
    const turned = turnedAbout(p, view([10, 0, 0], [0, 0, 30]), 2, 90, [0, 0, 0])
    expect(turned.move).toEqual([0, 10, 0])
    expect(turned.turn).toEqual([0, 0, 120])
  })
  it('go on by the same step, also when the step turns', () => {
    const straight = oneMore(
      view([0, 0, 0], [0, 0, 0]),
      view([5, 1, 0], [0, 0, 0]),
      part({ move: [5, 1, 0] }),
    )
    expect(straight.move).toEqual([10, 2, 0])
    // a sixth of a turn about the origin, from 10 mm out
    const at = (a: number) => [
      10 * Math.cos((a * Math.PI) / 180),
      10 * Math.sin((a * Math.PI) / 180),
      0,
    ]
    const second = part({ move: at(60), turn: [0, 0, 60] })
    const next = oneMore(view(at(0), [0, 0, 0]), view(at(60), [0, 0, 60]), second)
    expect(next.turn).toEqual([0, 0, 120])
    next.move.forEach((x, k) => expect(x).toBeCloseTo(at(120)[k] ?? 0, 8))
  })
  it('add to formulas tidily', () => {
    for (const [from, by, to] of [
      ['foot', 12, 'foot + 12'],
      ['foot + 12', 12, 'foot + 24'],
      ['size - 12.5', 12.5, 'size'],
      ['2 * (a + 3) - 4', 1, '2 * (a + 3) - 3'],
      ['2 * (a + 3)', 1, '2 * (a + 3) + 1'],
      ['1e-3', 1, '1e-3 + 1'],
      ['a * -3', 1, 'a * -3 + 1'],
      ['a/2+0.1', 0.2, 'a/2 + 0.3'],
      ['5 in', -2, '5 in - 2'],
      ['a < 3', 1, '(a < 3) + 1'],
      [4, 0.1, 4.1],
      ['a', 0, 'a'],
    ] as const)
      expect(plus(from, by)).toBe(to)
  })
  it('know where a zero point of its own stands', () => {
    const v = view([1, 2, 3], [0, 0, 90])
    ;(v.placed ?? { zero: [] }).zero = [4, 0, 0]
    zeroOf(v).forEach((x, k) => expect(x).toBeCloseTo([1, 6, 3][k] ?? 0, 12))
    expect(times(matrixOfTurn([0, 0, 90]), matrixOfTurn([0, 0, -90]))[0]?.[0]).toBeCloseTo(1)
  })
})

describe('the plane of a mirror image', () => {
  it('is one that the part stands clear of, left and right first', () => {
    expect(
      mirrorPlane([
        [2, -5, 0],
        [9, 5, 8],
      ]),
    ).toBe('x')
    expect(
      mirrorPlane([
        [-9, 1, 0],
        [0, 5, 8],
      ]),
    ).toBe('x')
    expect(
      mirrorPlane([
        [-4, 3, 0],
        [4, 9, 8],
      ]),
    ).toBe('y')
    expect(
      mirrorPlane([
        [-4, -9, 0],
        [4, 0, 8],
      ]),
    ).toBe('y')
    expect(
      mirrorPlane([
        [-4, -3, 0],
        [4, 3, 8],
      ]),
    ).toBe('x')
    expect(mirrorPlane(null)).toBe('x')
  })
})
