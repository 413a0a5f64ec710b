import { describe, expect, it } from 'vitest'
import { across, axisOf, firstPlane, flipped, movedTo, placeOf, takenWords } from './section'
import { readingText } from './measuring'
import { lengthsOf } from './units'

describe('cutting planes', () => {
  it('keep their place when they look the other way', () => {
    for (const axis of ['x', 'y', 'z'] as const)
      for (const sign of [1, -1] as const) {
        const p = across(axis, sign, 7.5)
        expect(placeOf(p)).toBe(7.5)
        expect(axisOf(p)).toEqual({ axis, sign })
        expect(placeOf(flipped(p))).toBe(7.5)
        expect(axisOf(flipped(p))).toEqual({ axis, sign: -sign })
        expect(flipped(flipped(p))).toEqual(p)
        expect(placeOf(movedTo(p, -2))).toBe(-2)
      }
  })

  it('take away what stands before the eye', () => {
    // looking along +Y what lies at less Y goes
    expect(firstPlane([0.3, 0.9, -0.3], [1, 2, 3])).toEqual({ normal: [0, -1, 0], offset: -2 })
    expect(firstPlane([0, 0, -1], [1, 2, 3])).toEqual({ normal: [0, 0, 1], offset: 3 })
    expect(takenWords(across('y', -1, 0))).toBe('the front side')
    expect(takenWords(across('z', 1, 0))).toBe('the upper side')
    expect(takenWords({ normal: [0.6, 0.8, 0], offset: 1 })).toBe('the side ahead')
  })
})

describe('readings', () => {
  it('have their unit', () => {
    expect(readingText({ what: 'radius', value: 6, unit: 'mm' }, lengthsOf(null))).toBe(
      'R 6\u2009mm',
    )
    expect(readingText({ what: 'angle', value: 90, unit: '°' }, lengthsOf(null))).toBe('90°')
    expect(readingText({ what: 'length', value: null, unit: 'mm' }, lengthsOf(null))).toBe('?')
  })
})
