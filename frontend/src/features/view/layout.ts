import { Matrix4, Vector3 } from 'three'
import type { CalloutView, PartView } from '../../shared/api/client'
import type { Looking } from './camera'
import { fitted, moved, screenAxes } from './camera'
import type { Sight } from './Sight'
import type { Stage } from './Stage'

/** Where dimensions and callouts stand on the screen; plain geometry, no React. */

export interface Spot {
  x: number
  y: number
}

export interface Dimension {
  kind: 'dimension'
  key: string
  /** the two ends on the body */
  a: Spot
  b: Spot
  /** the two ends of the dimension line */
  p: Spot
  q: Spot
  label: Spot
  /** degrees the label is turned by */
  turn: number
}

export interface Leader {
  kind: 'leader'
  key: string
  anchor: Spot
  knee: Spot
  label: Spot
  end: 'start' | 'end'
  arc?: readonly Spot[]
}

export interface Box {
  left: number
  right: number
  top: number
  bottom: number
}

const three = (p: readonly number[]) => new Vector3(p[0] ?? 0, p[1] ?? 0, p[2] ?? 0)

export function matrixOf(part: Pick<PartView, 'matrix'>): Matrix4 {
  const m = new Matrix4()
  if (part.matrix) m.set(...(part.matrix as Parameters<Matrix4['set']>))
  return m
}

/** The corners of the bounds of all parts that are shown. */
export function shownCorners(parts: readonly PartView[]): Vector3[] {
  return parts.filter((p) => p.mesh && !p.hidden).flatMap(cornersOf)
}

/** The eight corners of a part's bounds on the bench. */
export function cornersOf(part: PartView): Vector3[] {
  const [low = [0, 0, 0], high = [0, 0, 0]] = part.bounds ?? []
  const m = matrixOf(part)
  const out: Vector3[] = []
  for (let i = 0; i < 8; i += 1)
    out.push(
      new Vector3(...[0, 1, 2].map((k) => ((i >> k) & 1 ? high : low)[k] ?? 0)).applyMatrix4(m),
    )
  return out
}

export function boxOnScreen(stage: Sight, part: PartView): Box {
  const spots = cornersOf(part).map((p) => stage.project(p))
  const xs = spots.map((s) => s.x)
  const ys = spots.map((s) => s.y)
  return {
    left: Math.min(...xs),
    right: Math.max(...xs),
    top: Math.min(...ys),
    bottom: Math.max(...ys),
  }
}

/** A dimension beside two points, `off` px away from `from`. */
function dimension(key: string, a: Spot, b: Spot, away: Spot, off: number): Dimension {
  const d = { x: b.x - a.x, y: b.y - a.y }
  const length = Math.hypot(d.x, d.y) || 1
  let n = { x: -d.y / length, y: d.x / length }
  const mid = { x: (a.x + b.x) / 2, y: (a.y + b.y) / 2 }
  if (n.x * (mid.x - away.x) + n.y * (mid.y - away.y) < 0) n = { x: -n.x, y: -n.y }
  const p = { x: a.x + n.x * off, y: a.y + n.y * off }
  const q = { x: b.x + n.x * off, y: b.y + n.y * off }
  let turn = (Math.atan2(d.y, d.x) * 180) / Math.PI
  // read from below or from the right (ISO 129)
  if (turn > 80 || turn <= -100) turn += turn > 0 ? -180 : 180
  const r = (turn * Math.PI) / 180
  const label = { x: (p.x + q.x) / 2 + Math.sin(r) * 5, y: (p.y + q.y) / 2 - Math.cos(r) * 5 }
  return { kind: 'dimension', key, a, b, p, q, label, turn }
}

/** How far out a dimension left of two points stands, so that it is still in the view. */
function leftOf(a: Spot, b: Spot, off: number): number {
  return Math.min(off, Math.max(NEAREST, Math.min(a.x, b.x) - EDGE))
}

const EDGE = 20
const NEAREST = 14

/** Overall sizes: height and diameter of a round body, else width, depth and height. */
export function overall(
  stage: Sight,
  part: PartView,
  round: boolean,
  looking: Looking,
): Dimension[] {
  if (!part.bounds) return []
  const [low = [], high = []] = part.bounds
  const box = boxOnScreen(stage, part)
  const middle = { x: (box.left + box.right) / 2, y: (box.top + box.bottom) / 2 }
  const m = matrixOf(part)
  const put = (x: number, y: number, z: number) =>
    stage.project(new Vector3(x, y, z).applyMatrix4(m))
  const [x0 = 0, y0 = 0, z0 = 0] = low
  const [x1 = 0, y1 = 0, z1 = 0] = high
  const flat = Math.abs(looking.above) > 75
  const out: Dimension[] = []
  if (round) {
    const [right] = screenAxes(looking)
    const [cx, cy, r] = [(x0 + x1) / 2, (y0 + y1) / 2, (x1 - x0) / 2]
    const side = (s: number, z: number) => put(cx + right.x * r * s, cy + right.y * r * s, z)
    const [low, top] = [side(-1, z0), side(-1, z1)]
    if (!flat) out.push(dimension('height', low, top, middle, leftOf(low, top, 58)))
    out.push(
      dimension(
        'across',
        side(-1, z0),
        side(1, z0),
        { x: middle.x, y: box.top - 1000 },
        Math.max(30, box.bottom - side(0, z0).y + 22),
      ),
    )
    return out
  }
  const z = z0
  const edges: [string, Spot, Spot][] = [
    ['x', put(x0, y0, z), put(x1, y0, z)],
    ['x', put(x0, y1, z), put(x1, y1, z)],
    ['y', put(x0, y0, z), put(x0, y1, z)],
    ['y', put(x1, y0, z), put(x1, y1, z)],
  ]
  for (const key of ['x', 'y']) {
    const two = edges.filter((e) => e[0] === key)
    const low_ = (e: (typeof two)[number]) =>
      e[1].y + e[2].y + (key === 'y' ? (e[1].x + e[2].x) * 0.02 : 0)
    const best = two.sort((a, b) => low_(b) - low_(a))[0]
    if (best && Math.hypot(best[1].x - best[2].x, best[1].y - best[2].y) > 30)
      out.push(dimension(key, best[1], best[2], middle, 30))
  }
  const posts = [put(x0, y0, z0), put(x1, y0, z0), put(x0, y1, z0), put(x1, y1, z0)]
  const tops = [put(x0, y0, z1), put(x1, y0, z1), put(x0, y1, z1), put(x1, y1, z1)]
  const at = posts.reduce((best, s, i) => (s.x < (posts[best]?.x ?? 0) ? i : best), 0)
  const a = posts[at]
  const b = tops[at]
  if (!flat && a && b && Math.hypot(a.x - b.x, a.y - b.y) > 30)
    out.push(dimension('height', a, b, middle, leftOf(a, b, 34)))
  return out
}

/** A length of the chosen step drawn as a dimension beside the body. */
export function lengthDimension(
  stage: Sight,
  part: PartView,
  c: CalloutView,
  key: string,
  off = 30,
): Dimension {
  const m = matrixOf(part)
  const [at, to] = edgeOfBounds(stage, part, c, m) ?? [three(c.at), three(c.to)]
  const a = stage.project(at.applyMatrix4(m))
  const b = stage.project(to.applyMatrix4(m))
  return outside(stage, part, key, a, b, off)
}

/** The axis of the part along which a length spans its bounds, if it does. */
export function spannedAxis(part: PartView, c: CalloutView): number | null {
  const [low, high] = part.bounds ?? []
  if (!low || !high || c.form !== 'length') return null
  const d = three(c.to).sub(three(c.at))
  const k = [0, 1, 2].find((i) => Math.abs(d.getComponent(i)) > (1 - 1e-9) * d.length())
  if (k === undefined) return null
  const [from, to] = [Math.min(c.at[k] ?? 0, c.to[k] ?? 0), Math.max(c.at[k] ?? 0, c.to[k] ?? 0)]
  const size = (high[k] ?? 0) - (low[k] ?? 0)
  const off = Math.abs(from - (low[k] ?? 0)) + Math.abs(to - (high[k] ?? 0))
  return off > 1e-6 * size ? null : k
}

/** A length that spans the body is drawn at the edge of its bounds that lies outermost: the lowest, of heights the leftmost. */
function edgeOfBounds(
  stage: Sight,
  part: PartView,
  c: CalloutView,
  m: Matrix4,
): [Vector3, Vector3] | null {
  const [low, high] = part.bounds ?? []
  const k = spannedAxis(part, c)
  if (!low || !high || k === null) return null
  const [i, j] = [(k + 1) % 3, (k + 2) % 3]
  const ends = (at: readonly number[]) => {
    const p = three(c.at)
    const q = three(c.to)
    for (const v of [p, q]) {
      v.setComponent(i, at[0] ?? 0)
      v.setComponent(j, at[1] ?? 0)
    }
    return [p, q] as [Vector3, Vector3]
  }
  const rows = [low[i], high[i]].flatMap((x) =>
    [low[j], high[j]].map((y) => ends([x ?? 0, y ?? 0])),
  )
  const out = (row: [Vector3, Vector3]) => {
    const [a, b] = row.map((p) => stage.project(p.clone().applyMatrix4(m)))
    if (!a || !b) return 0
    const steep = Math.abs(b.y - a.y) > 2 * Math.abs(b.x - a.x)
    return steep ? -(a.x + b.x) * 10 : a.y + b.y + (a.x + b.x) * 0.02
  }
  return rows.reduce((best, row) => (out(row) > out(best) ? row : best))
}

const SMALL = 26 // px

/** A dimension beside two points that stands `off` px outside of the part's outline. */
function outside(
  stage: Sight,
  part: PartView,
  key: string,
  a: Spot,
  b: Spot,
  off: number,
): Dimension {
  const spots = cornersOf(part).map((p) => stage.project(p))
  const away = {
    x: spots.reduce((s, p) => s + p.x, 0) / spots.length,
    y: spots.reduce((s, p) => s + p.y, 0) / spots.length,
  }
  const at = dimension(key, a, b, away, 0)
  const l = Math.hypot(b.x - a.x, b.y - a.y)
  // what is small stays beside its place
  if (l < SMALL) return dimension(key, a, b, away, off)
  // as far out as the outline reaches on that side
  const one = dimension(key, a, b, away, 1)
  const n = { x: one.p.x - at.p.x, y: one.p.y - at.p.y }
  const reach = Math.max(...spots.map((s) => (s.x - a.x) * n.x + (s.y - a.y) * n.y), 0)
  return dimension(key, a, b, away, Math.min(reach, 2.5 * l + 120) + off)
}

/** Whether two dimension lines run side by side so near that their numbers would lie on each other. */
function together(one: Dimension, two: Dimension): boolean {
  const mid = (d: Dimension) => ({ x: (d.p.x + d.q.x) / 2, y: (d.p.y + d.q.y) / 2 })
  const [m, k] = [mid(one), mid(two)]
  const turn = Math.abs(Math.sin(((one.turn - two.turn) * Math.PI) / 180))
  return (
    (turn < 0.3 && apart(one, k) < 22 && apart(two, m) < 22) ||
    Math.hypot(one.label.x - two.label.x, one.label.y - two.label.y) < 34
  )
}

function apart(d: Dimension, s: Spot): number {
  const l = Math.hypot(d.q.x - d.p.x, d.q.y - d.p.y) || 1
  return Math.abs(((s.x - d.p.x) * (d.q.y - d.p.y) - (s.y - d.p.y) * (d.q.x - d.p.x)) / l)
}

/** Lengths as dimensions outside of the body: each is moved out until it lies on none before it. */
export function stackedLengths(
  stage: Sight,
  part: PartView,
  rows: readonly CalloutView[],
  taken: readonly Dimension[],
): Dimension[] {
  const out: Dimension[] = []
  for (const c of rows) {
    let d = lengthDimension(stage, part, c, c.target)
    for (let level = 1; level < 5 && [...taken, ...out].some((o) => together(o, d)); level += 1)
      d = lengthDimension(stage, part, c, c.target, 30 + level * 26)
    out.push(d)
  }
  return out
}

/** Where the handle of a callout sits, and for an angle the arc it ends. */
export function anchorOf(
  stage: Sight,
  part: PartView,
  c: CalloutView,
  value: number | null,
): { anchor: Spot; arc?: Spot[] } {
  const m = matrixOf(part)
  if (c.form !== 'angle') return { anchor: stage.project(three(c.grip).applyMatrix4(m)) }
  const centre = three(c.at)
  const start = three(c.to).sub(centre)
  const axis = three(c.along).normalize()
  const degrees = Math.max(-360, Math.min(360, value ?? 0))
  const n = Math.max(2, Math.ceil(Math.abs(degrees) / 6))
  const arc: Spot[] = []
  for (let i = 0; i <= n; i += 1) {
    const p = start.clone().applyAxisAngle(axis, (((degrees * i) / n) * Math.PI) / 180)
    arc.push(stage.project(p.add(centre).applyMatrix4(m)))
  }
  return { anchor: arc.at(-1) ?? { x: 0, y: 0 }, arc }
}

/** Places for grips beside each other where several have the same: each is moved right until it lies on none before it. */
export function apartFromEachOther(spots: readonly Spot[], least: number): Spot[] {
  const out: Spot[] = []
  for (const spot of spots) {
    let at = spot
    while (out.some((o) => Math.hypot(o.x - at.x, o.y - at.y) < least))
      at = { x: at.x + least, y: at.y }
    out.push(at)
  }
  return out
}

/** px that the three small views take in the upper right */
export const PANES = { width: 276, height: 312 }

/** How a bench vector lies on the screen at a place: px per mm. */
export function screenWay(stage: Sight, at: Vector3, d: Vector3): Spot {
  const step = stage.mmPerPx() * 20
  const a = stage.project(at)
  const b = stage.project(at.clone().addScaledVector(d, step))
  return { x: (b.x - a.x) / step, y: (b.y - a.y) / step }
}

/** Whether a body reaches under the small views in the upper right. */
export function underPanes(stage: Sight, parts: readonly PartView[]): boolean {
  return parts
    .filter((p) => p.mesh && !p.hidden)
    .some((p) => {
      const box = boxOnScreen(stage, p)
      return box.right > stage.width - PANES.width && box.top < PANES.height
    })
}

/** See all shown bodies, or the chosen one. */
export function seeAll(
  stage: Stage,
  parts: readonly PartView[],
  looking = stage.looking,
  beside = false,
): void {
  const corners = shownCorners(parts)
  if (corners.length === 0) {
    stage.looking = fitted(looking, [0, 0, 0], 60, stage.width, stage.height)
  } else {
    const low = corners[0]?.clone()
    const high = corners[0]?.clone()
    for (const c of corners) {
      low?.min(c)
      high?.max(c)
    }
    if (low && high) {
      const centre = low.clone().add(high).multiplyScalar(0.5)
      const all = fitted(
        looking,
        [centre.x, centre.y, centre.z],
        low.distanceTo(high) / 2,
        stage.twice ? stage.width / 2 : stage.width,
        stage.height,
      )
      if (stage.twice) {
        stage.looking = all
        stage.invalidate()
        return
      }
      // into the part of the sheet that callouts and title block leave free
      stage.looking = all
      stage.looking = moved(
        all,
        -stage.width * (beside ? 0.17 : 0.075),
        -stage.height * 0.04,
        stage.mmPerPx(),
      )
    }
  }
  stage.invalidate()
}
