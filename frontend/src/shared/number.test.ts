import { expect, test } from 'vitest'
import { written } from './format'
import { inFile, inItsUnit, isFormula } from './number'
import type { NumberTarget } from './number'

const target = (raw: number | string, value: number, unit = 'mm'): NumberTarget => ({
  address: 'p1/s1/values/width',
  words: '',
  value,
  raw,
  unit,
  whole: false,
  least: 0,
  most: 1e9,
  step: 0.2,
  part: 'p1',
  edit: (v) => ({ kind: 'set_value', part: 'p1', step: 's1', key: 'width', value: v }),
})

test.each([
  '12', '-3.5', '.5', '1e3', '8,5', '1/8 in', '5 1/2 in', '3/8"', "2' 6\"", "2'", '5′ 6 1/2″', '2 ft', '30 deg', '25 %', '1/8',
])('%s is a number that was typed', (text) => {
  expect(isFormula(text)).toBe(false)
}) // prettier-ignore

test.each(['flutes', '2 * 3', '360 / flutes', '1/8 in + 1', 'max(8,5)', '1/2/3'])(
  '%s is a formula',
  (text) => {
    expect(isFormula(text)).toBe(true)
  },
)

test.each<[string, number | string | null]>([
  ['8,5', 8.5],
  ['-0,25', -0.25],
  ['0,500', 0.5],
  ['1,000', '1,000'], // could be a thousand: the server asks
  ['8,5 mm', '8,5 mm'],
  ['3 × 4', '3 * 4'],
  ['', null],
])('%s is kept as %s', (text, kept) => {
  expect(written(text)).toBe(kept)
})

test.each<[string, number, string, string, number, number]>([
  ['1/8 in', 3.175, 'mm', 'in', 0.125, 25.4],
  ['3/8"', 9.525, 'mm', 'in', 0.375, 25.4],
  ['2 cm', 20, 'mm', 'cm', 2, 10],
  ["1.5'", 457.2, 'mm', 'ft', 1.5, 304.8],
  ['1 rad', 180 / Math.PI, '°', 'rad', 1, 180 / Math.PI],
])('%s is shown and typed over in its unit', (raw, value, unit, own, number, per) => {
  const t = inItsUnit(target(raw, value, unit))
  expect([t.unit, t.value, t.per]).toEqual([own, number, per])
  expect(t.fraction).toBe(raw.includes('/') ? raw : undefined) // read as it was written
  expect(inFile(t)).toBeCloseTo(value, 9)
  expect(t.edit(0.5)).toMatchObject({ value: `0.5 ${own}` })
  expect(t.edit('3 mm')).toMatchObject({ value: '3 mm' }) // another one is taken as it is typed
  expect(t.edit(null)).toMatchObject({ value: null })
})

test.each<[number | string, string]>([
  [5, 'mm'],
  ['5 mm', 'mm'],
  ['flutes * 1 in', 'mm'],
  ['25 %', 'mm'],
  ['30 deg', '°'],
  ['2\' 6"', 'mm'], // in two units: shown in mm
])('%s stays in the unit of its kind', (raw, unit) => {
  const t = target(raw, 12, unit)
  expect(inItsUnit(t)).toBe(t)
})
