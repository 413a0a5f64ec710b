import { PerspectiveCamera, Vector3 } from 'three'
import { describe, expect, it } from 'vitest'
import type { Stage } from './Stage'
import { groundOf, holeAt, holeWords } from './holes'
import type { Hole } from './holes'

function hole(z: number, change: Partial<Hole> = {}): Hole {
  return {
    part: 'p1',
    centre: new Vector3(0, 0, z),
    normal: new Vector3(0, 0, 1),
    radius: 5,
    values: { size: 'M10' },
    words: 'M10 goes through, medium fit',
    ...change,
  }
}

/** A view of 200 by 200 px from 100 mm above; 1 px is about 0.5 mm at the middle of the bench. */
function stage(hit: Vector3 | null = null): Stage {
  const camera = new PerspectiveCamera(53.13, 1, 1, 1000)
  camera.position.set(0, 0, 100)
  camera.updateMatrixWorld()
  camera.updateProjectionMatrix()
  return {
    width: 200,
    height: 200,
    placedCamera: () => camera,
    mmPerPx: () => 0.5,
    hitAt: () => (hit ? { at: hit } : null),
  } as unknown as Stage
}

describe('holes under the pointer', () => {
  it('finds one whose mouth is there or close by', () => {
    const h = hole(0)
    expect(holeAt(stage(), [h], 100, 100)).toBe(h)
    expect(holeAt(stage(), [h], 100 + 16, 100)).toBe(h)
    expect(holeAt(stage(), [h], 100 + 40, 100)).toBeNull()
  })

  it('takes the nearest of several, and none that looks away', () => {
    const [low, high] = [hole(0), hole(20)]
    expect(holeAt(stage(), [low, high], 100, 100)).toBe(high)
    const away = hole(20, { normal: new Vector3(0, 0, -1) })
    expect(holeAt(stage(), [away, low], 100, 100)).toBe(low)
  })

  it('leaves one that is behind another body', () => {
    expect(holeAt(stage(new Vector3(0, 0, 40)), [hole(0)], 100, 100)).toBeNull()
    // the bottom of the hole itself is no hindrance
    const h = hole(0)
    expect(holeAt(stage(new Vector3(0, 0, -8)), [h], 100, 100)).toBe(h)
  })

  it('stands on the middle of its mouth, square to it', () => {
    const ground = groundOf(hole(7, { normal: new Vector3(1, 0, 0) }))
    expect(ground.at.toArray()).toEqual([0, 0, 7])
    expect(ground.along.dot(ground.normal)).toBeCloseTo(0, 12)
    expect(ground.along.length()).toBeCloseTo(1, 12)
  })

  it('says how wide it is and what fits', () => {
    expect(holeWords(hole(0), (mm) => `${String(mm)} mm`)).toBe(
      'hole ⌀ 10 mm: M10 goes through, medium fit',
    )
  })
})
