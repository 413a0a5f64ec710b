import {
  BufferAttribute,
  BufferGeometry,
  Color,
  Matrix4,
  Mesh,
  OrthographicCamera,
  PerspectiveCamera,
  Scene,
  Vector2,
  Vector3,
  WebGLRenderer,
} from 'three'
import type { RawShaderMaterial, LineBasicMaterial, LineSegments } from 'three'
import { LineMaterial } from 'three/addons/lines/LineMaterial.js'
import { LineSegments2 } from 'three/addons/lines/LineSegments2.js'
import { LineSegmentsGeometry } from 'three/addons/lines/LineSegmentsGeometry.js'
import { acceleratedRaycast } from 'three-mesh-bvh'
import { Cuts } from './Cuts'
import type { Cap } from './Cuts'
import { firstPlane } from '../../shared/section'
import type { CutPlane, Three } from '../../shared/section'
import { Ghost } from './Ghost'
import { fillGeometry, markChanged, normalTicks } from './buffers'
import type { BodyData } from './buffers'
import * as look from './camera'
import type { Looking } from './camera'
import { PickMarks } from './PickMarks'
import { Pointing, ready } from './Pointing'
import { floorLines, rendersInSoftware, showBehind, tickLines } from './pieces'
import { FINISHES, bodyMaterial, cutWith, sameNumbers, set, setAll, setWorld } from './bodyMaterial'
import { bodyFragment, ghostFragment } from './shaders'

export interface Finish {
  colour: string
  metal: number
  roughness: number
}

export type Ways = 'shaded' | 'shaded_lines' | 'lines'

export interface Judging {
  bands: boolean
  lights: 'eye' | 'stay'
  behind: boolean
}

/** How a body is shown beside its finish, and whether it can be pointed at. */
export interface As {
  locked: boolean
  through: boolean
  reference: boolean
}

export interface Body {
  data: BodyData
  mesh: Mesh<BufferGeometry, RawShaderMaterial>
  sharp: LineSegments2
  /** the same edges where they lie behind a body */
  behind: LineSegments2 | null
  matrix: Matrix4
  as: As
  ticks: LineSegments | null
}

const MOST_FAT_LINES = 20_000

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
      const mesh = new Mesh(new BufferGeometry(), this.material())
      const sharp = new LineSegments2(
        new LineSegmentsGeometry(),
        new LineMaterial({ linewidth: 1.7, worldUnits: false }),
      )
      mesh.frustumCulled = false
      sharp.frustumCulled = false
      mesh.userData['part'] = id
      mesh.raycast = acceleratedRaycast
      this.scene.add(mesh, sharp)
      body = { data, mesh, sharp, behind: null, matrix: new Matrix4(), as, ticks: null }
      this.bodies.set(id, body)
    }
    if (fresh) {
      fillGeometry(body.mesh.geometry, data)
      delete body.mesh.geometry.boundsTree
      body.sharp.geometry.dispose()
      body.sharp.geometry = new LineSegmentsGeometry()
      const lines =
        data.sharp.length / 6 <= MOST_FAT_LINES
          ? data.sharp
          : data.sharp.slice(0, MOST_FAT_LINES * 6)
      if (lines.length) body.sharp.geometry.setPositions(lines)
      body.sharp.visible = lines.length > 0
      showBehind(body, false, this.scene, 1)
      this.swaps += 1
    }
    body.data = data
    body.as = as
    body.matrix.set(...(matrix as Parameters<Matrix4['set']>))
    setWorld(body)
    // what is seen through is drawn last and hides nothing
    const through = as.through || as.reference
    body.mesh.material.transparent = through
    body.mesh.material.depthWrite = !as.through
    body.mesh.renderOrder = as.through ? 2 : as.reference ? 1 : 0
    set(body.mesh.material.uniforms, 'alpha', as.through ? 0.28 : as.reference ? 0.62 : 1)
    set(body.mesh.material.uniforms, 'pale', as.reference ? 0.72 : 0)
    body.sharp.material.opacity = as.reference ? 0.45 : 1
    body.sharp.material.transparent = as.reference
    if (fresh || body.ticks) this.setTicks(body)
    const u = body.mesh.material.uniforms
    const looks = Array.from({ length: FINISHES }, (_, i) => (i ? others[i - 1] : finish) ?? finish)
    set(
      u,
      'colours',
      looks.map((f) => new Color(f.colour).convertLinearToSRGB()),
    )
    set(
      u,
      'looks',
      looks.map((f) => new Vector2(f.metal, f.roughness)),
    )
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

  private draw(): void {
    if (this.width < 2 || this.height < 2) return
    if (!this.floor) {
      this.floor = floorLines(this.floorSize, this.grid)
      this.scene.add(this.floor)
    }
    this.aim()
    const eye = new Vector3().setFromMatrixPosition(this.camera.matrix)
    const light = {
      eye,
      lookWay: look.way(this.looking),
      parallel: this.perspective ? 0 : 1,
      ink: this.ink,
      paper: this.paper,
      moss: this.moss,
      lines: this.ways === 'shaded' ? 0 : 1,
      shade: this.ways === 'lines' ? 0.1 : 1,
      bands: this.judging.bands ? 1 : 0,
      lightTurn: look.lightTurn(this.looking, this.judging.lights),
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
      lines.resolution.set(this.width, this.height)
      showBehind(b, this.judging.behind, this.scene, this.mmPerPx())
    }
    this.cuts.prepare(this.ink, this.paper, this.mmPerPx(), this.width, this.height)
    this.marks.prepare(this.moss, this.amber, this.width, this.height)
    if (this.ghost) setAll(this.ghost.mesh.material.uniforms, light)
    this.renderer.render(this.scene, this.camera)
    this.pictures += 1
    this.onDrawn(this.swaps)
  }
}
