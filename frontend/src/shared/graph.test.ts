import { describe, expect, it } from 'vitest'
import type { Pair } from './dragging'
import {
  asCorner,
  bentTo,
  graphWords,
  handles,
  movedTo,
  nearestOnRun,
  onRun,
  readyShapes,
  sampled,
  setting,
  valueAt,
  withPoint,
  writtenPoints,
} from './graph'
import type { GraphPoint, Written } from './graph'

const point = (
  id: string,
  at: number,
  value: number,
  smooth = false,
  into: Pair | null = null,
  out: Pair | null = null,
): GraphPoint => ({ id, at, value, smooth, into, out })
const written = (points: readonly GraphPoint[]): Written[] =>
  points.map(({ id, at, value, smooth }) => ({ id, at, value, ...(smooth ? { smooth } : {}) }))

const PLACES = [0, 0.05, 0.2, 0.37, 0.5, 0.75, 0.93, 1]
// what the core's graphs come to at these places (jukai.core.geometry.graphs)
const CASES: [GraphPoint[], number[]][] = [
  [
    [point('a', 0, 1), point('b', 0.4, 0.25, true), point('c', 1, 0.5)],
    [1, 0.895996094, 0.53125, 0.258121094, 0.262731481, 0.370515046, 0.467827546, 0.5],
  ],
  [
    [
      point('a', 0.1, 2, true),
      point('b', 0.3, 3, true),
      point('c', 0.6, 3.5, true),
      point('d', 0.9, 1, true),
    ],
    [2, 2, 2.560344828, 3.175371009, 3.427841635, 2.5625, 1, 1],
  ],
  [
    [point('a', 0, 1, false, null, [0.1, 2]), point('b', 1, 2, false, [-0.6, 1])],
    [1, 1.687010618, 2.453723366, 2.653190303, 2.627595608, 2.379009265, 2.114232975, 2],
  ],
  [[point('a', 0.3, 4)], [4, 4, 4, 4, 4, 4, 4, 4]],
  [
    [point('a', 0, 0, true), point('b', 0.5, 1, true, [-0.2, -0.1], [0.3, 0.15]), point('c', 1, 0)],
    [0, 0.108387353, 0.492218655, 0.86328175, 1, 0.827978756, 0.186501478, 0],
  ],
]

describe('a graph on the page', () => {
  it('is the graph of the core', () => {
    for (const [points, values] of CASES) {
      const line = sampled(points, 600)
      PLACES.forEach((x, i) => {
        expect(valueAt(line, x)).toBeCloseTo(values[i] ?? NaN, 4)
      })
    }
  })

  it('stays between the values of two points it passes smoothly', () => {
    let seed = 7
    const chance = () => (seed = (seed * 16807) % 2147483647) / 2147483647
    for (let k = 0; k < 60; k += 1) {
      const n = 2 + Math.floor(chance() * 6)
      const points = Array.from({ length: n }, (_, i) =>
        point(`g${i}`, (i + 0.1 + 0.8 * chance()) / n, chance() * 10 - 5, true),
      )
      for (let i = 1; i < n; i += 1) {
        const [a, b] = [points[i - 1], points[i]]
        if (!a || !b) throw new Error('two points')
        const inside = sampled(points).filter((p) => p[0] >= a.at && p[0] <= b.at)
        for (const [, v] of inside) {
          expect(v).toBeGreaterThanOrEqual(Math.min(a.value, b.value) - 1e-9)
          expect(v).toBeLessThanOrEqual(Math.max(a.value, b.value) + 1e-9)
        }
      }
    }
  })

  it('takes points in order and keeps them apart', () => {
    const points = [point('g1', 0, 1), point('g2', 1, 0)]
    const made = withPoint(written(points), points, 0.4, 0.7)
    expect(made?.points.map((p) => p.at)).toEqual([0, 0.4, 1])
    expect(new Set(made?.points.map((p) => p.id)).size).toBe(3)
    expect(withPoint(written(points), points, 1, 0)).toBeNull()
    const three = [point('a', 0, 1), point('b', 0.5, 1), point('c', 0.6, 1)]
    const at = (to: Pair) => movedTo(written(three), three, 'b', to)[1]
    expect(at([0.9, 3])).toMatchObject({ at: 0.598, value: 3 })
    expect(at([-1, 3])).toMatchObject({ at: 0.002, value: 3 })
    // a number that is a formula stays one
    const formula = written(three).map((p) => (p.id === 'b' ? { ...p, value: 'w / 2' } : p))
    expect(movedTo(formula, three, 'b', [0.3, 9])[1]).toMatchObject({ at: 0.3, value: 'w / 2' })
  })

  it('bends on both sides of a smooth point, on one of a corner', () => {
    const points = [point('a', 0, 1), point('b', 0.5, 1, true), point('c', 1, 0)]
    const before = handles(points)[0]?.second ?? null
    const b = points[1]
    if (!b) throw new Error('a point')
    const [, smooth] = bentTo(written(points), b, 'out', [0.1, 0.2], before)
    expect(smooth?.out).toEqual([0.1, 0.2])
    expect(Number(smooth?.in?.[1]) / Number(smooth?.in?.[0])).toBeCloseTo(2, 4)
    const [, corner] = bentTo(written(points), { ...b, smooth: false }, 'out', [-0.1, 0.2], before)
    expect(corner?.in).toBeUndefined()
    expect(Number(corner?.out?.[0])).toBeGreaterThan(0)
    expect(asCorner([smooth ?? { id: '', at: 0, value: 0 }], 'b', false)).toEqual([
      { id: 'b', at: 0.5, value: 1 },
    ])
  })

  it('has ready shapes that the core takes, one that ends in a point for factors alone', () => {
    for (const unit of ['', 'mm'])
      for (const { points } of readyShapes(unit, 40)) {
        const places = points.map((p) => Number(p.at))
        expect(places).toEqual([...places].sort((a, b) => a - b))
        expect(new Set(places).size).toBe(places.length)
      }
    expect(readyShapes('', 40).some((s) => s.name === 'to a point')).toBe(true)
    expect(readyShapes('mm', 40).some((s) => s.name === 'to a point')).toBe(false)
  })

  it('finds places on the body by its run, and points of the run by their place', () => {
    const run = Array.from({ length: 33 }, (_, i) => {
      const t = (i / 32) * 4 * Math.PI
      return [i / 32, 10 * Math.cos(t), 10 * Math.sin(t), 3 * t]
    })
    for (const place of [0, 0.1, 0.37, 0.5, 0.82, 1]) {
      const at = onRun(run, place)
      expect(at).not.toBeNull()
      const found = nearestOnRun(run, at ?? [])
      expect(found?.place).toBeCloseTo(place, 9)
      expect(found?.far).toBeCloseTo(0, 9)
    }
    // a place on the skin of the wire belongs to the turn it is on
    expect(nearestOnRun(run, [11, 0, 3 * 2 * Math.PI])?.place).toBeCloseTo(0.5, 2)
    expect(nearestOnRun([], [0, 0, 0])).toBeNull()
  })
})

describe('a graph within a value', () => {
  const step = {
    id: 's2',
    operator: 'twist',
    values: { weights: { graph: [{ at: 0, value: 1 }], along: 'z' } },
  }
  const place = { part: 'p1', step: 's2', key: 'weights/graph' }

  it('is read and written at its address', () => {
    const points = writtenPoints(step, place.key)
    expect(points).toEqual([{ id: '0', at: 0, value: 1 }])
    expect(setting(place, points)).toMatchObject({ key: 'weights/graph', value: points })
    expect(graphWords(place.key)).toBe('mask')
  })

  it('takes the value that it stands in with it when it goes', () => {
    expect(setting(place, [])).toMatchObject({ key: 'weights', value: null })
    expect(writtenPoints({ ...step, values: {} }, place.key)).toEqual([])
  })
})
