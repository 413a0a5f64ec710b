import {
  BufferAttribute,
  Color,
  OrthographicCamera,
  PerspectiveCamera,
  Scene,
  Vector3,
  WebGLRenderer,
} from 'three'
import type {
  RawShaderMaterial,
  LineBasicMaterial,
  LineSegments,
  WebGLRenderTarget,
  Matrix4,
} from 'three'
import { dressBody, fillBody, newBody } from './Body'
import type { As, Body, Finish } from './Body'
import { Cuts } from './Cuts'
import type { Cap } from './Cuts'
import { firstPlane } from '../../shared/section'
import type { CutPlane, Three } from '../../shared/section'
import { Ghost } from './Ghost'
import { markChanged, normalTicks } from './buffers'
import type { BodyData } from './buffers'
import * as look from './camera'
import type { Looking } from './camera'
import { PickMarks } from './PickMarks'
import { Pointing, ready } from './Pointing'
import type { Sight } from './Sight'
import { floorLines, rendersInSoftware, showBehind, tickLines } from './pieces'
import { bodyMaterial, cutWith, sameNumbers, set, setAll, setWorld } from './bodyMaterial'
import { bodyFragment, ghostFragment } from './shaders'

export type Ways = 'shaded' | 'shaded_lines' | 'lines'

export interface Judging {
  bands: boolean
  lights: 'eye' | 'stay'
  behind: boolean
}

/** Everything that is drawn, without React: bodies, floor, camera. Draws when something changed, and not else. */
export class Stage {
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
  width = 1
  height = 1
  pictures = 0
  /** how often a picture was drawn for another reason than that the eye moved */
  changes = 0
  private looked: Looking | null = null
  private swaps = 0
  private readonly scene = new Scene()
  private readonly bodies = new Map<string, Body>()
  private readonly perspectiveCamera = new PerspectiveCamera()
  private readonly parallelCamera = new OrthographicCamera()
  private floor: LineSegments | null = null
  private ghost: Ghost | null = null
  readonly marks = new PickMarks(this.scene, () => this.invalidate())
  readonly cuts = new Cuts(this.scene)
  private frame = 0
  private normals = false
  private judging: Judging = { bands: false, lights: 'stay', behind: false }
  private ways: Ways = 'shaded_lines'
  private paper = new Color('#f3f0e6')
  private ink = new Color('#1d2420')
  private moss = new Color('#1f6a43')
  private grid = new Color('#dcd7c8')
  private amber = new Color('#8f5200')
  private floorSize = 100
  private chosen: ReadonlySet<string> = new Set()

  constructor(canvas: HTMLCanvasElement) {
    this.canvas = canvas
    const software = rendersInSoftware()
    this.renderer = new WebGLRenderer({
      canvas,
      antialias: !software,
      alpha: false,
      stencil: false,
    })
    this.renderer.setPixelRatio(software ? 1 : Math.min(window.devicePixelRatio, 2))
    this.renderer.sortObjects = true
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
    this.cuts.drop()
    this.dropFloor()
    this.renderer.dispose()
  }

  // -- what is drawn ------------------------------------------------------------------------
  /** Show a body, or put new data in the place of its old. */
  show(
    id: string,
    data: BodyData,
    matrix: readonly number[],
    finish: Finish,
    as: As,
    others: readonly Finish[] = [],
  ): void {
    let body = this.bodies.get(id)
    const fresh = body?.data !== data
    if (!body) {
      body = newBody(id, data, as, this.material())
      this.scene.add(body.mesh, body.sharp)
      this.bodies.set(id, body)
    }
    if (fresh) {
      showBehind(body, false, this.scene, 1)
      fillBody(body, data)
      this.swaps += 1
    }
    body.matrix.set(...(matrix as Parameters<Matrix4['set']>))
    setWorld(body)
    dressBody(body, finish, as, others)
    if (fresh || body.ticks) this.setTicks(body)
    this.invalidate()
  }

  /** Put a body elsewhere at once, while it is dragged; what is worked out follows. */
  nudge(id: string, matrix: Matrix4): void {
    const body = this.bodies.get(id)
    if (!body) return
    body.matrix.copy(matrix)
    setWorld(body)
    this.invalidate()
  }

  remove(id: string): void {
    const body = this.bodies.get(id)
    if (!body) return
    showBehind(body, false, this.scene, 1)
    this.scene.remove(body.mesh, body.sharp)
    if (body.ticks) {
      this.scene.remove(body.ticks)
      body.ticks.geometry.dispose()
    }
    for (const o of [body.mesh, body.sharp]) {
      o.geometry.dispose()
      o.material.dispose()
    }
    this.bodies.delete(id)
    this.invalidate()
  }

  ids(): string[] {
    return [...this.bodies.keys()]
  }

  data(id: string): BodyData | undefined {
    return this.bodies.get(id)?.data
  }

  /** Hatch what changed against the body before; null takes the hatching away. */
  hatch(id: string, before: BodyData | null): void {
    const body = this.bodies.get(id)
    if (!body) return
    const marks = before ? markChanged(body.data, before) : null
    if (marks) body.mesh.geometry.setAttribute('changed', new BufferAttribute(marks, 1, true))
    set(body.mesh.material.uniforms, 'hatch', marks ? 1 : 0)
    this.invalidate()
  }

  /** Fade bodies to paper grey, so that what is marked reads on any finish. */
  fade(ids: ReadonlySet<string>): void {
    for (const [id, b] of this.bodies) set(b.mesh.material.uniforms, 'grey', ids.has(id) ? 0.62 : 0)
    this.invalidate()
  }

  /** The outline before the change, thin double-dash; null takes it away. */
  showBefore(data: BodyData | null, matrix: readonly number[] | null): void {
    if (data === (this.ghost?.data ?? null) && sameNumbers(matrix, this.ghost?.placed ?? null))
      return
    this.ghost?.dispose()
    this.ghost =
      data && matrix
        ? new Ghost(this.scene, data, matrix, this.material(ghostFragment), this.ink)
        : null
    this.invalidate()
  }

  /** The parts that are chosen, when there are several. */
  setChosen(ids: readonly string[]): void {
    this.chosen = new Set(ids)
    this.invalidate()
  }

  /** Take away what lies ahead of all planes; none shows the bodies whole again. */
  setSection(planes: readonly CutPlane[]): void {
    if (planes.length === 0) this.cuts.drop()
    this.cuts.planes = planes
    this.invalidate()
  }

  /** Draw the caps of the section; bodies that are not closed show their inside. */
  setCaps(caps: readonly Cap[], origin: readonly number[], open: ReadonlySet<string>): void {
    this.cuts.show(caps, origin)
    for (const [id, b] of this.bodies) set(b.mesh.material.uniforms, 'whole', open.has(id) ? 0 : 1)
    this.invalidate()
  }

  setWays(ways: Ways): void {
    this.ways = ways
    this.invalidate()
  }

  setJudging(judging: Judging): void {
    this.judging = judging
    this.invalidate()
  }

  /** Normals as short ink ticks, or not. */
  setNormals(on: boolean): void {
    this.normals = on
    for (const b of this.bodies.values()) this.setTicks(b)
    this.invalidate()
  }

  private setTicks(b: Body): void {
    if (b.ticks) {
      this.scene.remove(b.ticks)
      b.ticks.geometry.dispose()
      ;(b.ticks.material as LineBasicMaterial).dispose()
      b.ticks = null
    }
    if (!this.normals) return
    b.ticks = tickLines(normalTicks(b.data, this.floorSize / 40), this.ink, b.mesh.matrix)
    this.scene.add(b.ticks)
  }

  setColours(c: { paper: string; ink: string; moss: string; grid: string; amber: string }): void {
    // colours are given as they are to appear: the shader writes them untouched
    const plain = (hex: string) => new Color(hex).convertLinearToSRGB()
    this.paper = plain(c.paper)
    this.ink = plain(c.ink)
    this.moss = plain(c.moss)
    this.amber = plain(c.amber)
    this.grid = new Color(c.grid)
    this.renderer.setClearColor(new Color(c.paper))
    this.dropFloor()
    this.invalidate()
  }

  setFloor(size: number): void {
    if (size === this.floorSize) return
    this.floorSize = size
    this.dropFloor()
    this.invalidate()
  }

  private dropFloor(): void {
    if (!this.floor) return
    this.scene.remove(this.floor)
    this.floor.geometry.dispose()
    ;(this.floor.material as LineBasicMaterial).dispose()
    this.floor = null
  }

  private material(fragment = bodyFragment): RawShaderMaterial {
    return bodyMaterial(fragment, this.ink, this.paper, this.moss)
  }

  // -- where things are ---------------------------------------------------------------------
  resize(width: number, height: number): void {
    if (width === this.width && height === this.height) return
    this.width = Math.max(width, 1)
    this.height = Math.max(height, 1)
    this.renderer.setSize(this.width, this.height, false)
    this.canvas.style.width = `${this.width}px`
    this.canvas.style.height = `${this.height}px`
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
      this.width,
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
      this.draw()
    })
  }

  /** The bodies and what they stand in, for views beside the large one. */
  get shownBodies(): ReadonlyMap<string, Body> {
    return this.bodies
  }

  get shownScene(): Scene {
    return this.scene
  }

  /** The pixels of a small view: outline and sharp edges on nothing. */
  drawn(sight: Sight, target: WebGLRenderTarget): Uint8Array {
    const hidden = [this.floor, ...[...this.bodies.values()].map((b) => b.ticks)].filter(
      (o) => o?.visible,
    )
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
  private aimed(sight: Sight, perspective: boolean, other: Record<string, number>): void {
    const eye = new Vector3().setFromMatrixPosition(sight.camera.matrix)
    const light = {
      eye,
      lookWay: look.way(sight.looking),
      parallel: perspective ? 0 : 1,
      ink: this.ink,
      paper: this.paper,
      moss: this.moss,
      lines: this.ways === 'shaded' ? 0 : 1,
      shade: this.ways === 'lines' ? 0.1 : 1,
      bands: this.judging.bands ? 1 : 0,
      lightTurn: look.lightTurn(sight.looking, this.judging.lights),
      ...other,
    }
    const cut = this.cuts.planes.length > 0
    const clipping = cut ? this.cuts.clipping() : null
    this.renderer.localClippingEnabled = cut
    for (const b of this.bodies.values()) {
      setAll(b.mesh.material.uniforms, light)
      cutWith(b.mesh.material, cut ? this.cuts.inside(b.mesh.matrix) : null)
      b.sharp.material.clippingPlanes = clipping
      b.sharp.material.clipIntersection = true
      // of several chosen parts all lines are moss
      const line = this.chosen.has(b.mesh.userData['part'] as string) ? this.moss : this.ink
      set(b.mesh.material.uniforms, 'ink', line)
      const lines = b.sharp.material
      lines.color.copy(line).convertSRGBToLinear()
      lines.resolution.set(sight.width, sight.height)
      showBehind(b, this.judging.behind, this.scene, sight.mmPerPx())
    }
    this.cuts.prepare(this.ink, this.paper, sight.mmPerPx(), sight.width, sight.height)
    this.marks.prepare(this.moss, this.amber, sight.width, sight.height)
    if (this.ghost) setAll(this.ghost.mesh.material.uniforms, light)
  }

  private draw(): void {
    if (this.width < 2 || this.height < 2) return
    if (!this.floor) {
      this.floor = floorLines(this.floorSize, this.grid)
      this.scene.add(this.floor)
    }
    this.aim()
    this.aimed(this, this.perspective, {})
    this.renderer.render(this.scene, this.camera)
    this.pictures += 1
    // drawn for another reason than that the eye moved: the small views follow
    if (this.looking === this.looked) this.changes += 1
    this.looked = this.looking
    this.onDrawn(this.swaps)
  }
}
