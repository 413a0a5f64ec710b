import { OrthographicCamera, Vector3, WebGLRenderTarget } from 'three'
import type { PartView } from '../../shared/api/client'
import { TITLES, mmPerPx, place } from './camera'
import type { Looking, Title } from './camera'
import { shownCorners } from './layout'
import { Pointing } from './Pointing'
import type { Sight } from './Sight'
import type { Stage } from './Stage'

export type PaneTitle = Exclude<Title, 'free'>

/** One of the small views: parallel, outline only, drawn when something changed and not while the large one turns. */
export class Pane implements Sight {
  readonly camera = new OrthographicCamera()
  readonly width: number
  readonly height: number
  readonly perspective = false
  looking: Looking
  private readonly stage: Stage
  private target: WebGLRenderTarget | null = null

  constructor(stage: Stage, title: PaneTitle, width: number, height: number) {
    this.stage = stage
    this.width = width
    this.height = height
    const { around, above } = TITLES[title]
    this.looking = { target: [0, 0, 0], around, above, distance: 100 }
  }

  get renderer() {
    return this.stage.renderer
  }

  get cuts() {
    return this.stage.cuts
  }

  /** Show all bodies that are shown, with room for the dimensions. */
  fit(parts: readonly PartView[], title: PaneTitle): void {
    const { around, above } = TITLES[title]
    const corners = shownCorners(parts)
    const low = new Vector3(Infinity, Infinity, Infinity)
    const high = low.clone().negate()
    for (const c of corners) {
      low.min(c)
      high.max(c)
    }
    if (corners.length === 0) return
    const centre = low.clone().add(high).multiplyScalar(0.5)
    this.looking = { target: centre.toArray(), around, above, distance: 100 }
    this.aim()
    let most = 1e-9
    for (const c of corners) {
      const v = c.clone().project(this.camera)
      most = Math.max(
        most,
        (Math.abs(v.x) * this.width) / (this.width - 46),
        Math.abs(v.y) * (this.height / (this.height - 44)),
      )
    }
    this.looking = { ...this.looking, distance: 100 * most }
    this.aim()
  }

  private aim(): void {
    place(this.camera, this.looking, this.width, this.height, this.stage.floorReach() * 2.5)
  }

  project(p: Vector3): { x: number; y: number; ahead: boolean } {
    this.aim()
    const v = p.clone().project(this.camera)
    return { x: ((v.x + 1) / 2) * this.width, y: ((1 - v.y) / 2) * this.height, ahead: true }
  }

  mmPerPx(): number {
    return mmPerPx(this.looking, this.height)
  }

  private pointing(): Pointing {
    this.aim()
    return new Pointing(this, this.stage.bodies, this.stage.scene)
  }

  faceAt(x: number, y: number) {
    return this.pointing().faceAt(x, y)
  }

  hitAt(x: number, y: number) {
    return this.pointing().hitAt(x, y)
  }

  seen(): (p: Vector3) => boolean {
    return this.pointing().seen()
  }

  /** Draw into a small canvas. */
  draw(canvas: HTMLCanvasElement): void {
    const scale = Math.min(2, window.devicePixelRatio)
    const [w, h] = [Math.round(this.width * scale), Math.round(this.height * scale)]
    const context = canvas.getContext('2d')
    if (!context) return
    if (!this.target || this.target.width !== w || this.target.height !== h) {
      this.target?.dispose()
      this.target = new WebGLRenderTarget(w, h, { samples: 4 })
    }
    canvas.width = w
    canvas.height = h
    this.aim()
    const pixels = this.stage.drawn(this, this.target)
    const image = context.createImageData(w, h)
    for (let y = 0; y < h; y += 1)
      image.data.set(pixels.subarray((h - 1 - y) * w * 4, (h - y) * w * 4), y * w * 4)
    context.putImageData(image, 0, 0)
  }

  dispose(): void {
    this.target?.dispose()
  }
}
