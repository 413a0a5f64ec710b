import { PerspectiveCamera } from 'three'
import { describe, expect, it } from 'vitest'
import type { PartView } from '../../shared/api/client'
import { TITLES, mmPerPx, place } from './camera'
import type { Looking } from './camera'
import { apartFromEachOther, overall } from './layout'
import type { Spot } from './layout'
import { placeLeaders } from './leaders'
import type { Sight } from './Sight'

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

describe('grips in a small view', () => {
  it('stand beside each other where they have the same place', () => {
    const spots = [
      { x: 10, y: 10 },
      { x: 12, y: 10 },
      { x: 10, y: 10 },
      { x: 50, y: 10 },
      { x: 10, y: 30 },
    ]
    const out = apartFromEachOther(spots, 8)
    expect(out[0]).toEqual(spots[0])
    expect(out[3]).toEqual(spots[3])
    expect(out[4]).toEqual(spots[4])
    for (const [i, a] of out.entries())
      for (const b of out.slice(i + 1))
        expect(Math.hypot(a.x - b.x, a.y - b.y)).toBeGreaterThanOrEqual(8)
  })
})

/** A view of a bench without a page. */
function sight(looking: Looking, width: number, height: number): Sight {
  const camera = new PerspectiveCamera()
  place(camera, looking, width, height, 1000)
  return {
    looking,
    width,
    height,
    camera: camera,
    project: (p) => {
      const v = p.clone().project(camera)
      return { x: ((v.x + 1) / 2) * width, y: ((1 - v.y) / 2) * height, ahead: v.z < 1 }
    },
    mmPerPx: () => mmPerPx(looking, height),
    faceAt: () => null,
    seen: () => () => true,
    hitAt: () => null,
  }
}

describe('overall sizes', () => {
  const part = {
    bounds: [
      [-20, -15, 0],
      [20, 15, 10],
    ],
  } as unknown as PartView
  const heights = (x: number, round: boolean): Spot[] => {
    const looking: Looking = { ...TITLES.turned, target: [x, 0, 5], distance: 160 }
    const found = overall(sight(looking, 760, 700), part, round, looking)
    const d = found.find((f) => f.key === 'height')
    return d ? [d.p, d.q] : []
  }
  it('are in the view as long as there is room beside the body', () => {
    for (const round of [false, true])
      for (let x = 0; x < 40; x += 1) {
        const ends = heights(x, round)
        expect(ends).toHaveLength(2)
        const looking: Looking = { ...TITLES.turned, target: [x, 0, 5], distance: 160 }
        const s = sight(looking, 760, 700)
        const a = overall(s, part, round, looking).find((f) => f.key === 'height')
        const room = Math.min(a?.a.x ?? 0, a?.b.x ?? 0)
        for (const end of ends) if (room > 36) expect(end.x).toBeGreaterThan(12)
      }
  })
  it('slide and never jump', () => {
    for (const round of [false, true])
      for (let x = 0; x < 40; x += 0.25) {
        const [one, two] = [heights(x, round), heights(x + 0.25, round)]
        for (const [i, end] of one.entries())
          expect(Math.hypot(end.x - (two[i]?.x ?? 0), end.y - (two[i]?.y ?? 0))).toBeLessThan(8)
      }
  })
})
