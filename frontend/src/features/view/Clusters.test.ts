import { Matrix4, PerspectiveCamera, Vector3 } from 'three'
import { describe, expect, it } from 'vitest'
import type { BodyData } from './buffers'
import { Clusters } from './Clusters'
import { withStrips } from './Strips'

/** A ball of triangles, as much of the drawing data as the runs need. */
function ball(rings: number, sides: number): BodyData {
  const position: number[] = []
  const index: number[] = []
  for (let j = 0; j <= rings; j += 1)
    for (let i = 0; i < sides; i += 1) {
      const [a, b] = [(Math.PI * j) / rings, (2 * Math.PI * i) / sides]
      position.push(Math.sin(a) * Math.cos(b), Math.sin(a) * Math.sin(b), Math.cos(a))
    }
  for (let j = 0; j < rings; j += 1)
    for (let i = 0; i < sides; i += 1) {
      const [p, q] = [j * sides + i, j * sides + ((i + 1) % sides)]
      index.push(p, p + sides, q + sides, p, q + sides, q)
    }
  return {
    position: new Float32Array(position),
    normal: new Int8Array(
      position.flatMap((_, i) =>
        i % 3 ? [] : [0, 1, 2, 3].map((k) => (k < 3 ? 127 * (position[i + k] ?? 0) : 0)),
      ),
    ),
    index: new Uint32Array(index),
    triangles: index.length / 3,
  } as BodyData
}

function facing(b: BodyData, t: number, eye: Vector3): boolean {
  const at = (k: number) => new Vector3().fromArray(b.position, 3 * (b.index[3 * t + k] ?? 0))
  const [p, q, r] = [at(0), at(1), at(2)]
  const n = q.clone().sub(p).cross(r.clone().sub(p))
  return n.dot(eye.clone().sub(p)) > 1e-9
}

/** What takes the body's space to the picture of an eye that looks at its middle. */
function seenFrom(eye: Vector3): Matrix4 {
  const camera = new PerspectiveCamera(120, 1, 0.01, 1000)
  camera.position.copy(eye)
  camera.up.set(0, 0, 1)
  camera.lookAt(0, 0, 0)
  camera.updateMatrixWorld(true)
  return new Matrix4().multiplyMatrices(camera.projectionMatrix, camera.matrixWorldInverse)
}

describe('runs of triangles', () => {
  it('leave out none that faces the eye, and most of those that look away', () => {
    const b = ball(60, 80)
    const runs = new Clusters(b)
    for (const place of [
      [5, 0, 0],
      [-1.2, 0.4, 0.3],
      [2, 3, 9],
    ] as const) {
      const eye = new Vector3(...place)
      const toEye = seenFrom(eye)
      runs.look({ toEye, eye, parallel: false, px: 1e-3, joined: true, cut: null })
      const drawn = new Set<number>()
      for (let k = 0; k < runs.runs; k += 1) {
        const first = (runs.starts[k] ?? 0) / 12
        for (let t = 0; t < (runs.counts[k] ?? 0) / 3; t += 1) drawn.add(first + t)
      }
      let missing = 0
      for (let t = 0; t < b.triangles; t += 1) if (facing(b, t, eye) && !drawn.has(t)) missing += 1
      expect(missing).toBe(0)
      expect(drawn.size).toBeLessThan(b.triangles * 0.8)
    }
  })

  it('draw strips two or four faces as one only where these are too fine to be told apart', () => {
    for (const [rows, wide, saved] of [
      [[19, 20], 0, 16],
      [[18, 19, 20, 21], 1, 48],
    ] as const) {
      const b = ball(40, 64)
      // one strip: rows of faces about the equator, as the server gives it
      const of = (row: number, side: number) => 2 * (row * 64 + side)
      const first = Array.from({ length: 64 }, (_, i) =>
        rows.flatMap((r) => [of(r, i), of(r, i) + 1]),
      ).flat()
      const rest = Array.from({ length: b.triangles }, (_, t) => t).filter(
        (t) => !first.includes(t),
      )
      const at = (row: number, side: number) =>
        b.position.slice(3 * (row * 64 + (side % 64)), 3 * (row * 64 + (side % 64)) + 3)
      const [upper, lower] = [rows[0], rows[0] + rows.length]
      const position = Array.from({ length: 65 }, (_, i) => [
        ...at(upper, i),
        ...at(lower, i),
      ]).flat()
      const strips = {
        position: new Float32Array(position),
        normal: new Int8Array((position.length / 3) * 4),
        edge: new Uint8Array((position.length / 3) * 4),
        order: new Uint32Array([...first, ...rest]),
        rungs: new Uint32Array([64]),
        spacing: new Float32Array([Math.PI / 40]),
        wide,
      }
      const whole = {
        ...b,
        vertices: b.position.length / 3,
        edge: new Uint8Array((b.position.length / 3) * 4),
      }
      const drawn = { ...whole, ...withStrips(whole, strips) }
      expect(drawn.index.length).toBe(3 * b.triangles + 6 * 64)
      const runs = new Clusters(drawn, strips)
      const count = (distance: number, joined = true) => {
        const eye = new Vector3(distance, 0, 0)
        const toEye = seenFrom(eye)
        runs.look({ toEye, eye, parallel: false, px: 0.01, joined, cut: null })
        return runs.counts.slice(0, runs.runs).reduce((a, n) => a + n, 0) / 3
      }
      // 3.3 px, each 0.01 of the distance, are as wide as a face of the strip at 2.4 from it
      expect(count(3.2, false)).toBe(count(3.2))
      const [all, fewer] = [count(4.6, false), count(4.6)]
      // as many runs of eight rungs as are seen, each with so many triangles less
      expect(all - fewer).toBeGreaterThanOrEqual(3 * saved)
      expect((all - fewer) % saved).toBe(0)
    }
  })
})
