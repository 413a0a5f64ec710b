import {
  BufferAttribute,
  BufferGeometry,
  FrontSide,
  LineBasicMaterial,
  LineSegments,
  Matrix4,
  Mesh,
} from 'three'
import type { Color, RawShaderMaterial, Scene } from 'three'
import { fillGeometry } from './buffers'
import type { BodyData } from './buffers'
import { dashed } from './pieces'

/** The outline of a body before a change: thin, double-dash, over everything. */
export class Ghost {
  readonly data: BodyData
  readonly placed: readonly number[]
  readonly mesh: Mesh<BufferGeometry, RawShaderMaterial>
  private readonly sharp: LineSegments<BufferGeometry, LineBasicMaterial>
  private readonly scene: Scene

  constructor(
    scene: Scene,
    data: BodyData,
    placed: readonly number[],
    material: RawShaderMaterial,
    ink: Color,
  ) {
    this.scene = scene
    this.data = data
    this.placed = placed
    const geometry = new BufferGeometry()
    fillGeometry(geometry, data)
    material.depthTest = false
    // the far side's contour is that of the near side
    if (data.closed) material.side = FrontSide
    this.mesh = new Mesh(geometry, material)
    const lines = new BufferGeometry()
    lines.setAttribute('position', new BufferAttribute(dashed(data.sharp), 3))
    this.sharp = new LineSegments(
      lines,
      new LineBasicMaterial({ color: ink.clone().convertSRGBToLinear(), depthTest: false }),
    )
    const world = new Matrix4()
      .set(...(placed as Parameters<Matrix4['set']>))
      .multiply(new Matrix4().makeTranslation(...data.origin))
    for (const o of [this.mesh, this.sharp]) {
      o.matrixAutoUpdate = false
      o.matrix.copy(world)
      o.frustumCulled = false
      o.renderOrder = 5
      scene.add(o)
    }
  }

  dispose(): void {
    this.scene.remove(this.mesh, this.sharp)
    for (const o of [this.mesh, this.sharp]) {
      o.geometry.dispose()
      o.material.dispose()
    }
  }
}
