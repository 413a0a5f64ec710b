import { describe, expect, it } from 'vitest'
import { Running, fading, layersOf, pointNormals, readWeights, strokeOf } from './brush'
import type { Brush, Place } from './brush'
import type { Elements } from './pickRules'

const brush: Brush = { how: 'to', to: 1, by: 0.25, even: 10, radius: 3, soft: 0.5 }

/** A sheet of n x n squares of 1 mm at z = 0, facing up; a second one facing down a little below. */
function sheets(n: number): Elements {
  const points: number[] = []
  const corner: number[] = []
  for (const z of [0, -0.1])
    for (let j = 0; j <= n; j += 1) for (let i = 0; i <= n; i += 1) points.push(i, j, z)
  const at = (s: number, i: number, j: number) => s * (n + 1) ** 2 + j * (n + 1) + i
  for (const s of [0, 1])
    for (let j = 0; j < n; j += 1)
      for (let i = 0; i < n; i += 1) {
        const ring = [at(s, i, j), at(s, i + 1, j), at(s, i + 1, j + 1), at(s, i, j + 1)]
        corner.push(...(s ? ring.reverse() : ring))
      }
  const none = new Uint32Array(0)
  return {
    digest: 'd',
    origin: [10, 20, 30],
    points: new Float32Array(points),
    edges: none,
    offsets: Uint32Array.from({ length: 2 * n * n + 1 }, (_, f) => 4 * f),
    cornerEdge: none,
    cornerPoint: Uint32Array.from(corner),
    edgeNormals: new Float32Array(0),
    lineage: new Int32Array(0),
    edgeFace: none,
  }
}

describe('a stroke', () => {
  const body = sheets(20)
  const normals = pointNormals(body)
  const one = 21 * 21
  const middle: Place = [20, 30, 30, 0, 0, 1] // over point (10, 10) of the upper sheet
  const run = (b: Brush, base: number, ...places: Place[]) => {
    const r = new Running(body, normals, new Float32Array(2 * one).fill(base), b)
    for (const p of places) r.on(p)
    return r.weights
  }
  const at = (i: number, j: number) => j * 21 + i

  it('is whole within its core and fades out to its radius', () => {
    const w = run(brush, 0, middle)
    expect(w[at(10, 10)]).toBe(1)
    expect(w[at(11, 10)]).toBe(1)
    expect(w[at(12, 10)]).toBeCloseTo(fading(2, 3, 0.5), 6)
    expect(w[at(13, 10)]).toBe(0)
    expect(fading(2, 3, 0.5)).toBeCloseTo((1 - (0.5 / 1.5) ** 2) ** 2, 12)
  })

  it('leaves what faces away alone', () => {
    const w = run(brush, 0, middle)
    expect(Math.max(...w.slice(one))).toBe(0)
  })

  it('acts once however often it passes, and within 0 and 1', () => {
    const twice = run(
      { ...brush, how: 'by', by: 0.75 },
      0.5,
      middle,
      middle,
      [20.5, 30, 30, 0, 0, 1],
    )
    expect(Math.max(...twice)).toBe(1)
    const down = run({ ...brush, how: 'by', by: -0.25 }, 0.5, middle, middle)
    expect(down[at(10, 10)]).toBeCloseTo(0.25, 6)
  })

  it('evens out nothing by itself: that is shown when the server has answered', () => {
    expect(run({ ...brush, how: 'even' }, 0.5, middle).every((x) => x === 0.5)).toBe(true)
  })

  it('is written with its places, its size and what it does', () => {
    const places = Array.from({ length: 4100 }, () => middle)
    const written = strokeOf({ ...brush, radius: 2.123456789 }, places)
    expect(written).toMatchObject({ radius: 2.12346, soft: 0.5, to: 1 })
    expect((written['places'] as number[][]).length).toBeLessThanOrEqual(2000)
    expect(strokeOf({ ...brush, how: 'even' }, [middle])['even']).toBe(10)
  })
})

describe('a mask', () => {
  it('becomes layers that strokes are laid on, whatever it was', () => {
    expect(layersOf(null)).toEqual({ base: 1, strokes: [] })
    expect(layersOf({ pick: { rule: 'rim' } })).toEqual({
      base: 0,
      strokes: [{ pick: { rule: 'rim' }, to: 1 }],
    })
    expect(layersOf({ graph: [], along: 'z' })).toEqual({
      base: 0,
      strokes: [{ graph: [], along: 'z' }],
    })
    expect(layersOf({ strokes: [1], base: 0.5 })).toEqual({ base: 0.5, strokes: [1] })
  })

  it('is read from one byte a point', () => {
    expect([...readWeights(btoa(String.fromCharCode(0, 51, 255)))]).toEqual([
      0,
      Math.fround(0.2),
      1,
    ])
  })
})
