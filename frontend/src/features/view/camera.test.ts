import { PerspectiveCamera, Vector3 } from 'three'
import { describe, expect, it } from 'vitest'
import {
  TITLES,
  closer,
  fitted,
  mmPerPx,
  moved,
  place,
  screenAxes,
  titleOf,
  turned,
  way,
} from './camera'
import type { Looking } from './camera'
import { markChanged, readBody } from './buffers'
import { placeLeaders } from './layout'

const at = (around: number, above: number): Looking => ({
  target: [0, 0, 0],
  around,
  above,
  distance: 100,
})

describe('first-angle views', () => {
  it('front looks along +Y, side along +X, top down', () => {
    for (const [name, x, y, z] of [
      ['front', 0, 1, 0],
      ['side', 1, 0, 0],
      ['top', 0, 0, -1],
    ] as const) {
      const l = at(TITLES[name].around, TITLES[name].above)
      expect(way(l).distanceTo(new Vector3(x, y, z))).toBeLessThan(1e-12)
      expect(titleOf(l)).toBe(name)
    }
    const [right, up] = screenAxes(at(0, 90))
    expect([right.x, up.y]).toEqual([1, expect.closeTo(1, 12)])
  })
  it('never turns over', () => {
    expect(turned(at(0, 80), 0, 100).above).toBe(90)
    expect(turned(at(0, -80), 0, -100).above).toBe(-90)
  })
})

describe('moving', () => {
  it('keeps what is under the pointer under it', () => {
    const camera = new PerspectiveCamera()
    const l = at(30, 20)
    const scale = mmPerPx(l, 600)
    const project = (looking: Looking, p: Vector3) => {
      place(camera, looking, 800, 600, 50)
      const v = p.clone().project(camera)
      return [v.x * 400, -v.y * 300] as const
    }
    const p = new Vector3(...l.target)
    const [x] = project(moved(l, 40, 0, scale), p)
    expect(x).toBeCloseTo(40, 6)
    const near = closer(moved(l, 40, 25, scale), 0.5, 40, 25, scale)
    const [a, b] = project(near, p)
    expect(a).toBeCloseTo(40, 4)
    expect(b).toBeCloseTo(25, 4)
  })
  it('shows a ball whole', () => {
    const l = fitted(at(0, 0), [5, 5, 5], 40, 800, 600)
    expect(40 / (l.distance * Math.tan((13 * Math.PI) / 180))).toBeLessThan(1)
  })
})

describe('callouts', () => {
  it('are never over each other', () => {
    const rows = Array.from({ length: 12 }, (_, i) => ({
      key: String(i),
      anchor: { x: 300 + (i % 3), y: 200 + i },
    }))
    const out = placeLeaders(
      rows,
      { left: 200, right: 400, top: 100, bottom: 500 },
      { width: 760, height: 700 },
      { left: 415, right: 760, top: 520, bottom: 700 },
    )
    expect(out).toHaveLength(12)
    for (const a of out)
      for (const b of out)
        if (a !== b && a.end === b.end)
          expect(Math.abs(a.label.y - b.label.y)).toBeGreaterThanOrEqual(24)
  })
})

describe('words beside a body', () => {
  const rows = [
    { key: 'a', anchor: { x: 300, y: 300 } },
    { key: 'b', anchor: { x: 310, y: 330 } },
  ]
  const column = (left: number, top: number) =>
    placeLeaders(
      rows,
      { left: 200, right: 320, top: 250, bottom: 400 },
      { width: 1000, height: 700 },
      { left: 700, right: 1000, top: 600, bottom: 700 },
      0,
      [{ left, right: left + 120, top, bottom: top + 90 }],
    )[0]?.label.x ?? 0
  it('stand on no other body that is near', () => {
    expect(column(700, 280)).toBe(360)
    expect(column(360, 280)).toBe(496)
    expect(column(360, 420)).toBe(360) // it lies below them
    expect(column(360, -100)).toBe(360)
    expect(column(120, 280)).toBe(360) // behind them
  })
  it('slide and never jump', () => {
    for (let left = 100; left < 700; left += 1)
      expect(Math.abs(column(left, 280) - column(left + 1, 280))).toBeLessThan(12)
    for (let top = -100; top < 500; top += 1)
      expect(Math.abs(column(370, top) - column(370, top + 1))).toBeLessThan(12)
  })
})

describe('drawing data', () => {
  const bytes = (shift: number): ArrayBuffer => {
    const buffer = new ArrayBuffer(72 + 36 + 12 + 4 + 12 + 4 + 12 + 12)
    new Uint32Array(buffer, 0, 12).set([0x31564b4a, 1, 3, 1, 1, 0, 0])
    new Float32Array(buffer, 72, 9).set([0, 0, shift, 1, 0, 0, 0, 1, 0])
    new Uint32Array(buffer, 108, 3).set([0, 1, 2])
    return buffer
  }
  it('is read in place, and changed faces are marked', () => {
    const a = readBody('a', bytes(0))
    const b = readBody('b', bytes(2))
    expect([...a.index]).toEqual([0, 1, 2])
    expect([...markChanged(b, a)]).toEqual([255, 255, 255])
    expect([...markChanged(readBody('c', bytes(0)), a)]).toEqual([0, 0, 0])
  })
  it('of another version is refused', () => {
    expect(() => readBody('x', new ArrayBuffer(80))).toThrow('another version')
  })
})
