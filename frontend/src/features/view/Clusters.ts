import { Frustum, Sphere, Vector3 } from 'three'
import type { Matrix4, Vector4 } from 'three'
import type { BodyData } from './buffers'
import type { Strips } from './Strips'

const SIZE = 32
const RUNGS = 8 // of a strip: four or eight triangles each, or two where its faces are drawn as one

/** Faces less wide than this on the screen, px, have no line between them: it has faded (shaders.ts). */
const UNSEEN = 3.3

type Drawn = Pick<BodyData, 'position' | 'normal' | 'index' | 'triangles'>

/** Where the eye is, in the body's own space. */
export interface EyeAt {
  /** takes that space to the picture */
  toEye: Matrix4
  /** the place of the eye, or for parallel views the way it looks */
  eye: Vector3
  parallel: boolean
  /** one px, in lengths of that space: at a distance of 1, in parallel views everywhere */
  px: number
  /** whether faces may be drawn as one */
  joined: boolean
  /** what lies ahead of all these planes is cut away, and the rest is seen from its inside too */
  cut: readonly Vector4[] | null
}

/**
 * Triangles of a closed body in runs, each with a ball round it and a cone round its normals: runs that look away from the
 * eye as a whole, or lie beside the picture, are not drawn (the cone test of Shirmun and Abi-Ezzi, 1993). Runs of a strip
 * have a second form with half of the triangles or a quarter, which is drawn where the strip is too fine to be told from it.
 */
export class Clusters {
  private readonly count: number
  private readonly balls: Float32Array
  private readonly cones: Float32Array
  /** first index and number of indices of each run, and of its second form */
  private readonly spans: Uint32Array
  private readonly strip: Int32Array
  private readonly spacing: Float32Array
  /** the nearest that each strip comes to the eye */
  private readonly near: Float32Array
  readonly starts: Int32Array
  readonly counts: Int32Array
  runs = 0
  /** of nearly all triangles: how long their longest side is at most, mm, and how far the normals of their corners differ, degrees */
  readonly grain: { side: number; bend: number }
  private readonly frustum = new Frustum()
  private readonly ball = new Sphere()

  constructor(b: Drawn, strips: Strips | null = null) {
    const spans: number[] = []
    const strip: number[] = []
    let [fine, coarse] = [0, 3 * b.triangles]
    strips?.rungs.forEach((rungs, s) => {
      for (let j = 0; j < rungs; j += RUNGS) {
        const n = Math.min(RUNGS, rungs - j)
        const many = (s < strips.wide ? 24 : 12) * n
        spans.push(fine, many, coarse, 6 * n)
        strip.push(s)
        fine += many
        coarse += 6 * n
      }
    })
    for (let first = fine; first < 3 * b.triangles; first += 3 * SIZE) {
      spans.push(first, Math.min(3 * SIZE, 3 * b.triangles - first), 0, 0)
      strip.push(-1)
    }
    this.count = strip.length
    this.spans = new Uint32Array(spans)
    this.strip = new Int32Array(strip)
    this.spacing = strips?.spacing ?? new Float32Array(0)
    this.near = new Float32Array(this.spacing.length)
    this.balls = new Float32Array(this.count * 4)
    this.cones = new Float32Array(this.count * 4)
    this.starts = new Int32Array(this.count)
    this.counts = new Int32Array(this.count)
    const normals = new Float32Array(3 * RUNGS * (8 + 2))
    for (let c = 0; c < this.count; c += 1) this.measure(b, c, normals)
    this.grain = grainOf(b)
  }

  private measure(b: Drawn, c: number, normals: Float32Array): void {
    const [fine = 0, many = 0, coarse = 0, few = 0] = this.spans.subarray(4 * c, 4 * c + 4)
    const sum = new Vector3()
    const n =
      normalsOf(b, fine, many, normals, 0, sum) + normalsOf(b, coarse, few, normals, many / 3, sum)
    const l = sum.length() || 1
    let least = 1
    for (let k = 0; k < 3 * n; k += 3) {
      const [x = 0, y = 0, z = 0] = [normals[k], normals[k + 1], normals[k + 2]]
      least = Math.min(least, (x * sum.x + y * sum.y + z * sum.z) / l)
    }
    this.balls.set(ballOf(b, fine, fine + many), 4 * c)
    // sine of the half angle of the cone; 2 where normals point more than 90° apart
    const cutoff = least > 0.02 ? Math.sqrt(1 - Math.min(least, 1) ** 2) + 1e-3 : 2
    this.cones.set([sum.x / l, sum.y / l, sum.z / l, cutoff], 4 * c)
  }

  /** Find the runs that may be seen; `starts` (bytes), `counts` (indices) and `runs` tell them. */
  look(at: EyeAt): void {
    const { balls, ball, spans } = this
    this.frustum.setFromProjectionMatrix(at.toEye)
    if (at.joined && this.near.length) this.comeNear(at)
    this.runs = 0
    let [from, to] = [-1, -1]
    for (let c = 0; c < this.count; c += 1) {
      const i = 4 * c
      if (at.cut ? this.cutAway(i, at.cut) : !this.faces(i, at)) continue
      ball.center.set(balls[i] ?? 0, balls[i + 1] ?? 0, balls[i + 2] ?? 0)
      ball.radius = balls[i + 3] ?? 0
      if (!this.frustum.intersectsSphere(ball)) continue
      const s = this.strip[c] ?? -1
      const joined =
        at.joined &&
        s >= 0 &&
        (this.spacing[s] ?? 0) < UNSEEN * at.px * (at.parallel ? 1 : (this.near[s] ?? 0))
      const first = spans[joined ? i + 2 : i] ?? 0
      if (first !== to) {
        this.add(from, to)
        from = first
      }
      to = first + (spans[joined ? i + 3 : i + 1] ?? 0)
    }
    this.add(from, to)
  }

  private add(from: number, to: number): void {
    if (from < 0) return
    this.starts[this.runs] = from * 4
    this.counts[this.runs] = to - from
    this.runs += 1
  }

  /** Whether any of a run may face the eye. */
  private faces(i: number, { eye, parallel }: EyeAt): boolean {
    const { balls, cones } = this
    let [x, y, z] = [eye.x, eye.y, eye.z]
    if (!parallel) {
      x = (balls[i] ?? 0) - x
      y = (balls[i + 1] ?? 0) - y
      z = (balls[i + 2] ?? 0) - z
    }
    const dot = x * (cones[i] ?? 0) + y * (cones[i + 1] ?? 0) + z * (cones[i + 2] ?? 0)
    const r = parallel ? 0 : (balls[i + 3] ?? 0)
    return dot < (cones[i + 3] ?? 2) * Math.sqrt(x * x + y * y + z * z) + r
  }

  /** Whether a run lies wholly in what is cut away. */
  private cutAway(i: number, planes: readonly Vector4[]): boolean {
    const [x = 0, y = 0, z = 0, r = 0] = this.balls.subarray(i, i + 4)
    return planes.every(
      (p) => p.x * x + p.y * y + p.z * z + p.w > r * Math.hypot(p.x, p.y, p.z) * 1.0001,
    )
  }

  private comeNear({ eye, parallel }: EyeAt): void {
    if (parallel) return
    const { balls } = this
    this.near.fill(Infinity)
    for (let c = 0; c < this.count; c += 1) {
      const s = this.strip[c] ?? -1
      if (s < 0) break // strips stand first
      const i = 4 * c
      const x = (balls[i] ?? 0) - eye.x
      const y = (balls[i + 1] ?? 0) - eye.y
      const z = (balls[i + 2] ?? 0) - eye.z
      const d = Math.sqrt(x * x + y * y + z * z) - (balls[i + 3] ?? 0)
      if (d < (this.near[s] ?? 0)) this.near[s] = d
    }
  }
}

/** Unit normals of triangles, into `out` from a triangle on; they are added to `sum`. How many there are is returned. */
function normalsOf(
  b: Drawn,
  start: number,
  count: number,
  out: Float32Array,
  at: number,
  sum: Vector3,
): number {
  const u = new Vector3()
  const v = new Vector3()
  const p = new Vector3()
  const place = (i: number) => 3 * (b.index[i] ?? 0)
  for (let i = start; i < start + count; i += 3) {
    p.fromArray(b.position, place(i))
    u.fromArray(b.position, place(i + 1)).sub(p)
    v.fromArray(b.position, place(i + 2)).sub(p)
    u.cross(v)
      .normalize()
      .toArray(out, 3 * at + i - start)
    sum.add(u)
  }
  return count / 3
}

const SAMPLES = 4000
const NEARLY_ALL = 0.97

function grainOf(b: Drawn): { side: number; bend: number } {
  const step = Math.max(1, Math.floor(b.triangles / SAMPLES))
  const sides: number[] = []
  const bends: number[] = []
  const [p, q] = [new Vector3(), new Vector3()]
  for (let t = 0; t < b.triangles; t += step) {
    let [side, least] = [0, 1]
    for (const k of [0, 1, 2]) {
      const [i, j] = [b.index[3 * t + k] ?? 0, b.index[3 * t + ((k + 1) % 3)] ?? 0]
      side = Math.max(
        side,
        p.fromArray(b.position, 3 * i).distanceTo(q.fromArray(b.position, 3 * j)),
      )
      p.fromArray(b.normal, 4 * i).normalize()
      least = Math.min(least, p.dot(q.fromArray(b.normal, 4 * j).normalize()))
    }
    sides.push(side)
    bends.push((Math.acos(Math.max(least, -1)) * 180) / Math.PI)
  }
  const high = (of: number[]) => of.sort((x, y) => x - y)[Math.floor((of.length - 1) * NEARLY_ALL)]
  return { side: high(sides) ?? Infinity, bend: high(bends) ?? Infinity }
}

function ballOf(b: Drawn, first: number, last: number): [number, number, number, number] {
  const low = new Vector3(Infinity, Infinity, Infinity)
  const high = new Vector3(-Infinity, -Infinity, -Infinity)
  const p = new Vector3()
  for (let i = first; i < last; i += 1) {
    p.fromArray(b.position, 3 * (b.index[i] ?? 0))
    low.min(p)
    high.max(p)
  }
  const middle = low.clone().add(high).multiplyScalar(0.5)
  return [middle.x, middle.y, middle.z, high.distanceTo(middle)]
}
