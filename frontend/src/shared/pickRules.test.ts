import { describe, expect, it } from 'vitest'
import { inWords, pointsOf, readElements, withElements } from './pickRules'

const at = (x: number) => ({ at: [x, 0, 0], normal: [0, 0, 1] })
const sharp = { rule: 'sharper_than', angle: 30 }

describe('a pick by hand', () => {
  it('adds to a list and takes from it', () => {
    const one = withElements({ rule: 'by_hand', elements: [] }, [at(1), at(2)], 'and_also')
    expect(one).toEqual({ rule: 'by_hand', elements: [at(1), at(2)] })
    expect(withElements(one, [at(1)], 'but_not')).toEqual({ rule: 'by_hand', elements: [at(2)] })
    expect(withElements(one, [at(2)], 'and_also')['elements']).toHaveLength(2)
  })
  it('says but not behind a rule, and takes that back', () => {
    const out = withElements(sharp, [at(1)], 'but_not')
    expect(out).toEqual({ join: [sharp, { but_not: { rule: 'by_hand', elements: [at(1)] } }] })
    const more = withElements(out, [at(2)], 'but_not')
    expect((more['join'] as unknown[]).length).toBe(2)
    expect(withElements(withElements(more, [at(1)], 'and_also'), [at(2)], 'and_also')).toEqual(
      sharp,
    )
  })
  it('keeps what was put in apart from what was taken out', () => {
    const both = withElements(withElements(sharp, [at(1)], 'but_not'), [at(5)], 'and_also')
    expect(inWords(both)).toBe('sharper than 30°, but not 1 by hand, and also 1 by hand')
    expect(withElements(both, [at(5)], 'but_not')).toEqual({
      join: [sharp, { but_not: { rule: 'by_hand', elements: [at(1)] } }],
    })
  })
})

describe('elements', () => {
  it('are read in place', () => {
    // one triangle: 3 points, 3 edges, 1 face, 3 corners
    const bytes = new ArrayBuffer(40 + 36 + 24 + 8 + 12 + 12 + 36)
    new Uint32Array(bytes, 0, 4).set([3, 3, 1, 3])
    new Float64Array(bytes.slice(16, 40))
    new Float32Array(bytes, 40, 9).set([0, 0, 0, 1, 0, 0, 0, 1, 0])
    new Uint32Array(bytes, 76, 6).set([0, 1, 0, 2, 1, 2])
    new Uint32Array(bytes, 100, 2).set([0, 3])
    new Uint32Array(bytes, 108, 3).set([0, 2, 1])
    new Uint32Array(bytes, 120, 3).set([0, 1, 2])
    const e = readElements('x', bytes)
    expect(pointsOf(e, 'edges', 2)).toEqual([1, 2])
    expect(pointsOf(e, 'faces', 0)).toEqual([0, 1, 2])
    expect(pointsOf(e, 'points', 1)).toEqual([1])
    expect(e.edgeNormals).toHaveLength(9)
  })
})
