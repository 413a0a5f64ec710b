import { BufferAttribute, Color, Scene } from 'three'
import type {
  BufferGeometry,
  LineBasicMaterial,
  LineSegments,
  Matrix4,
  RawShaderMaterial,
  WebGLRenderer,
} from 'three'
import type { CutPlane } from '../../shared/section'
import {
  dressBody,
  dropOutline,
  dropThin,
  fillBody,
  newBody,
  placeFacets,
  traceStone,
} from './Body'
import type { As, Body, Finish } from './Body'
import { bodyMaterial, draws, sameNumbers, set, setWorld } from './bodyMaterial'
import { markChanged, normalTicks } from './buffers'
import type { BodyData } from './buffers'
import { Cuts } from './Cuts'
import type { Cap } from './Cuts'
import { Ghost } from './Ghost'
import { Stipple } from './Stipple'
import type { Elements } from '../../shared/pickRules'
import { PickMarks } from './PickMarks'
import { showBehind, tickLines } from './pieces'
import { bodyFragment, ghostFragment } from './shaders'

export type Ways = 'shaded' | 'shaded_lines' | 'lines'

export interface Judging {
  bands: boolean
  lights: 'eye' | 'stay'
  behind: boolean
}

/** What stands on the stage and how it looks: bodies, their marks, the section, the colours. */
export abstract class Scenery {
  abstract readonly renderer: WebGLRenderer
  readonly scene = new Scene()
  readonly bodies = new Map<string, Body>()
  readonly marks = new PickMarks(this.scene, () => this.invalidate())
  readonly cuts = new Cuts(this.scene)
  protected swaps = 0
  protected floor: LineSegments<BufferGeometry, RawShaderMaterial> | null = null
  protected floorSize = 100
  protected ghost: Ghost | null = null
  protected stipple: Stipple | null = null
  protected judging: Judging = { bands: false, lights: 'stay', behind: false }
  protected ways: Ways = 'shaded_lines'
  protected chosen: ReadonlySet<string> = new Set()
  protected paper = new Color('#f3f0e6')
  protected ink = new Color('#1d2420')
  protected moss = new Color('#1f6a43')
  protected grid = new Color('#dcd7c8')
  protected amber = new Color('#8f5200')
  private normals = false
  /** light is followed through stones: without a graphics card a picture would take seconds */
  protected traces = true

  /** bodies came, went or moved: the soft contact with the floor is to be looked at again */
  protected stirred = true

  abstract invalidate(): void

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
    const shown = JSON.stringify([matrix, finish, as, others])
    if (!fresh && body?.shown === shown) return // React says it again with each number that changed
    if (!body) {
      body = newBody(id, data, as, this.material())
      this.scene.add(body.mesh, body.sharp)
      this.bodies.set(id, body)
    }
    if (fresh) {
      showBehind(body, false, this.scene)
      dropOutline(body, this.scene)
      fillBody(body, data)
      this.swaps += 1
    }
    body.shown = shown
    body.matrix.set(...(matrix as Parameters<Matrix4['set']>))
    setWorld(body)
    dressBody(body, finish, as, others)
    traceStone(body, this.traces)
    if (fresh || body.ticks) this.setTicks(body)
    this.stirred = true
    this.invalidate()
  }

  /** Put a body elsewhere at once, while it is dragged; what is worked out follows. */
  nudge(id: string, matrix: Matrix4): void {
    const body = this.bodies.get(id)
    if (!body) return
    body.matrix.copy(matrix)
    body.shown = ''
    setWorld(body)
    placeFacets(body)
    this.stirred = true
    this.invalidate()
  }

  remove(id: string): void {
    const body = this.bodies.get(id)
    if (!body) return
    showBehind(body, false, this.scene)
    dropOutline(body, this.scene)
    this.scene.remove(body.mesh, body.sharp)
    if (body.ticks) {
      this.scene.remove(body.ticks)
      body.ticks.geometry.dispose()
    }
    dropThin(body)
    for (const o of [body.mesh, body.sharp]) {
      o.geometry.dispose()
      o.material.dispose()
    }
    this.bodies.delete(id)
    this.stirred = true
    this.invalidate()
  }

  ids(): string[] {
    return [...this.bodies.keys()]
  }

  data(id: string): BodyData | undefined {
    return this.bodies.get(id)?.data
  }

  /** Follow the light through stones, or have their stand-in drawn. */
  setTraces(on: boolean): void {
    this.traces = on
    for (const b of this.bodies.values()) traceStone(b, on)
    this.invalidate()
  }

  /** Hatch what changed against the body before; null takes the hatching away. */
  hatch(id: string, before: BodyData | null): void {
    const body = this.bodies.get(id)
    if (!body || (!before && !('HATCHED' in (body.mesh.material.defines as object)))) return
    const marks = before ? markChanged(body.data, before) : null
    if (marks) {
      const changed = new BufferAttribute(marks, 1, true)
      changed.needsUpdate = true // which tells it from one that marks nothing
      body.mesh.geometry.setAttribute('changed', changed)
    }
    draws(body.mesh.material, 'HATCHED', marks !== null)
    this.invalidate()
  }

  /** Fade bodies to paper grey, so that what is marked reads on any finish. */
  fade(ids: ReadonlySet<string>): void {
    for (const [id, b] of this.bodies) {
      const grey = ids.has(id) ? 0.62 : 0
      if (b.mesh.material.uniforms['grey']?.value === grey) continue
      set(b.mesh.material.uniforms, 'grey', grey)
      this.invalidate()
    }
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

  /** The mask of the body that is painted, as stipple; null takes it away. */
  showMask(body: Elements | null, matrix: readonly number[]): void {
    this.stipple?.dispose()
    this.stipple = body ? new Stipple(this.scene, body, matrix) : null
    this.invalidate()
  }

  /** How much acts at each point of the body that is painted. */
  setMask(weights: Float32Array): void {
    this.stipple?.show(weights)
    this.invalidate()
  }

  /** The parts that are chosen, when there are several. */
  setChosen(ids: readonly string[]): void {
    this.chosen = new Set(ids)
    this.invalidate()
  }

  /** Take away what lies ahead of all planes; none shows the bodies whole again. */
  setSection(planes: readonly CutPlane[]): void {
    if (planes.length === 0 && this.cuts.planes.length === 0) return
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
    this.grid = plain(c.grid)
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

  protected dropFloor(): void {
    if (!this.floor) return
    this.scene.remove(this.floor)
    this.floor.geometry.dispose()
    this.floor.material.dispose()
    this.floor = null
  }

  protected material(fragment = bodyFragment): RawShaderMaterial {
    return bodyMaterial(fragment, this.ink, this.paper, this.moss)
  }
}
