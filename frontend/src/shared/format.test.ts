import { describe, expect, it } from 'vitest'
import { ago, figure, freeId, niceStep, signed, snapped, whole, withUnit, written } from './format'

describe('numbers as people read them', () => {
  it.each([
    [0, '0'],
    [-0, '0'],
    [1.5, '1.5'],
    [-2, '−2'],
    [0.1 + 0.2, '0.3'],
    [1234567.89, '1234570'],
    [NaN, '–'],
  ])('figure %s', (x, text) => expect(figure(x)).toBe(text))
  it('groups, signs and units', () => {
    expect(whole(1234567)).toBe('1\u2009234\u2009567')
    expect(signed(3)).toBe('+3')
    expect(signed(-0.08)).toBe('−0.08')
    expect(withUnit('30', '°')).toBe('30°')
    expect(withUnit('30', 'mm')).toBe('30\u2009mm')
  })
})

describe('typing', () => {
  it.each<[string, number | string | null]>([
    ['12', 12],
    [' −3.5 ', -3.5],
    ['360 ÷ count', '360 / count'],
    ['2 × 3', '2 * 3'],
    ['1e3', 1000],
    ['', null],
    ['0.5 in', '0.5 in'],
  ])('%s', (text, value) => expect(written(text)).toBe(value))
})

describe('dragging', () => {
  it('steps follow the size and stay exact', () => {
    expect([95, 20, 1000, 1].map(niceStep)).toEqual([0.2, 0.05, 2, 0.002])
    expect(snapped(0.30000000000000004, 0.1)).toBe(0.3)
    expect(snapped(47.93, 0.2)).toBe(48)
  })
})

it('ids are free', () => {
  expect(freeId('s', ['s1', 's3'])).toBe('s4')
  expect(freeId('s', [])).toBe('s1')
})

it('time is told in words', () => {
  expect(ago(100, 120)).toBe('just now')
  expect(ago(0, 7300)).toBe('2 h ago')
})
