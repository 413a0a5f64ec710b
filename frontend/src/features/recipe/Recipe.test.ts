import { describe, expect, it } from 'vitest'
import { isFormula } from '../../shared/number'
import { placeAfter } from './order'

describe('reordering', () => {
  it.each([
    [0, 2, 'c'],
    [2, 0, null],
    [1, 2, 'c'],
    [2, 1, 'a'],
  ])('from %d to %d', (from, to, after) =>
    expect(placeAfter(['a', 'b', 'c'], from, to)).toBe(after),
  )
})

describe('formulas', () => {
  it.each([
    ['flutes / 2', true],
    ['48 mm', false],
    ['-1.5', false],
    ['pi', true],
  ])('%s', (text, is) => expect(isFormula(text)).toBe(is))
})
