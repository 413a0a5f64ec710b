import { Matrix4, PerspectiveCamera, Vector3 } from 'three'
import { describe, expect, it } from 'vitest'
import type { BodyData } from './buffers'
import { Clusters } from './Clusters'

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
      const camera = new PerspectiveCamera(120, 1, 0.01, 100)
      camera.position.copy(eye)
      camera.up.set(0, 0, 1)
      camera.lookAt(0, 0, 0)
      camera.updateMatrixWorld(true)
      const toEye = new Matrix4().multiplyMatrices(
        camera.projectionMatrix,
        camera.matrixWorldInverse,
      )
      runs.look({ toEye, eye, parallel: false, px: 1e-3, two: true })
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
})
