import { describe, expect, it } from 'vitest'
import { elementOf, extentOf, pointsOf, readElements, rulesFor, withElements } from './pickRules'
import { at as standsAt, inWords, piecesOf, withAt } from './pickWords'

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
    const bytes = new ArrayBuffer(40 + 36 + 24 + 8 + 12 + 12 + 36 + 4)
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
    // its history goes with an element that is picked by hand; the triangle looks up
    const history = [
      { step: 's1', group: 'walls', parent: -1 },
      { step: 's2', group: 'strips', parent: 0 },
    ]
    e.lineage[0] = 1
    const found = elementOf(e, 'faces', 0, history)
    expect(found.normal).toEqual([0, 0, 1])
    expect(found.lineage).toEqual([
      ['s1', 'walls'],
      ['s2', 'strips'],
    ])
    expect(extentOf(e)).toEqual({ centre: [0.5, 0.5, 0], size: [1, 1, 0] })
  })
})

describe('rules in words', () => {
  it('have their numbers apart, and each can be set where it stands', () => {
    const pick = {
      join: [
        { rule: 'sharper_than', angle: 30 },
        {
          but_not: {
            rule: 'grown',
            by: 2,
            pick: { rule: 'inside', shape: 'ball', centre: [1, 2, 3], radius: 4 },
          },
        },
      ],
    }
    const pieces = piecesOf(pick)
    const numbers = pieces.filter((p) => typeof p !== 'string')
    expect(numbers.map((n) => standsAt(pick, n.path))).toEqual([30, 4, 1, 2, 3, 2])
    const wider = numbers.reduce<unknown>((p, n, i) => withAt(p, n.path, 100 + i), pick)
    expect(numbers.map((n) => standsAt(wider, n.path))).toEqual([100, 101, 102, 103, 104, 105])
    expect(standsAt(pick, ['join', 0, 'angle'])).toBe(30) // the old one stays as it was
  })
  it('say something for every rule that can be chosen', () => {
    for (const { pick } of rulesFor(null, { rule: 'rim' }, undefined, ['brass']))
      expect(inWords(pick)).not.toMatch(/undefined|object/)
    expect(inWords({ rule: 'belonging_to', pick: { of: 'faces', rule: 'rim' } })).toBe(
      'of the faces on the rim',
    )
  })
})
