import { describe, expect, it } from 'vitest'
import { coverOf } from './Contact'

const SIZE = 256

function picture(dark: (x: number, y: number) => number): Uint8Array {
  const out = new Uint8Array(SIZE * SIZE * 4)
  for (let y = 0; y < SIZE; y += 1)
    for (let x = 0; x < SIZE; x += 1) out[4 * (y * SIZE + x)] = dark(x, y)
  return out
}

/** Whether a pixel of the picture is covered, asked of the triangles. */
function covered(uv: Float32Array): (x: number, y: number) => boolean {
  return (x, y) => {
    const [u, v] = [(x + 0.5) / SIZE, (y + 0.5) / SIZE]
    for (let k = 0; k < uv.length; k += 12) {
      const [a, c] = [uv[k] ?? 0, uv[k + 1] ?? 0]
      const [b, d] = [uv[k + 4] ?? 0, uv[k + 5] ?? 0]
      if (u >= a && u <= b && v >= c && v <= d) return true
    }
    return false
  }
}

describe('the floor that has shadow on it', () => {
  it('is covered wherever any can be seen, and little else', () => {
    const ring = (x: number, y: number) =>
      Math.max(0, 200 - 12 * Math.abs(Math.hypot(x - 120, y - 140) - 70))
    const pixels = picture(ring)
    const { position, uv } = coverOf(pixels, 0.42)
    const on = covered(uv)
    let area = 0
    for (let y = 0; y < SIZE; y += 1)
      for (let x = 0; x < SIZE; x += 1) {
        if (on(x, y)) area += 1
        if (ring(x, y) * 0.42 >= 0.5) expect(on(x, y)).toBe(true)
      }
    const dark = pixels.filter((v, i) => i % 4 === 0 && v * 0.42 >= 0.5).length
    expect(area).toBeLessThan(2 * dark)
    for (let k = 0; k < uv.length / 2; k += 1) {
      expect(position[3 * k]).toBeCloseTo(2 * (uv[2 * k] ?? 0) - 1)
      expect(position[3 * k + 1]).toBeCloseTo(2 * (uv[2 * k + 1] ?? 0) - 1)
      expect(position[3 * k + 2]).toBe(0)
    }
  })
  it('is nothing where no body comes near it', () => {
    expect(
      coverOf(
        picture(() => 1),
        0.42,
      ).uv,
    ).toHaveLength(0)
  })
})
