import { Matrix4, PerspectiveCamera, Scene, Vector3 } from 'three'
import type { WebGLRenderer } from 'three'
import { describe, expect, it } from 'vitest'
import { cull } from './Body'
import type { BodyData } from './buffers'
import { Cuts } from './Cuts'
import { Pointing } from './Pointing'
import { Scenery } from './Scenery'

/** A stage without a screen. */
class Bare extends Scenery {
  declare readonly renderer: WebGLRenderer
  override invalidate(): void {}
}

/** A closed cube from -1 to 1. */
function cube(): BodyData {
  const position = [0, 1, 2, 3, 4, 5, 6, 7].flatMap((k) => [
    k & 1 ? 1 : -1,
    k & 2 ? 1 : -1,
    k & 4 ? 1 : -1,
  ])
  const sides = [
    [0, 2, 3, 1],
    [4, 5, 7, 6],
    [0, 1, 5, 4],
    [2, 6, 7, 3],
    [0, 4, 6, 2],
    [1, 3, 7, 5],
  ]
  return {
    digest: 'cube',
    origin: [0, 0, 0],
    vertices: 8,
    triangles: 12,
    faces: 6,
    closed: true,
    position: new Float32Array(position),
    sharp: new Float32Array(6),
    index: new Uint32Array(sides.flatMap(([a = 0, b = 0, c = 0, d = 0]) => [a, b, c, a, c, d])),
    triangleFace: new Uint32Array([0, 0, 1, 1, 2, 2, 3, 3, 4, 4, 5, 5]),
    vertexFace: new Uint32Array(8),
    normal: new Int8Array(32),
    edge: new Uint8Array(32),
    faceLineage: new Int32Array(6),
    lineage: [],
    finishes: [],
  }
}

describe('pointing at a closed body, drawn by its near side alone', () => {
  const stage = new Bare()
  const brass = { colour: '#c89a3f', metal: 1, roughness: 0.3, clear: 0, refraction: 1.5 }
  const plain = { locked: false, through: false, reference: false }
  stage.show('p1', cube(), new Matrix4().toArray(), brass, plain)
  const camera = new PerspectiveCamera(40, 1, 0.1, 100)
  camera.up.set(0, 0, 1)
  camera.position.set(0, -10, 0)
  camera.lookAt(0, 0, 0)
  camera.updateMatrixWorld(true)
  const cuts = new Cuts(new Scene())
  const { renderer } = stage // there is none: nothing is drawn
  const seen = { renderer, camera, cuts, width: 100, height: 100, perspective: true }
  const pointing = new Pointing(seen, stage.bodies, stage.scene)
  const body = stage.bodies.get('p1')
  if (!body) throw new Error('no body')
  const side = () => body.mesh.material.side
  cull(body, { camera, way: new Vector3(0, 1, 0), mmPerPx: 0.1, px: 0.01 })
  const drawn = side()

  it('meets the near side', () => {
    expect(pointing.hitAt(50, 50)?.at.y).toBeCloseTo(-1)
    expect(pointing.faceUnder(50, 50)?.normal.y).toBeCloseTo(-1)
  })

  it('meets the inside where a section opens it, also before the cut is drawn', () => {
    cuts.planes = [{ normal: [0, -1, 0], offset: 0 }]
    expect(pointing.hitAt(50, 50)?.at.y).toBeCloseTo(1)
    expect(side()).toBe(drawn)
    cuts.planes = []
  })
})
