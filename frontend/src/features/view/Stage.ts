import {
  Color,
  OrthographicCamera,
  PerspectiveCamera,
  Vector2,
  Vector3,
  Vector4,
  WebGLRenderTarget,
  WebGLRenderer,
} from 'three'
import { firstPlane } from '../../shared/section'
import type { CutPlane, Three } from '../../shared/section'
import { cluster, cull, drawLines, footprint, outline, traceStone } from './Body'
import type { Body } from './Body'
import { cutWith, draws, set, setAll } from './bodyMaterial'
import type { BodyData } from './buffers'
import * as look from './camera'
import type { Looking } from './camera'
import { BEFORE } from './compare'
import { Contact } from './Contact'
import { Pace } from './Pace'
import { floorLines, rendersInSoftware, showBehind } from './pieces'
import { asPng } from './png'
import { Pointing, ready } from './Pointing'
import { Scenery } from './Scenery'
import { ghostFragment } from './shaders'
import type { Sight } from './Sight'
import { Warming } from './warmUp'

const REST = 160
const REST_IN_HAND = 700
const MOST_IN_STRIPS = 4_000_000 // corners; beyond, what they cost in memory is more than they give
const LEAST_IN_RUNS = 60_000 // corners; of fewer, looking at each run takes as long as drawing them all
const MOST_OUTLINED = 400_000 // faces; of more it takes longer to find an outline than a picture may

/** Everything that is drawn, without React: bodies, floor, camera. Draws when something changed, and not else. */
export class Stage extends Scenery {
  readonly canvas: HTMLCanvasElement
  readonly renderer: WebGLRenderer
  looking: Looking = {
    target: [0, 0, 20],
    around: look.TITLES.turned.around,
    above: look.TITLES.turned.above,
    distance: 300,
  }
  perspective = true
  /** called after each picture, with the number of body swaps that reached the screen */
  onDrawn: (swaps: number) => void = () => undefined
  /** fetches which faces of a body may be drawn as one */
  strips: (data: BodyData) => Promise<ArrayBuffer | null> = () => Promise.resolve(null)
  /** fetches what the outline of a body is found from */
  outlines: (data: BodyData) => Promise<ArrayBuffer | null> = () => Promise.resolve(null)
  /** Whether another body is being worked out. */
  comes: () => boolean = () => false
  width = 1
  height = 1
  pictures = 0
  /** how often a picture was drawn for another reason than that the eye moved */
  changes = 0
  private looked: Looking | null = null
  /** earlier bodies and those of now stand side by side */
  twice = false
  private inkScale = 1
  private readonly contact = new Contact()
  private resting = 0
  private readonly perspectiveCamera = new PerspectiveCamera()
  private readonly parallelCamera = new OrthographicCamera()
  private frame = 0
  private readonly pace: Pace
  private moving = false
  private readonly warming: Warming

  constructor(canvas: HTMLCanvasElement) {
    super()
    this.canvas = canvas
    const software = rendersInSoftware()
    // the library's own context is always one that may be seen through: the page is then drawn under it, and both are mixed
    const attributes: WebGLContextAttributes = {
      antialias: !software,
      alpha: false,
      stencil: false,
    }
    const context = canvas.getContext('webgl2', attributes)
    this.renderer = new WebGLRenderer({ canvas, ...attributes, ...(context ? { context } : {}) })
    this.traces = !software
    this.warming = new Warming(this.renderer, () => this.material(ghostFragment))
    this.pace = new Pace(this.renderer.getContext() as WebGL2RenderingContext)
    // asking each shader for its log stands still for it: only while developing
    this.renderer.debug.checkShaderErrors = import.meta.env.DEV
    this.renderer.setPixelRatio(Math.min(software ? 1 : 2, window.devicePixelRatio))
    this.renderer.sortObjects = true
    this.contact.covered = () => this.invalidate()
    for (const c of [this.perspectiveCamera, this.parallelCamera]) this.scene.add(c)
  }

  get camera(): PerspectiveCamera | OrthographicCamera {
    return this.perspective ? this.perspectiveCamera : this.parallelCamera
  }

  dispose(): void {
    cancelAnimationFrame(this.frame)
    for (const id of [...this.bodies.keys()]) this.remove(id)
    this.showBefore(null, null)
    this.marks.dispose()
    this.stipple?.dispose()
    this.cuts.drop()
    clearTimeout(this.resting)
    this.contact.dispose()
    this.dropFloor()
    this.renderer.dispose()
  }

  // -- where things are ---------------------------------------------------------------------
  resize(width: number, height: number): void {
    if (width === this.width && height === this.height) return
    this.width = Math.max(width, 1)
    this.height = Math.max(height, 1)
    this.renderer.setSize(this.width, this.height, false)
    this.canvas.style.width = `${this.width}px`
    this.canvas.style.height = `${this.height}px`
    // pixel for pixel there is nothing to smooth, and without a graphics card that is dear
    const exact = this.renderer.getPixelRatio() === window.devicePixelRatio
    this.canvas.style.imageRendering = exact ? 'pixelated' : 'auto'
    this.invalidate()
  }

  /** A bench point on the screen: px from the upper left, and whether it lies before the eye. */
  project(p: Vector3): { x: number; y: number; ahead: boolean } {
    this.aim()
    const v = p.clone().project(this.camera)
    return { x: ((v.x + 1) / 2) * this.width, y: ((1 - v.y) / 2) * this.height, ahead: v.z < 1 }
  }

  /** What the pointer means: rays and depths through this picture. */
  get pointing(): Pointing {
    this.aim()
    return new Pointing(this, this.bodies, this.scene)
  }

  faceAt(x: number, y: number) {
    return this.pointing.faceAt(x, y)
  }

  faceUnder(x: number, y: number) {
    return this.pointing.faceUnder(x, y)
  }

  hitAt(x: number, y: number) {
    return this.pointing.hitAt(x, y)
  }

  /** A first cutting plane through a place: it takes away what stands before the eye. */
  planeBefore(through: Three): CutPlane {
    const w = look.way(this.looking)
    return firstPlane([w.x, w.y, w.z], through)
  }

  /** A body that is being placed is no ground for itself. */
  setPlacing(id: string | null): void {
    for (const [part, b] of this.bodies) b.mesh.userData['placing'] = part === id
  }

  placedCamera(): PerspectiveCamera | OrthographicCamera {
    this.aim()
    return this.camera
  }

  floorReach(): number {
    return Math.max(this.floorSize, this.reach())
  }

  /** Make the faces of a body ready to be pointed at, before the pointer comes. */
  prepare(id: string): void {
    const body = this.bodies.get(id)
    if (body) ready(body)
  }

  /** What is seen: whether a bench point is not behind a body. */
  seen(): (p: Vector3) => boolean {
    return this.pointing.seen()
  }

  private aim(): void {
    look.place(
      this.camera,
      this.looking,
      this.twice ? Math.floor(this.width / 2) : this.width,
      this.height,
      Math.max(this.floorSize * 2.5, this.reach()),
    )
  }

  private reach(): number {
    let r = 1e-6
    for (const b of this.bodies.values()) r = Math.max(r, b.mesh.userData['radius'] as number)
    return r
  }

  /** Tell how far bodies reach from where is looked at, for the depth of the picture. */
  setReach(id: string, radius: number): void {
    const b = this.bodies.get(id)
    if (b) b.mesh.userData['radius'] = radius
  }

  mmPerPx(): number {
    return look.mmPerPx(this.looking, this.height)
  }

  // -- drawing ------------------------------------------------------------------------------
  invalidate(): void {
    if (this.frame) return
    this.frame = requestAnimationFrame(() => {
      this.frame = 0
      if (this.pace.ready()) this.draw()
      else this.invalidate()
    })
  }

  /** The pixels of a small view: outline and sharp edges on nothing. */
  drawn(sight: Sight, target: WebGLRenderTarget): Uint8Array {
    const hidden = [
      this.floor,
      this.contact.mesh,
      ...[...this.bodies.values()].map((b) => b.ticks),
    ].filter((o) => o?.visible)
    for (const o of hidden) if (o) o.visible = false
    this.aimed(sight, false, { lines: 0, shade: 0.04, bands: 0 })
    const out = new Uint8Array(target.width * target.height * 4)
    this.renderer.setRenderTarget(target)
    this.renderer.setClearAlpha(0)
    this.renderer.clear()
    this.renderer.render(this.scene, sight.camera)
    this.renderer.readRenderTargetPixels(target, 0, 0, target.width, target.height, out)
    this.renderer.setRenderTarget(null)
    this.renderer.setClearAlpha(1)
    for (const o of hidden) if (o) o.visible = true
    return out
  }

  /** Everything that hangs on where the eye is, for the next picture. */
  private aimed(
    sight: Sight,
    perspective: boolean,
    other: Record<string, number>,
    aside = false,
  ): void {
    const way = look.way(sight.looking)
    const at = new Vector3().setFromMatrixPosition(sight.camera.matrix)
    const light = {
      eye: perspective ? new Vector4(at.x, at.y, at.z, 1) : new Vector4(-way.x, -way.y, -way.z, 0),
      ink: this.ink,
      paper: this.paper,
      moss: this.moss,
      lines: this.ways === 'shaded' ? 0 : 1,
      shade: this.ways === 'lines' ? 0.1 : 1,
      bands: this.judging.bands ? 1 : 0,
      lights: look.lightsOf(sight.looking, this.judging.lights),
      ...other,
    }
    const mmPerPx = sight.mmPerPx()
    const px = mmPerPx / (perspective ? sight.looking.distance : 1)
    const cut = this.cuts.planes.length > 0
    const clipping = cut ? this.cuts.clipping() : null
    const half = this.twice && sight === this && !aside
    const wide = half ? Math.floor(sight.width / 2) : sight.width
    const resolution = new Vector2(wide / this.inkScale, sight.height / this.inkScale)
    this.renderer.localClippingEnabled = cut
    for (const b of this.bodies.values()) {
      setAll(b.mesh.material.uniforms, light)
      draws(b.mesh.material, 'BANDS', this.judging.bands)
      const planes = cut ? this.cuts.inside(b.mesh.matrix) : null
      const seen = { camera: sight.camera, way, mmPerPx, px }
      cull(b, seen, planes)
      cutWith(b.mesh.material, planes)
      // of several chosen parts all lines are moss
      const line = this.chosen.has(b.mesh.userData['part'] as string) ? this.moss : this.ink
      set(b.mesh.material.uniforms, 'ink', line)
      drawLines(b, seen, { ink: line, resolution, cut: planes })
      showBehind(b, this.judging.behind, this.scene, { line, resolution, clipping, mmPerPx, aside })
    }
    this.cuts.prepare(this.ink, this.paper, mmPerPx, resolution)
    this.marks.prepare(this.moss, this.amber, resolution)
    this.stipple?.prepare(this.ink, mmPerPx)
    if (this.ghost) setAll(this.ghost.mesh.material.uniforms, light)
  }

  /** The earlier bodies on the left, those of now on the right, with one eye. */
  private drawTwice(): void {
    const half = Math.floor(this.width / 2)
    this.renderer.setScissorTest(true)
    for (const right of [0, 1]) {
      for (const [id, b] of this.bodies) {
        const on = id.startsWith(BEFORE) === (right === 0)
        b.mesh.visible = on
        b.sharp.visible = on && b.data.sharp.length > 0
        if (b.outline) b.outline.material.visible = on
      }
      this.renderer.setViewport(right * half, 0, half, this.height)
      this.renderer.setScissor(right * half, 0, half, this.height)
      this.renderer.render(this.scene, this.camera)
    }
    for (const b of this.bodies.values()) {
      b.mesh.visible = true
      b.sharp.visible = b.data.sharp.length > 0
      if (b.outline) b.outline.material.visible = true
    }
    this.renderer.setScissorTest(false)
    this.renderer.setViewport(0, 0, this.width, this.height)
  }

  /** Two bodies side by side, or one. */
  setTwice(on: boolean): void {
    this.twice = on
    this.invalidate()
  }

  /** The view as a PNG of any size; without paper what is no body is left clear. */
  picture(width: number, height: number, paper: boolean): Promise<Blob> {
    const before = { width: this.width, height: this.height }
    const target = new WebGLRenderTarget(width, height, { samples: 4 })
    const hidden = paper ? [] : [this.floor, this.contact.mesh].filter((o) => o?.visible)
    this.width = width
    this.height = height
    this.aim()
    // lines grow with the picture; what is drawn aside is not encoded, so ink is given as it is to appear
    this.inkScale = height / before.height
    for (const b of this.bodies.values()) traceStone(b, true) // it is waited for
    this.aimed(this, this.perspective, {}, true)
    for (const o of hidden) if (o) o.visible = false
    const colour = this.renderer.getClearColor(new Color())
    this.renderer.setRenderTarget(target)
    this.renderer.setClearColor(this.paper, paper ? 1 : 0)
    this.renderer.clear()
    this.renderer.render(this.scene, this.camera)
    const pixels = new Uint8Array(width * height * 4)
    this.renderer.readRenderTargetPixels(target, 0, 0, width, height, pixels)
    this.renderer.setRenderTarget(null)
    this.renderer.setClearColor(colour, 1)
    for (const o of hidden) if (o) o.visible = true
    for (const b of this.bodies.values()) traceStone(b, this.traces)
    target.dispose()
    this.inkScale = 1
    this.width = before.width
    this.height = before.height
    this.invalidate()
    return asPng(pixels, width, height)
  }

  /** Wait until bodies rest for a moment. While a number is dragged they come one after the other, and none of them rests. */
  private rest(): void {
    this.stirred = false
    clearTimeout(this.resting)
    this.resting = window.setTimeout(
      () => {
        if (this.moving && this.comes()) this.rest()
        else this.settle()
      },
      this.moving ? REST_IN_HAND : REST,
    )
  }

  /** What bodies get once they rest: outlines, runs of faces, and their soft contact with the floor. */
  private settle(): void {
    const bodies = [...this.bodies.values()]
      .filter((b) => !b.as.reference && !b.as.through)
      .map((b) => b.mesh)
    for (const b of this.bodies.values()) {
      this.trace(b)
      this.sort(b)
      cull(b, null)
    }
    if (this.bodies.size) this.warming.rests(() => this.invalidate())
    this.contact.strength = this.paper.r > 0.5 ? 0.42 : 0.75
    const [half, centre] = footprint([...this.bodies.values()], this.floorSize * 2.4)
    this.contact.update(this.renderer, this.scene, bodies, half, centre)
    if (!this.contact.mesh.parent) this.scene.add(this.contact.mesh)
    this.invalidate()
  }

  /** Say that bodies come one after the other, or no more. */
  setMoving(moving: boolean): void {
    if (moving === this.moving) return
    this.moving = moving
    if (!moving) {
      this.stirred = true
      this.invalidate()
    }
  }

  /** Ask once for the outline of a body that rests. */
  private trace(b: Body): void {
    const { data } = b
    if (b.asked === data || data.faces > MOST_OUTLINED) return
    b.asked = data
    void this.outlines(data).then((bytes) => {
      // another body may have come in its place, or none
      if (!bytes || b.data !== data || ![...this.bodies.values()].includes(b)) return
      outline(b, bytes, this.scene)
      this.invalidate()
    })
  }

  /** Make runs of a body that rests; which faces may be drawn as one is told when it comes. */
  private sort(b: Body): void {
    const { data } = b
    if (b.clusters || !data.closed || data.vertices < LEAST_IN_RUNS) return
    cluster(b)
    if (data.vertices > MOST_IN_STRIPS) return
    void this.strips(data).then((bytes) => {
      if (!bytes || b.data !== data) return
      cluster(b, bytes)
      this.invalidate()
    })
  }

  private draw(): void {
    if (this.width < 2 || this.height < 2) return
    if (!this.floor) {
      this.floor = floorLines(this.floorSize, this.grid)
      this.scene.add(this.floor)
    }
    this.aim()
    if (this.stirred) this.rest()
    this.aimed(this, this.perspective, {})
    // from below the floor its shadow would lie over the bodies; of what is cut away there is none
    this.contact.mesh.visible = this.camera.matrix.elements[14] > 0 && this.cuts.planes.length === 0
    this.warming.before(this.bodies.values())
    if (this.twice) this.drawTwice()
    else this.renderer.render(this.scene, this.camera)
    this.warming.keep()
    this.pace.drawn()
    this.pictures += 1
    // drawn for another reason than that the eye moved: the small views follow
    if (this.looking === this.looked) this.changes += 1
    this.looked = this.looking
    this.onDrawn(this.swaps)
  }
}
