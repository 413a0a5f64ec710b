import type { Elements } from './pickRules'

/*
 * A mask as it is painted: what a stroke does to the weights of the points, as the server works it out
 * (core/geometry/masks.py), so that the page can show it while the hand moves.
 */

export type How = 'to' | 'by' | 'even'

export interface Brush {
  how: How
  /** what a stroke goes to, 0 to 1 */
  to: number
  /** what a stroke goes by, -1 to 1 */
  by: number
  /** how often it evens out */
  even: number
  /** mm */
  radius: number
  /** share of the radius over which it fades out */
  soft: number
}

/** A place on the body and the way its surface faces there. */
export type Place = readonly [number, number, number, number, number, number]

/** A mask in its general form: what it is everywhere, and what is laid on. */
export interface Layers {
  base: number | string
  strokes: readonly unknown[]
}

export const MOST_STROKES = 500
const MOST_PLACES = 2000
/** cosine over which a surface that faces away fades out of a stroke */
const TURNED = 0.3
const DIGITS = 6

/** What a step's mask is written as, as layers that strokes can be added to; where nothing is written, it acts everywhere. */
export function layersOf(written: unknown): Layers {
  const mask = written as
    | {
        pick?: unknown
        to?: unknown
        graph?: unknown
        along?: unknown
        strokes?: unknown[]
        base?: number | string
      }
    | null
    | undefined
  if (!mask) return { base: 1, strokes: [] }
  if (mask.strokes) return { base: mask.base ?? 0, strokes: mask.strokes }
  if (mask.pick !== undefined) return { base: 0, strokes: [{ pick: mask.pick, to: mask.to ?? 1 }] }
  return { base: 0, strokes: [{ graph: mask.graph, along: mask.along }] }
}

/** How much of a stroke a point at a distance gets. */
export function fading(away: number, radius: number, soft: number): number {
  if (away > radius) return 0
  const over = Math.max(0, (away - radius * (1 - soft)) / Math.max(radius * soft, 1e-300))
  return over >= 1 ? 0 : (1 - over * over) ** 2
}

/** A stroke as it is written; places beyond what a stroke may have are thinned out. */
export function strokeOf(brush: Brush, places: readonly Place[]): Record<string, unknown> {
  const every = Math.ceil(places.length / MOST_PLACES)
  const short = (x: number) => Number(x.toPrecision(DIGITS))
  return {
    places: places.filter((_, i) => i % every === 0).map((p) => p.map(short)),
    radius: short(brush.radius),
    soft: short(brush.soft),
    [brush.how]: brush.how === 'even' ? brush.even : short(brush[brush.how]),
  }
}

/** Normals of the points of a body, faces weighed by their area. */
export function pointNormals(e: Elements): Float32Array {
  const out = new Float32Array(e.points.length)
  const at = (p: number, k: number) => e.points[3 * p + k] ?? 0
  for (let f = 0; f + 1 < e.offsets.length; f += 1) {
    const [from, to] = [e.offsets[f] ?? 0, e.offsets[f + 1] ?? 0]
    let [nx, ny, nz] = [0, 0, 0]
    const o = e.cornerPoint[from] ?? 0
    for (let c = from + 1; c + 1 < to; c += 1) {
      const [p, q] = [e.cornerPoint[c] ?? 0, e.cornerPoint[c + 1] ?? 0]
      const [ux, uy, uz] = [at(p, 0) - at(o, 0), at(p, 1) - at(o, 1), at(p, 2) - at(o, 2)]
      const [vx, vy, vz] = [at(q, 0) - at(o, 0), at(q, 1) - at(o, 1), at(q, 2) - at(o, 2)]
      nx += uy * vz - uz * vy
      ny += uz * vx - ux * vz
      nz += ux * vy - uy * vx
    }
    for (let c = from; c < to; c += 1) {
      const p = 3 * (e.cornerPoint[c] ?? 0)
      out[p] = (out[p] ?? 0) + nx
      out[p + 1] = (out[p + 1] ?? 0) + ny
      out[p + 2] = (out[p + 2] ?? 0) + nz
    }
  }
  for (let p = 0; p < out.length; p += 3) {
    const long = Math.hypot(out[p] ?? 0, out[p + 1] ?? 0, out[p + 2] ?? 0) || 1
    for (const k of [p, p + 1, p + 2]) out[k] = (out[k] ?? 0) / long
  }
  return out
}

/** The weights of a body's points while a stroke runs over them. */
export class Running {
  readonly weights: Float32Array
  readonly places: Place[] = []
  private readonly before: Float32Array
  private readonly share: Float32Array
  private readonly body: Elements
  private readonly normals: Float32Array
  private readonly brush: Brush

  constructor(body: Elements, normals: Float32Array, before: Float32Array, brush: Brush) {
    this.body = body
    this.normals = normals
    this.before = before
    this.weights = before.slice()
    this.share = new Float32Array(before.length)
    this.brush = brush
  }

  /** Lead the stroke on to a place. */
  on(place: Place): void {
    this.places.push(place)
    const { points, origin } = this.body
    const { radius, soft } = this.brush
    const [x, y, z] = [0, 1, 2].map((k) => (place[k] ?? 0) - (origin[k] ?? 0)) as [
      number,
      number,
      number,
    ]
    const most = radius * radius
    for (let i = 0; i < this.before.length; i += 1) {
      // most points are far away: one coordinate tells
      const dx = (points[3 * i] ?? 0) - x
      if (dx > radius || dx < -radius) continue
      const dy = (points[3 * i + 1] ?? 0) - y
      const dz = (points[3 * i + 2] ?? 0) - z
      const d = dx * dx + dy * dy + dz * dz
      if (d > most) continue
      const dot =
        (this.normals[3 * i] ?? 0) * place[3] +
        (this.normals[3 * i + 1] ?? 0) * place[4] +
        (this.normals[3 * i + 2] ?? 0) * place[5]
      const faces = Math.min(1, Math.max(0, (dot + TURNED) / TURNED))
      const share = faces * fading(Math.sqrt(d), radius, soft)
      if (share <= (this.share[i] ?? 0)) continue
      this.share[i] = share
      this.weights[i] = this.changed(this.before[i] ?? 0, share)
    }
  }

  private changed(before: number, share: number): number {
    const { how, to, by } = this.brush
    // evening out needs the neighbours: it is shown when the server has answered
    const after =
      how === 'to' ? before + share * (to - before) : how === 'by' ? before + share * by : before
    return Math.min(1, Math.max(0, after))
  }
}

/** Weights of one byte each, as the server sends them. */
export function readWeights(base64: string): Float32Array {
  const text = atob(base64)
  const out = new Float32Array(text.length)
  for (let i = 0; i < text.length; i += 1) out[i] = text.charCodeAt(i) / 255
  return out
}
