import type { WebGLRenderer } from 'three'
import { Matrix4 } from 'three'
import { describe, expect, it } from 'vitest'
import type { BodyData } from './buffers'
import { Scenery } from './Scenery'

/** A stage without a screen: it counts how often a picture is asked for. */
class Counted extends Scenery {
  declare readonly renderer: WebGLRenderer
  asked = 0

  invalidate(): void {
    this.asked += 1
  }

  /** Whether doing something asks for a picture. */
  draws(act: () => void): boolean {
    const before = this.asked
    act()
    return this.asked > before
  }
}

const triangle = (digest: string): BodyData => ({
  digest,
  origin: [0, 0, 0],
  vertices: 3,
  triangles: 1,
  faces: 1,
  closed: false,
  position: new Float32Array([0, 0, 0, 1, 0, 0, 0, 1, 0]),
  sharp: new Float32Array([0, 0, 0, 1, 0, 0]),
  index: new Uint32Array([0, 1, 2]),
  triangleFace: new Uint32Array(1),
  vertexFace: new Uint32Array(3),
  normal: new Int8Array(12),
  edge: new Uint8Array(12),
  faceLineage: new Int32Array(1),
  lineage: [],
  finishes: [],
})
const brass = { colour: '#c89a3f', metal: 1, roughness: 0.3, clear: 0, refraction: 1.5 }
const plain = { locked: false, through: false, reference: false }
const here: number[] = new Matrix4().toArray()

describe('what is told to the stage', () => {
  const stage = new Counted()
  const data = triangle('one')
  const show = (d = data, matrix: number[] = here, finish = brass, as = plain) =>
    stage.draws(() => {
      stage.show('p1', d, matrix, finish, as)
    })

  it('draws a picture when it changes, and none when it is told again', () => {
    expect(show()).toBe(true)
    expect(show()).toBe(false)
    // by what it says, not by which object says it
    expect(show(data, [...here], { ...brass }, { ...plain })).toBe(false)
    expect(show(triangle('two'))).toBe(true)
    expect(show(data)).toBe(true)
    expect(show(data, [...new Matrix4().makeTranslation(1, 0, 0).transpose().elements])).toBe(true)
    expect(show(data, here, { ...brass, roughness: 0.8 })).toBe(true)
    expect(show(data, here, brass, { ...plain, through: true })).toBe(true)
  })

  it('stands where it is told again after it was dragged elsewhere', () => {
    show()
    stage.nudge('p1', new Matrix4().makeTranslation(5, 0, 0))
    expect(show()).toBe(true)
    expect(stage.bodies.get('p1')?.mesh.matrix.elements[12]).toBe(0)
  })

  it('draws none for marks, fading, hatching and sections that were not there and are not', () => {
    show()
    stage.fade(new Set())
    for (const act of [
      () => {
        stage.fade(new Set())
      },
      () => {
        stage.hatch('p1', null)
      },
      () => {
        stage.setSection([])
      },
      () => {
        stage.marks.show('stopped', null)
      },
      () => {
        stage.showBefore(null, null)
      },
    ])
      expect(stage.draws(act)).toBe(false)
    const fades = () =>
      stage.draws(() => {
        stage.fade(new Set(['p1']))
      })
    expect(fades()).toBe(true)
    expect(fades()).toBe(false)
    const marked = (lines: Float32Array | null) =>
      stage.draws(() => {
        stage.marks.show('stopped', lines, here, [0, 0, 0])
      })
    expect(marked(data.sharp)).toBe(true)
    expect(marked(null)).toBe(true)
    expect(marked(null)).toBe(false)
  })
})
