import type { OrthographicCamera } from 'three'
import { Matrix4, PerspectiveCamera, Vector3 } from 'three'

/** How the view looks: angles in degrees, lengths in mm. Turned about the bench's Z, never rolled. */
export interface Looking {
  target: readonly [number, number, number]
  /** 0 looks along +Y, growing counter-clockwise seen from above */
  around: number
  /** 90 looks straight down */
  above: number
  distance: number
}

export type Title = 'turned' | 'front' | 'side' | 'top' | 'free'
export const ANGLE = 26

/** First-angle views: front looks along +Y, side from the left along +X, top down with +Y up. */
export const TITLES: Record<
  Exclude<Title, 'free'>,
  { around: number; above: number; words: string }
> = {
  turned: { around: -35, above: 22, words: 'From the left, above' },
  front: { around: 0, above: 0, words: 'Front' },
  side: { around: -90, above: 0, words: 'Side' },
  top: { around: 0, above: 90, words: 'Top' },
}

export function titleOf(l: Looking): Title {
  for (const [name, t] of Object.entries(TITLES))
    if (
      Math.abs(((l.around - t.around + 540) % 360) - 180) < 0.5 &&
      Math.abs(l.above - t.above) < 0.5
    )
      return name as Title
  return 'free'
}

/** In words, for a view that has no name of its own. */
export function wordsOf(l: Looking): string {
  const title = titleOf(l)
  if (title !== 'free' && title !== 'turned') return TITLES[title].words
  const a = ((l.around % 360) + 360) % 360
  const side =
    a > 20 && a < 160
      ? 'From the right'
      : a > 200 && a < 340
        ? 'From the left'
        : a >= 160 && a <= 200
          ? 'From behind'
          : 'From the front'
  const height = l.above > 12 ? ', above' : l.above < -12 ? ', below' : ''
  return side + height
}

/** The way the eye looks, unit length. */
export function way(l: Looking): Vector3 {
  const a = (l.around * Math.PI) / 180
  const b = (l.above * Math.PI) / 180
  return new Vector3(-Math.sin(a) * Math.cos(b), Math.cos(a) * Math.cos(b), -Math.sin(b))
}

export function turned(l: Looking, dx: number, dy: number): Looking {
  return {
    ...l,
    around: l.around - dx * 0.4,
    above: Math.min(90, Math.max(-90, l.above + dy * 0.4)),
  }
}

export function moved(l: Looking, dx: number, dy: number, mmPerPx: number): Looking {
  const [right, up] = screenAxes(l)
  const d = right.multiplyScalar(-dx * mmPerPx).add(up.multiplyScalar(dy * mmPerPx))
  return { ...l, target: [l.target[0] + d.x, l.target[1] + d.y, l.target[2] + d.z] }
}

/** Closer by a factor, so that what is under the pointer (px from the middle) stays there. */
export function closer(
  l: Looking,
  factor: number,
  dx: number,
  dy: number,
  mmPerPx: number,
): Looking {
  const f = Math.min(Math.max(l.distance * factor, 1e-4), 1e10) / l.distance
  const shifted = moved(l, -dx * (1 - f), -dy * (1 - f), mmPerPx)
  return { ...shifted, distance: l.distance * f }
}

export function screenAxes(l: Looking): [Vector3, Vector3] {
  const a = (l.around * Math.PI) / 180
  const right = new Vector3(Math.cos(a), Math.sin(a), 0)
  return [right, right.clone().cross(way(l))]
}

/** mm on the plane of the target for one px. */
export function mmPerPx(l: Looking, height: number): number {
  return (2 * l.distance * Math.tan((ANGLE * Math.PI) / 360)) / Math.max(height, 1)
}

/** Set a camera; `inset` shifts the middle of the picture into the part of the screen that is free. */
export function place(
  camera: PerspectiveCamera | OrthographicCamera,
  l: Looking,
  width: number,
  height: number,
  radius: number,
): void {
  const eye = new Vector3(...l.target).addScaledVector(way(l), -l.distance)
  const [right, up] = screenAxes(l)
  const back = way(l).negate()
  camera.matrixAutoUpdate = false
  camera.matrix.copy(new Matrix4().makeBasis(right, up, back).setPosition(eye))
  camera.matrixWorld.copy(camera.matrix)
  camera.matrixWorldInverse.copy(camera.matrix).invert()
  const near = Math.max(l.distance - radius * 6, l.distance / 400)
  const far = l.distance + radius * 8
  if (camera instanceof PerspectiveCamera) {
    camera.fov = ANGLE
    camera.aspect = width / height
    camera.near = near
    camera.far = far
  } else {
    const half = (mmPerPx(l, height) * height) / 2
    camera.top = half
    camera.bottom = -half
    camera.right = (half * width) / height
    camera.left = -camera.right
    camera.near = -radius * 8
    camera.far = far
  }
  camera.updateProjectionMatrix()
}

/** A look that shows a ball whole, with room for the dimensions round it. */
export function fitted(
  l: Looking,
  centre: readonly [number, number, number],
  radius: number,
  width: number,
  height: number,
): Looking {
  const room = 0.56 * Math.min(1, width / height)
  const distance = Math.max(radius, 1e-6) / (Math.tan((ANGLE * Math.PI) / 360) * room) / 1.1
  return { ...l, target: centre, distance }
}

/** Ways to four soft boxes round the bench and to the key light. */
const LIGHTS = [
  [-0.551269, -0.6515, 0.5212],
  [0.854541, -0.35187, 0.38203],
  [0.104828, 0.943456, 0.314485],
  [0.253185, -0.962102, 0.101274],
  [-0.501406, -0.621743, 0.601687],
] as const
const UP = new Vector3(0, 0, 1)

/** The ways to the lights: they stand with the bench, or turn about the vertical with the eye. */
export function lightsOf(l: Looking, lights: 'eye' | 'stay'): Vector3[] {
  const a = lights === 'eye' ? ((l.around - TITLES.turned.around) * Math.PI) / 180 : 0
  return LIGHTS.map((w) => new Vector3(...w).applyAxisAngle(UP, a))
}
