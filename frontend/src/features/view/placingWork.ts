import { Vector3 } from 'three'
import type { Edit, OperatorView, Placement } from '../../shared/api/client'
import { freeId } from '../../shared/format'
import { groundOf, holeAt, holesOf, holeWords } from './holes'
import type { Hole } from './holes'
import { lengthText, lengthsOf, niceLength } from '../../shared/units'
import { tidy, turnOfMatrix } from '../../shared/placement'
import { beginPreview, edit, endPreview, preview, useSession } from '../../shared/session'
import { useView } from '../../shared/viewState'
import { meantGround, nearestSpot } from './snapping'
import type { Stage } from './Stage'
import { onPlane, rayAt } from './surface'
import type { Ground } from './surface'

/** Setting a shape down: aim at a ground, draw its footprint, pull its height. No React. */

export type Phase = 'aim' | 'footprint' | 'height'
export type Size = 'wide' | 'deep' | 'radius' | 'up'
type Sizes = Partial<Record<Size, number>>
export interface Keys {
  even: boolean
  free: boolean
}

const WORDS: Record<Size, string> = { wide: 'width', deep: 'depth', radius: 'radius', up: 'height' }
const LEAST = 1e-3

export function lastKey(operator: string): string {
  return `jukai.last.${operator}`
}

export class PlacingWork {
  phase: Phase = 'aim'
  ground: Ground | null = null
  /** the ground that the footprint stands on, its axes, and where it was begun */
  base: { at: Vector3; x: Vector3; y: Vector3; n: Vector3 } | null = null
  sizes: Sizes = {}
  /** sizes that were typed and are not drawn any more */
  readonly typed = new Set<Size>()
  corner = false
  asLast = false
  /** where the middle of the footprint stands from where it was begun, in its ground */
  shift: [number, number] = [0, 0]
  snapWords = ''
  pressed = false
  /** the hole that it is set down on */
  hole: Hole | null = null
  private holes: readonly Hole[] = []
  private aimed: [number, number, Keys] | null = null
  readonly part: string
  private readonly step = 's1'
  private readonly stage: Stage
  readonly operator: OperatorView
  private readonly changed: () => void
  private begun = false
  private heightFrom = 0

  constructor(stage: Stage, operator: OperatorView, changed: () => void) {
    this.stage = stage
    this.operator = operator
    this.changed = changed
    const { bench } = useSession.getState()
    const parts = bench?.document.parts ?? []
    void holesOf(bench?.parts ?? [], operator).then((holes) => {
      this.holes = holes
      if (this.aimed && this.phase === 'aim') this.aim(...this.aimed)
    })
    this.part = freeId(
      'p',
      parts.map((p) => p.id),
    )
  }

  get round(): boolean {
    return this.operator.placing?.radius !== null
  }

  /** the sizes that the present phase draws, in the order they are typed */
  get open(): Size[] {
    const p = this.operator.placing
    const all: Size[] = this.round ? ['radius'] : ['wide', 'deep']
    if (this.phase === 'height') return ['up']
    return all.filter((s) => p?.[s])
  }

  private get grid(): number {
    const { bench } = useSession.getState()
    return niceLength(this.stage.mmPerPx() * 400, lengthsOf(bench?.document.shown))
  }

  // -- the pointer ----------------------------------------------------------------------------
  aim(x: number, y: number, keys: Keys): void {
    const mark = performance.now()
    this.aimed = [x, y, keys]
    if (this.phase === 'aim') {
      this.hole = keys.free ? null : holeAt(this.stage, this.holes, x, y)
      const meant = this.hole
        ? { ground: groundOf(this.hole), words: this.wordsOf(this.hole) }
        : meantGround(this.stage, x, y, this.grid * 5, keys.free)
      this.ground = meant?.ground ?? null
      this.snapWords = meant?.words ?? ''
    } else if (this.phase === 'footprint') this.draw(x, y, keys)
    else this.pull(x, y, keys)
    performance.measure('place', { start: mark, end: performance.now() })
    this.changed()
  }

  press(x: number, y: number, keys: Keys): void {
    this.pressed = true
    if (this.phase !== 'aim') return
    this.aim(x, y, keys)
    const g = this.ground
    if (!g) return
    const n = g.normal.clone()
    const ax = g.along.clone()
    this.base = { at: g.at.clone(), x: ax, y: n.clone().cross(ax).normalize(), n }
    this.phase = 'footprint'
    this.snapWords = ''
    this.changed()
  }

  release(x: number, y: number, keys: Keys): void {
    const was = this.pressed
    this.pressed = false
    if (!was || this.phase === 'aim') return
    if (this.phase === 'footprint') {
      // a click alone begins it: the next one ends the footprint
      if (!this.open.every((s) => (this.sizes[s] ?? 0) > this.stage.mmPerPx() * 4)) {
        if (!this.hole) return
        // on a hole that is all: its size comes from there
        this.sizes = {}
        this.finish()
        return
      }
      this.draw(x, y, keys)
      this.footprintDone(y)
    } else this.finish()
  }

  private footprintDone(y: number): void {
    if (this.operator.placing?.up) {
      this.phase = 'height'
      this.heightFrom = y
      this.sizes.up ??= 0
      this.changed()
    } else this.finish()
  }

  private local(x: number, y: number): [number, number] | null {
    const b = this.base
    const p = b && onPlane(rayAt(this.stage, x, y), b.at, b.n)
    if (!b || !p) return null
    p.sub(b.at)
    return [p.dot(b.x), p.dot(b.y)]
  }

  private draw(x: number, y: number, keys: Keys): void {
    const b = this.base
    let uv = this.local(x, y)
    if (!b || !uv) return
    const spot = keys.free ? null : nearestSpot(this.stage, x, y)
    this.snapWords = ''
    if (spot && Math.abs(spot.at.clone().sub(b.at).dot(b.n)) < this.grid) {
      const d = spot.at.clone().sub(b.at)
      uv = [d.dot(b.x), d.dot(b.y)]
      this.snapWords = spot.words
    }
    const on = (v: number) =>
      keys.free || spot ? tidy(v, 4) : tidy(Math.round(v / this.grid) * this.grid)
    const [u, v] = uv
    const factor = this.corner ? 1 : 2
    if (this.round) {
      const reach = this.corner ? Math.max(Math.abs(u), Math.abs(v)) / 2 : Math.hypot(u, v)
      if (!this.typed.has('radius')) this.sizes.radius = Math.max(on(reach), 0)
      const r = this.sizes.radius ?? 0
      this.shift = this.corner ? [Math.sign(u) * r, Math.sign(v) * r] : [0, 0]
    } else {
      let [wide, deep] = [on(Math.abs(u) * factor), on(Math.abs(v) * factor)]
      if (keys.even) wide = deep = Math.max(wide, deep)
      if (!this.typed.has('wide')) this.sizes.wide = wide
      if (!this.typed.has('deep')) this.sizes.deep = deep
      this.shift = this.corner
        ? [(Math.sign(u) * (this.sizes.wide ?? 0)) / 2, (Math.sign(v) * (this.sizes.deep ?? 0)) / 2]
        : [0, 0]
    }
    this.show()
  }

  private pull(x: number, y: number, keys: Keys): void {
    const b = this.base
    if (!b || this.typed.has('up')) return
    const spot = keys.free ? null : nearestSpot(this.stage, x, y)
    let height: number
    if (spot && spot.at.clone().sub(b.at).dot(b.n) > this.grid) {
      height = tidy(spot.at.clone().sub(b.at).dot(b.n), 6)
      this.snapWords = spot.words
    } else {
      // along the normal as it is seen; where it points at the eye, up and down
      const top = this.stage.project(b.at)
      const one = this.stage.project(b.at.clone().addScaledVector(b.n, this.stage.mmPerPx() * 20))
      const [wx, wy] = [(one.x - top.x) / 20, (one.y - top.y) / 20]
      const l2 = wx * wx + wy * wy
      const px = l2 > 0.05 ? (wy * (y - this.heightFrom)) / l2 : this.heightFrom - y
      height = px * this.stage.mmPerPx()
      height = keys.free ? tidy(height, 4) : tidy(Math.round(height / this.grid) * this.grid)
      this.snapWords = ''
    }
    if (keys.even) height = this.round ? 2 * (this.sizes.radius ?? 0) : (this.sizes.wide ?? height)
    this.sizes.up = Math.max(height, 0)
    this.show()
  }

  private wordsOf(hole: Hole): string {
    const lengths = lengthsOf(useSession.getState().bench?.document.shown)
    return holeWords(hole, (mm) => lengthText(tidy(mm, 3), lengths))
  }

  // -- the keyboard ---------------------------------------------------------------------------
  /** A typed size counts at once, and is not drawn any more. */
  type(size: Size, value: number): void {
    this.sizes[size] = value
    this.typed.add(size)
    if (!this.base) {
      // nothing was drawn yet: it stands at the zero point
      this.base = {
        at: new Vector3(),
        x: new Vector3(1, 0, 0),
        y: new Vector3(0, 1, 0),
        n: new Vector3(0, 0, 1),
      }
      this.phase = 'footprint'
    }
    this.show()
    this.changed()
  }

  /** Go on from what was typed: to the next size, the next phase, or the end. */
  next(): Size | null {
    const left = this.open.find((s) => !this.typed.has(s))
    if (left) return left
    if (this.phase === 'footprint' && this.operator.placing?.up) {
      this.phase = 'height'
      this.heightFrom = this.stage.height / 2
      this.changed()
      return 'up'
    }
    this.finish()
    return null
  }

  enter(y: number): void {
    if (this.phase === 'aim') {
      this.sizes = {}
      this.base = null
      this.hole = null
      this.finish()
    } else if (this.phase === 'footprint' && this.open.every((s) => (this.sizes[s] ?? 0) > LEAST))
      this.footprintDone(y)
    else if (this.phase === 'height') this.finish()
  }

  toggleCorner(): void {
    this.corner = !this.corner
    this.changed()
  }

  // -- what comes of it -----------------------------------------------------------------------
  values(): Record<string, unknown> {
    const out: Record<string, unknown> = this.asLast ? this.last() : {}
    Object.assign(out, this.hole?.values)
    const p = this.operator.placing
    for (const size of ['wide', 'deep', 'radius', 'up'] as const) {
      const row = p?.[size]
      const drawn = this.sizes[size]
      if (!row || drawn === undefined || drawn <= LEAST) continue
      const [key = '', index] = row.target.split('/')
      const value = tidy(drawn * row.gain, 6)
      if (index === undefined) out[key] = value
      else {
        const spec = this.operator.values.find((v) => v.key === key)
        const even = tidy(this.defaultSize() * row.gain, 6)
        const now = Array.isArray(out[key])
          ? (out[key] as unknown[])
          : Array.from({ length: spec?.axes ?? 3 }, () => even)
        out[key] = now.map((x, i) => (i === Number(index) ? value : x))
      }
    }
    return out
  }

  private defaultSize(): number {
    return (useSession.getState().bench?.document.floor ?? 100) / 5
  }

  last(): Record<string, unknown> {
    try {
      const held: unknown = JSON.parse(localStorage.getItem(lastKey(this.operator.id)) ?? 'null')
      return typeof held === 'object' && held !== null ? { ...held } : {}
    } catch {
      return {}
    }
  }

  placement(): Required<Placement> {
    const b = this.base
    const none = { scale: [1, 1, 1], zero: [0, 0, 0], extents: {} }
    if (!b) return { move: [0, 0, 0], turn: [0, 0, 0], ...none }
    const at = this.middle(0)
    const rows = [0, 1, 2].map((i) => [b.x, b.y, b.n].map((v) => v.getComponent(i)))
    return {
      move: [at.x, at.y, at.z].map((x) => tidy(x)),
      turn: [...turnOfMatrix(rows)],
      ...none,
    }
  }

  /** The middle of the footprint, lifted by a height. */
  middle(height: number): Vector3 {
    const b = this.base
    if (!b) return new Vector3()
    return b.at
      .clone()
      .addScaledVector(b.x, this.shift[0])
      .addScaledVector(b.y, this.shift[1])
      .addScaledVector(b.n, height)
  }

  private edit(): Extract<Edit, { kind: 'add_part' }> {
    const doc = useSession.getState().bench?.document
    return {
      kind: 'add_part',
      part: this.part,
      step: this.step,
      name: this.operator.name,
      operator: this.operator.id,
      values: this.values(),
      finish: doc?.finishes?.[0]?.name ?? null,
      placement: this.placement(),
      reference: false,
    }
  }

  private show(): void {
    const ready = this.open.every((s) => (this.sizes[s] ?? 0) > LEAST) || this.phase === 'height'
    if (!ready) return
    if (!this.begun) beginPreview()
    this.begun = true
    this.stage.setPlacing(this.part)
    preview(this.edit(), [this.part])
  }

  finish(): void {
    const done = this.edit()
    try {
      localStorage.setItem(lastKey(this.operator.id), JSON.stringify(done.values))
    } catch {
      // no storage: there is no last time
    }
    this.stage.setPlacing(null)
    useView.getState().set({ placing: null })
    edit(done)
      .then(() =>
        useView.getState().set({ part: this.part, also: [], step: this.step, copied: null }),
      )
      .catch(() => undefined)
      .finally(() => endPreview())
  }

  cancel(): void {
    this.stage.setPlacing(null)
    if (this.begun) endPreview()
    useView.getState().set({ placing: null })
  }

  /** What to do now, in words. */
  words(): string {
    const name = this.operator.name.toLowerCase()
    const drawn = (['wide', 'deep', 'radius', 'up'] as const).some(
      (s) => this.operator.placing?.[s],
    )
    if (this.phase === 'aim' && !drawn)
      return `Click where the ${name} goes: a hole gives it its size. Enter sets it at the zero point.`
    if (this.phase === 'aim')
      return `Drag the footprint of the ${name} on the floor or on a face. Enter sets it at the zero point.`
    if (this.phase === 'footprint')
      return `Its ${this.open.map((s) => WORDS[s]).join(' and ')}: let go, click, or type.`
    return 'Now its height: click, or type.'
  }
}

export function sizeWords(s: Size): string {
  return WORDS[s]
}
