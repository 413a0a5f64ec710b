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
