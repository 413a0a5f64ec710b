import { describe, expect, it, test } from 'vitest'
import type { BenchView } from './api/client'
import { changedDocument } from './changes'
import { differenceInWords } from './differences'
import { readingText } from './measuring'
import { figureOf, inItsUnit } from './number'
import type { NumberTarget } from './number'
import {
  areaText,
  lengthChange,
  lengthText,
  lengthTyped,
  lengthsOf,
  niceLength,
  placeText,
  volumeText,
  writtenLength,
} from './units'

const MM = lengthsOf(null)
const INCHES = lengthsOf({ unit: 'in' })
const target = (raw: NumberTarget['raw'], value: number, unit = 'mm'): NumberTarget => ({
  address: 'p1/s1/values/width',
  words: 'Its width.',
  value,
  raw,
  unit,
  whole: false,
  least: 0,
  most: 1e9,
  step: 0.1,
  part: 'p1',
  edit: (v) => ({ kind: 'set_value', part: 'p1', step: 's1', key: 'width', value: v }),
})

test.each<[number, Parameters<typeof lengthsOf>[0], string]>([
  [12.7, null, '12.7 mm'],
  [12.7, { unit: 'in' }, '0.5 in'],
  [12.7, { unit: 'cm' }, '1.27 cm'],
  [12.7, { unit: 'mm', decimals: 3 }, '12.700 mm'],
  [-1.26, { unit: 'mm', decimals: 1 }, '−1.3 mm'],
  [1 / 3, { unit: 'in', decimals: 4 }, '0.0131 in'],
  [0.0004, { unit: 'mm', decimals: 2 }, '0.0004 mm'], // never nothing where there is something
  [0, { unit: 'mm', decimals: 2 }, '0.00 mm'],
])('%s mm in %j is %s', (mm, shown, text) => {
  expect(lengthText(mm, lengthsOf(shown)).replace('\u2009', ' ')).toBe(text)
})

test('places, areas, volumes and changes have the unit of the bench', () => {
  expect(placeText([25.4, -50.8, 0], INCHES)).toBe('1, −2, 0\u2009in')
  expect(areaText(645.16, INCHES)).toBe('1\u2009in²')
  expect(volumeText(16387.064, INCHES)).toBe('1\u2009in³')
  expect(volumeText(63_500, MM)).toBe('63.5\u2009cm³')
  expect(volumeText(12, MM)).toBe('12\u2009mm³')
  expect(volumeText(12, lengthsOf({ unit: 'cm' }))).toBe('0.012\u2009cm³')
  expect(lengthChange(2.54, INCHES)).toBe('+0.1\u2009in')
  expect(readingText({ what: 'radius', value: 6.35, unit: 'mm' }, INCHES)).toBe('R 0.25\u2009in')
  expect(readingText({ what: 'angle', value: 90, unit: '°' }, INCHES)).toBe('90°')
})

describe('a length as it is typed', () => {
  it.each<[string, number | null, number | null]>([
    ['12', 12, 304.8],
    ['8,5', 8.5, 215.9],
    ['.5 in', 12.7, 12.7],
    ['1/8 in', 3.175, 3.175],
    ['3/8"', 9.525, 9.525],
    ['5 1/2 in', 139.7, 139.7],
    ['1/2', 0.5, 12.7],
    ['2 ft', 609.6, 609.6],
    ['2\' 6"', 762, 762],
    ['−3 mm', -3, -3],
    ['1/0', null, null],
    ['abc', null, null],
    ['', null, null],
    ['3 kg', null, null],
    ['1e400', null, null],
  ])('%s', (text, inMm, inInches) => {
    expect(lengthTyped(text, MM)).toBe(inMm)
    expect(lengthTyped(text, INCHES)).toBe(inInches)
  })
  it('is kept in mm, a fraction as it is written, a formula as it is', () => {
    expect(writtenLength('2', INCHES)).toBe(50.8)
    expect(writtenLength('3/64', INCHES)).toBe('3/64 in')
    expect(writtenLength('3/64', MM)).toBe('3/64')
    expect(writtenLength('8 mm', INCHES)).toBe('8 mm')
    expect(writtenLength('foot / 2', INCHES)).toBe('foot / 2')
    expect(writtenLength('', INCHES)).toBe(null)
  })
})

describe('a number of a bench in inches', () => {
  it('is shown, limited and typed over in inches, and stays mm in the file', () => {
    const t = inItsUnit(target(50.8, 50.8), INCHES)
    expect([t.value, t.raw, t.unit, t.own]).toEqual([2, 2, 'in', undefined])
    expect(t.most * 25.4).toBeCloseTo(1e9)
    expect(t.edit(3)).toMatchObject({ value: 76.2 })
    expect(t.edit('1/4')).toMatchObject({ value: '1/4 in' })
    expect(t.edit(null)).toMatchObject({ value: null })
  })
  it('keeps a unit of its own, and what is no length is left alone', () => {
    expect(inItsUnit(target('8 mm', 8), INCHES)).toMatchObject({ unit: 'mm', own: true, value: 8 })
    expect(inItsUnit(target('2 cm', 20), INCHES)).toMatchObject({ unit: 'cm', own: true, value: 2 })
    expect(inItsUnit(target(30, 30, '°'), INCHES)).toMatchObject({ unit: '°', value: 30 })
    expect(inItsUnit(target('foot / 2', 25.4), INCHES)).toMatchObject({ raw: 'foot / 2', value: 1 })
    expect(inItsUnit(target('2\' 6"', 762), INCHES).value).toBe(30)
  })
  it('goes there and back for any size', () => {
    for (let i = 1; i < 200; i += 1) {
      const mm = Number((1.37 ** (i - 100)).toPrecision(9))
      for (const l of [INCHES, lengthsOf({ unit: 'cm', decimals: 2 })]) {
        const t = inItsUnit(target(mm, mm), l)
        const back = t.edit(t.value) as { value: number }
        expect(Math.abs(back.value - mm)).toBeLessThan(1e-11 * mm)
      }
    }
  })
  it('is shown with the decimals that are set, angles as they were', () => {
    const l = lengthsOf({ unit: 'in', decimals: 3 })
    expect(figureOf(inItsUnit(target(10, 10), l))).toBe('0.394')
    expect(figureOf(inItsUnit(target(30, 30, '°'), l))).toBe('30')
    expect(figureOf(inItsUnit(target('1 cm', 10), l))).toBe('1')
  })
  it('has steps that are round in inches', () => {
    expect(niceLength(254, INCHES) / 25.4).toBeCloseTo(0.02, 12)
    expect(niceLength(254, MM)).toBe(0.5)
  })
})

test('a change of how lengths are shown is told as one, and nothing else of it', () => {
  const before = { name: 'A', shown: { unit: 'mm' } } as unknown as BenchView['document']
  const shown = { unit: 'in', decimals: null }
  expect(changedDocument(before, { shown } as never)).toEqual({ name: 'A', shown })
})

test('what a change did is told in the unit of the bench', () => {
  const part = (wide: number, mesh: string) =>
    ({ mesh, faces: 6, volume: wide, steps: [], error: null, bounds: [[0, 0, 0], [wide, 1, 1]] }) as never // prettier-ignore
  expect(differenceInWords(part(25.4, 'a'), part(50.8, 'b'), INCHES)).toContain(
    '+1\u2009in along X',
  )
})
