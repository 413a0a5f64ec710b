import { Vector3 } from 'three'
import { describe, expect, it } from 'vitest'
import type { BodyData } from './buffers'
import { Outline, readOutline } from './Outline'

/** An upright prism as the server tells it: its long edges alone, between its sides. */
function prism(sides: number): ArrayBuffer {
  const ring = Array.from({ length: sides }, (_, i) => (2 * Math.PI * i) / sides)
  const points = [0, 10].flatMap((z) => ring.flatMap((a) => [Math.cos(a), Math.sin(a), z]))
  const half = Math.PI / sides
  const planes = ring.flatMap((a) => [Math.cos(a + half), Math.sin(a + half), 0, -Math.cos(half)])
  const edges = ring.flatMap((_, i) => [i, i + sides, i, (i + sides - 1) % sides])
  const bytes = new ArrayBuffer(20 + 4 * (points.length + planes.length + edges.length))
  new Uint32Array(bytes, 0, 5).set([0x314f4b4a, 1, 2 * sides, sides, sides])
  new Float32Array(bytes, 20).set([...points, ...planes])
  new Uint32Array(bytes, 20 + 4 * (points.length + planes.length)).set(edges)
  return bytes
}

const body = (faces: number) => ({ faces }) as BodyData

/** The starts of the lines that are drawn. */
function drawn(outline: Outline): number[][] {
  const at = outline.geometry.getAttribute('start')
  const count = outline.geometry.drawRange.count / 6
  return Array.from({ length: count }, (_, n) => [at.getX(4 * n), at.getY(4 * n), at.getZ(4 * n)])
}

describe('the outline of a body', () => {
  it('is read with the body it is of, and else not', () => {
    expect(readOutline(prism(12), body(12))?.edges.length).toBe(48)
    expect(readOutline(prism(12), body(13))).toBeNull()
    expect(readOutline(new ArrayBuffer(20), body(0))).toBeNull()
  })

  it('stands where faces turn from the eye, near and in parallel', () => {
    const data = readOutline(prism(360), body(360))
    if (!data) throw new Error('not read')
    const outline = new Outline(data, 1.5)
    outline.look(new Vector3(1, 0, 0), true)
    // looking along X: the two edges farthest to the sides
    expect(drawn(outline).map(([, y]) => Math.abs(y ?? 0) > 0.999)).toEqual([true, true])
    for (const distance of [1.2, 2, 5, 1000]) {
      outline.look(new Vector3(distance, 0, 3), false)
      const found = drawn(outline)
      expect(found.length).toBe(2)
      // tangents from a point to a circle touch it where the cosine is the radius over the distance
      for (const [x] of found) expect(Math.abs((x ?? 0) - 1 / distance)).toBeLessThan(0.02)
      expect(outline.visible).toBe(true)
    }
    outline.look(new Vector3(0.2, 0, 3), false)
    expect(outline.visible).toBe(false)
  })

  it('has room for as many lines as come', () => {
    const data = readOutline(prism(2000), body(2000))
    if (!data) throw new Error('not read')
    // every other face turned about
    data.planes.set(data.planes.map((x, i) => (Math.floor(i / 4) % 2 ? x : -x)))
    const outline = new Outline(data, 1.5)
    outline.look(new Vector3(0.1, 0, 3), false)
    expect(drawn(outline).length).toBe(2000)
    expect(new Set(drawn(outline).map((p) => p.join())).size).toBe(2000)
  })
})
