import { Matrix4 } from 'three'
import type { Color, Scene } from 'three'
import { LineSegments2 } from 'three/addons/lines/LineSegments2.js'
import { LineSegmentsGeometry } from 'three/addons/lines/LineSegmentsGeometry.js'
import { inkMaterial } from './inkLine'

export type Mark = 'picked' | 'hovered' | 'by' | 'stopped' | 'poles' | 'many'

/** What needs a look, in amber. */
const THIN: ReadonlySet<Mark> = new Set(['stopped', 'poles', 'many'])

/** What is picked, thick and solid over the body, and what the pointer is on. */
export class PickMarks {
  private readonly held = new Map<Mark, LineSegments2>()

  private readonly scene: Scene
  private readonly invalidate: () => void

  constructor(scene: Scene, invalidate: () => void) {
    this.scene = scene
    this.invalidate = invalidate
  }

  /** Show lines in the place of those before; null takes them away. */
  show(
    which: Mark,
    lines: Float32Array | null,
    matrix: readonly number[] = [],
    origin: readonly number[] = [],
  ): void {
    this.drop(which)
    if (lines?.length) {
      const geometry = new LineSegmentsGeometry()
      geometry.setPositions(lines)
      const hovered = which === 'hovered'
      const material = inkMaterial(
        hovered ? 5 : which === 'by' ? 1.6 : THIN.has(which) ? 2.4 : 3.6,
        {
          opacity: hovered ? 0.55 : 1,
          // nearer than the ink of the same edge
          polygonOffset: true,
          polygonOffsetFactor: -4,
          polygonOffsetUnits: -4,
        },
      )
      const mark = new LineSegments2(geometry, material)
      mark.frustumCulled = false
      mark.renderOrder = 4
      mark.matrixAutoUpdate = false
      mark.matrix
        .set(...(matrix as Parameters<Matrix4['set']>))
        .multiply(new Matrix4().makeTranslation(...(origin as [number, number, number])))
      this.scene.add(mark)
      this.held.set(which, mark)
    }
    this.invalidate()
  }

  /** Colour and line width for the next picture. */
  prepare(colour: Color, look: Color, width: number, height: number): void {
    for (const [which, mark] of this.held) {
      mark.material.color.copy(THIN.has(which) ? look : colour).convertSRGBToLinear()
      mark.material.resolution.set(width, height)
    }
  }

  dispose(): void {
    for (const which of [...this.held.keys()]) this.drop(which)
  }

  private drop(which: Mark): void {
    const old = this.held.get(which)
    if (!old) return
    this.scene.remove(old)
    old.geometry.dispose()
    old.material.dispose()
    this.held.delete(which)
  }
}
