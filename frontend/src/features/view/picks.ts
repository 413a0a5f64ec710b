import { useEffect } from 'react'
import { Matrix4, Vector3 } from 'three'
import { addEdges, addLoop, toggle, usePick } from '../../shared/picking'
import type { Elements } from '../../shared/picking'
import { useView } from '../../shared/viewState'
import type { Stage } from './Stage'

const NEAR = 14 // px within which an edge is meant
const CLICK = 4

/** Lines of edges, both ends after one another, relative to the elements' origin. */
function linesOf(e: Elements, edges: readonly number[]): Float32Array {
  const out = new Float32Array(edges.length * 6)
  edges.forEach((edge, i) => {
    for (let end = 0; end < 2; end += 1) {
      const p = e.edges[2 * edge + end] ?? 0
      for (let k = 0; k < 3; k += 1) out[6 * i + 3 * end + k] = e.points[3 * p + k] ?? 0
    }
  })
  return out
}

function place(e: Elements, matrix: readonly number[]): (point: number) => Vector3 {
  const world = new Matrix4().set(...(matrix as Parameters<Matrix4['set']>))
  const [x = 0, y = 0, z = 0] = e.origin
  return (p) =>
    new Vector3(
      (e.points[3 * p] ?? 0) + x,
      (e.points[3 * p + 1] ?? 0) + y,
      (e.points[3 * p + 2] ?? 0) + z,
    ).applyMatrix4(world)
}

/** The edge that the pointer means: of the face under it, the nearest on the screen. */
export function edgeAt(stage: Stage, x: number, y: number): number | null {
  const { elements: e, view } = usePick.getState()
  const open = useView.getState().picking
  if (!e || !view || !open) return null
  const at = place(e, view.matrix)
  // near a contour the pointer is easily beside the body: look a little around it
  for (const [dx, dy] of [
    [0, 0],
    [5, 0],
    [-5, 0],
    [0, 5],
    [0, -5],
  ] as const) {
    const hit = stage.faceAt(x + dx, y + dy)
    if (hit?.part !== open.part) continue
    let best: number | null = null
    let least = NEAR
    for (let c = e.offsets[hit.face] ?? 0; c < (e.offsets[hit.face + 1] ?? 0); c += 1) {
      const edge = e.cornerEdge[c] ?? 0
      const a = stage.project(at(e.edges[2 * edge] ?? 0))
      const b = stage.project(at(e.edges[2 * edge + 1] ?? 0))
      const d = toSegment(x, y, a, b)
      if (d < least) {
        least = d
        best = edge
      }
    }
    if (best !== null) return best
  }
  return null
}

interface Spot {
  x: number
  y: number
}

function toSegment(x: number, y: number, a: Spot, b: Spot): number {
  const [ux, uy] = [b.x - a.x, b.y - a.y]
  const t = Math.max(
    0,
    Math.min(1, ((x - a.x) * ux + (y - a.y) * uy) / Math.max(ux * ux + uy * uy, 1e-9)),
  )
  return Math.hypot(x - a.x - t * ux, y - a.y - t * uy)
}

/** The edges whose middles lie in a box on the screen; those that look away only with `through`. */
export function edgesIn(stage: Stage, from: Spot, to: Spot): number[] {
  const { elements: e, view, through } = usePick.getState()
  if (!e || !view) return []
  const at = place(e, view.matrix)
  const world = new Matrix4().set(...(view.matrix as Parameters<Matrix4['set']>))
  const eye = new Vector3().setFromMatrixPosition(stage.camera.matrixWorld)
  const out: number[] = []
  const [x0, x1] = [Math.min(from.x, to.x), Math.max(from.x, to.x)]
  const [y0, y1] = [Math.min(from.y, to.y), Math.max(from.y, to.y)]
  for (let edge = 0; edge < e.edges.length / 2; edge += 1) {
    const middle = at(e.edges[2 * edge] ?? 0)
      .add(at(e.edges[2 * edge + 1] ?? 0))
      .multiplyScalar(0.5)
    const s = stage.project(middle)
    if (!s.ahead || s.x < x0 || s.x > x1 || s.y < y0 || s.y > y1) continue
    if (!through) {
      const n = new Vector3(
        e.edgeNormals[3 * edge],
        e.edgeNormals[3 * edge + 1],
        e.edgeNormals[3 * edge + 2],
      ).transformDirection(world)
      if (n.dot(eye.clone().sub(middle)) <= 0) continue
    }
    out.push(edge)
  }
  return out
}

/** What is picked, drawn over the body, while a pick is open. */
export function usePickMarks(stage: Stage): void {
  const open = useView((s) => s.picking)
  const { view, elements, hovered } = usePick()
  useEffect(() => {
    const on = open && view && elements && elements.digest === view.mesh
    stage.marks.show(
      'picked',
      on ? linesOf(elements, view.picked) : null,
      view?.matrix,
      elements?.origin,
    )
  }, [stage, open, view, elements])
  useEffect(() => {
    const on = open && view && elements && hovered !== null
    stage.marks.show(
      'hovered',
      on ? linesOf(elements, [hovered]) : null,
      view?.matrix,
      elements?.origin,
    )
  }, [stage, open, view, elements, hovered])
}

/** Pointer while a pick is open: hover shows, click toggles, double click takes the loop, Shift and drag a box. */
export function usePickPointer(stage: Stage): void {
  const open = useView((s) => s.picking)
  useEffect(() => {
    if (!open) return
    const canvas = stage.canvas
    const where = (e: PointerEvent | MouseEvent): Spot => {
      const r = canvas.getBoundingClientRect()
      return { x: e.clientX - r.left, y: e.clientY - r.top }
    }
    let down: (Spot & { shift: boolean; moved: number }) | null = null
    let frame: HTMLDivElement | null = null
    let waiting = 0
    const press = (e: PointerEvent) => {
      if (e.button !== 0) return
      down = { ...where(e), shift: e.shiftKey, moved: 0 }
      if (e.shiftKey) {
        e.stopImmediatePropagation()
        canvas.setPointerCapture(e.pointerId)
        frame = document.createElement('div')
        frame.className = 'pick-box'
        canvas.parentElement?.append(frame)
      }
    }
    const go = (e: PointerEvent) => {
      const p = where(e)
      if (!down) {
        if (e.buttons === 0) {
          const edge = edgeAt(stage, p.x, p.y)
          if (edge !== usePick.getState().hovered) usePick.setState({ hovered: edge })
        }
        return
      }
      down.moved = Math.max(down.moved, Math.hypot(p.x - down.x, p.y - down.y))
      if (frame) {
        e.stopImmediatePropagation()
        Object.assign(frame.style, {
          left: `${Math.min(p.x, down.x)}px`,
          top: `${Math.min(p.y, down.y)}px`,
          width: `${Math.abs(p.x - down.x)}px`,
          height: `${Math.abs(p.y - down.y)}px`,
        })
      }
    }
    const lift = (e: PointerEvent) => {
      if (!down) return
      const p = where(e)
      const from = down
      down = null
      if (frame) {
        frame.remove()
        frame = null
        e.stopImmediatePropagation()
        if (from.moved > CLICK) addEdges(edgesIn(stage, from, p))
        return
      }
      if (from.moved > CLICK) return
      const edge = edgeAt(stage, p.x, p.y)
      if (edge === null) return
      if (waiting) {
        clearTimeout(waiting)
        waiting = 0
        addLoop(edge)
      } else
        waiting = window.setTimeout(() => {
          waiting = 0
          toggle(edge)
        }, 260)
    }
    canvas.addEventListener('pointerdown', press, true)
    canvas.addEventListener('pointermove', go, true)
    canvas.addEventListener('pointerup', lift, true)
    return () => {
      canvas.removeEventListener('pointerdown', press, true)
      canvas.removeEventListener('pointermove', go, true)
      canvas.removeEventListener('pointerup', lift, true)
      clearTimeout(waiting)
      frame?.remove()
      usePick.setState({ hovered: null })
    }
  }, [stage, open])
}
