import { Frustum, Sphere, Vector3 } from 'three'
import type { Matrix4 } from 'three'
import type { BodyData } from './buffers'

const SIZE = 32

/**
 * Triangles of a closed body in runs, each with a ball round it and a cone round its normals: runs that look away from the
 * eye as a whole, or lie beside the picture, are not drawn (the cone test of Shirmun and Abi-Ezzi, 1993).
 */
export class Clusters {
  private readonly count: number
  private readonly triangles: number
  private readonly balls: Float32Array
  private readonly cones: Float32Array
  readonly starts: Int32Array
  readonly counts: Int32Array
  runs = 0
  /** of nearly all triangles: how long their longest side is at most, mm, and how far the normals of their corners differ, degrees */
  readonly grain: { side: number; bend: number }
  private readonly frustum = new Frustum()
  private readonly ball = new Sphere()

  constructor(b: BodyData) {
    this.triangles = b.triangles
    this.count = Math.ceil(b.triangles / SIZE)
    this.balls = new Float32Array(this.count * 4)
    this.cones = new Float32Array(this.count * 4)
    this.starts = new Int32Array(this.count)
    this.counts = new Int32Array(this.count)
    const normals = new Float32Array(SIZE * 3)
    for (let c = 0; c < this.count; c += 1) this.measure(b, c, normals)
    this.grain = grainOf(b)
  }

  private measure(b: BodyData, c: number, normals: Float32Array): void {
    const [first, last] = [c * SIZE, Math.min((c + 1) * SIZE, b.triangles)]
    const n = last - first
    const [ax, ay, az] = normalsOf(b, first, last, normals)
    const l = Math.sqrt(ax * ax + ay * ay + az * az) || 1
    let least = 1
    for (let k = 0; k < 3 * n; k += 3) {
      const [x = 0, y = 0, z = 0] = [normals[k], normals[k + 1], normals[k + 2]]
      least = Math.min(least, (x * ax + y * ay + z * az) / l)
    }
    this.balls.set(ballOf(b, first, last), 4 * c)
    // sine of the half angle of the cone; 2 where normals point more than 90° apart
    const cutoff = least > 0.02 ? Math.sqrt(1 - Math.min(least, 1) ** 2) + 1e-3 : 2
    this.cones.set([ax / l, ay / l, az / l, cutoff], 4 * c)
  }

  /**
   * Find the runs that may be seen; `starts` (bytes), `counts` (indices) and `runs` tell them.
   *
   * `toEye` takes the body's own space to the picture, `eye` is the eye in it, or for parallel views the way it looks.
   */
  look(toEye: Matrix4, eye: Vector3, parallel: boolean): void {
    this.frustum.setFromProjectionMatrix(toEye)
    const { balls, cones, ball } = this
    this.runs = 0
    let from = -1
    for (let c = 0; c <= this.count; c += 1) {
      let on = false
      if (c < this.count) {
        const i = 4 * c
        const r = balls[i + 3] ?? 0
        let [x, y, z] = [eye.x, eye.y, eye.z]
        if (!parallel) {
          x = (balls[i] ?? 0) - x
          y = (balls[i + 1] ?? 0) - y
          z = (balls[i + 2] ?? 0) - z
        }
        const dot = x * (cones[i] ?? 0) + y * (cones[i + 1] ?? 0) + z * (cones[i + 2] ?? 0)
        const most = (cones[i + 3] ?? 2) * Math.sqrt(x * x + y * y + z * z) + (parallel ? 0 : r)
        if (dot < most) {
          ball.center.set(balls[i] ?? 0, balls[i + 1] ?? 0, balls[i + 2] ?? 0)
          ball.radius = r
          on = this.frustum.intersectsSphere(ball)
        }
      }
      if (on && from < 0) from = c
      else if (!on && from >= 0) {
        this.starts[this.runs] = from * SIZE * 3 * 4
        this.counts[this.runs] = Math.min(c * SIZE, this.triangles) * 3 - from * SIZE * 3
        this.runs += 1
        from = -1
      }
    }
  }
}

/** Unit normals of triangles, into `out`; their sum is returned. */
function normalsOf(b: BodyData, first: number, last: number, out: Float32Array) {
  const u = new Vector3()
  const v = new Vector3()
  const p = new Vector3()
  const sum = new Vector3()
  for (let t = first; t < last; t += 1) {
    const at = (k: number) => 3 * (b.index[3 * t + k] ?? 0)
    p.fromArray(b.position, at(0))
    u.fromArray(b.position, at(1)).sub(p)
    v.fromArray(b.position, at(2)).sub(p)
    u.cross(v)
      .normalize()
      .toArray(out, 3 * (t - first))
    sum.add(u)
  }
  return [sum.x, sum.y, sum.z] as const
}

const SAMPLES = 4000
const NEARLY_ALL = 0.97

function grainOf(b: BodyData): { side: number; bend: number } {
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

function ballOf(b: BodyData, first: number, last: number): [number, number, number, number] {
  const low = new Vector3(Infinity, Infinity, Infinity)
  const high = new Vector3(-Infinity, -Infinity, -Infinity)
  const p = new Vector3()
  for (let i = 3 * first; i < 3 * last; i += 1) {
    p.fromArray(b.position, 3 * (b.index[i] ?? 0))
    low.min(p)
    high.max(p)
  }
  const middle = low.clone().add(high).multiplyScalar(0.5)
  return [middle.x, middle.y, middle.z, high.distanceTo(middle)]
}
