import { Matrix4 } from 'three'
import type { Color, Scene, Vector2 } from 'three'
import { set, setAll } from './bodyMaterial'
import { InkLines } from './inkLine'

export type Mark = 'levels' | 'picked' | 'hovered' | 'by' | 'stopped' | 'poles' | 'many'

/** What needs a look, in amber. */
const THIN: ReadonlySet<Mark> = new Set(['stopped', 'poles', 'many'])

const WIDTHS: Partial<Record<Mark, number>> = {
  hovered: 5,
  by: 1.6,
  levels: 1.4,
  stopped: 2.4,
  poles: 2.4,
  many: 2.4,
}

/** What is picked, thick and solid over the body, and what the pointer is on. */
export class PickMarks {
  private readonly held = new Map<Mark, InkLines>()

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
    if (!lines?.length && !this.held.has(which)) return
    this.drop(which)
    if (lines?.length) {
      const hovered = which === 'hovered'
      const mark = new InkLines(WIDTHS[which] ?? 3.6)
      mark.show(lines)
      set(mark.material.uniforms, 'alpha', hovered ? 0.55 : 1)
      // nearer than the ink of the same edge
      mark.material.polygonOffset = true
      mark.material.polygonOffsetFactor = -4
      mark.material.polygonOffsetUnits = -4
      mark.renderOrder = 4
      mark.matrix
        .set(...(matrix as Parameters<Matrix4['set']>))
        .multiply(new Matrix4().makeTranslation(...(origin as [number, number, number])))
      this.scene.add(mark)
      this.held.set(which, mark)
    }
    this.invalidate()
  }

  /** Colour and line width for the next picture. */
  prepare(colour: Color, look: Color, resolution: Vector2): void {
    for (const [which, mark] of this.held)
      setAll(mark.material.uniforms, { ink: THIN.has(which) ? look : colour, resolution })
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
