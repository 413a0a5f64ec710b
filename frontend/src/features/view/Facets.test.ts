import { Matrix4, Vector3 } from 'three'
import { describe, expect, it } from 'vitest'
import type { BodyData } from './buffers'
import { MOST_FACETS, facetsOf, placedFacets } from './Facets'

type Ring = readonly (readonly [number, number, number])[]

/** What is drawn of a body of these faces, each with corners of its own. */
function drawn(faces: readonly Ring[], closed = true): BodyData {
  const position: number[] = []
  const index: number[] = []
  const triangleFace: number[] = []
  faces.forEach((ring, f) => {
    const base = position.length / 3
    position.push(...ring.flat())
    for (let i = 1; i + 1 < ring.length; i += 1) {
      index.push(base, base + i, base + i + 1)
      triangleFace.push(f)
    }
  })
  return {
    position: new Float32Array(position),
    index: new Uint32Array(index),
    triangleFace: new Uint32Array(triangleFace),
    triangles: triangleFace.length,
    faces: faces.length,
    closed,
  } as unknown as BodyData
}

/** A stone of two pyramids over a polygon, its girdle at 0. */
function bipyramid(sides: number, up = 1, down = -1): Ring[] {
  const ring = Array.from({ length: sides }, (_, i) => {
    const a = (2 * Math.PI * i) / sides
    return [Math.cos(a), Math.sin(a), 0] as const
  })
  const next = (i: number) => ring[(i + 1) % sides] ?? ([0, 0, 0] as const)
  return [
    ...ring.map((p, i) => [p, next(i), [0, 0, up]] as const),
    ...ring.map((p, i) => [next(i), p, [0, 0, down]] as const),
  ]
}

const inside = (f: NonNullable<ReturnType<typeof facetsOf>>, p: Vector3) =>
  Array.from({ length: f.count }, (_, i) => {
    const n = new Vector3().fromArray(f.planes, 4 * i)
    return n.dot(p) - (f.planes[4 * i + 3] ?? 0)
  }).every((d) => d < 1e-5)

describe('the facets of a stone', () => {
  it('are the planes that bound a convex body, each once', () => {
    for (const sides of [4, 8, 24]) {
      const found = facetsOf(drawn(bipyramid(sides)))
      expect(found?.count).toBe(2 * sides)
      expect(found?.across).toBeCloseTo(2)
      if (!found) continue
      expect(inside(found, new Vector3(0, 0, 0.99))).toBe(true)
      expect(inside(found, new Vector3(0.9, 0, 0.2))).toBe(false)
    }
    const box = facetsOf(drawn(bipyramid(4).flatMap((r) => [r, r])))
    expect(box?.count, 'faces in one plane are one').toBe(8)
  })

  it('are not found of what is hollow, open or has too many', () => {
    expect(facetsOf(drawn(bipyramid(8, 1, 0.4)))).toBeNull()
    expect(facetsOf(drawn(bipyramid(8), false))).toBeNull()
    expect(facetsOf(drawn(bipyramid(MOST_FACETS)))).toBeNull()
    expect(facetsOf(drawn([]))).toBeNull()
  })

  it('are found behind an inner skin, whose faces look inward', () => {
    const outer = bipyramid(8)
    const inner = outer.map((ring) => [...ring].reverse())
    expect(facetsOf(drawn([...outer, ...inner], false))?.count).toBe(16)
  })

  it('stand where the body does, turned, stretched and mirrored', () => {
    const found = facetsOf(drawn(bipyramid(8)))
    expect(found).not.toBeNull()
    if (!found) return
    const points = [new Vector3(0.2, 0.1, 0.3), new Vector3(0.9, 0, 0.3), new Vector3(0, 0, -0.98)]
    for (const m of [
      new Matrix4().makeTranslation(100, -20, 3),
      new Matrix4().makeRotationX(1).multiply(new Matrix4().makeScale(3, 0.5, 1)),
      new Matrix4().makeScale(-2, 1, 1),
    ]) {
      const there = placedFacets(found, m)
      for (const p of points)
        expect(inside(there, p.clone().applyMatrix4(m))).toBe(inside(found, p))
    }
  })
})
