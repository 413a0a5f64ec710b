import { useEffect } from 'react'
import { Vector3 } from 'three'
import type { PartView } from '../../shared/api/client'
import { nearestOnRun, onRun } from '../../shared/graph'
import { sizeOf } from '../../shared/targets'
import { useView } from '../../shared/viewState'
import { matrixOf } from './layout'
import type { Stage } from './Stage'

const REACH = 0.5 // of the body's size: what is farther from the run than that is not of it

/** While a graph is drawn: its run on the body, the place that is pointed at there or in the graph. */
export function AlongMark({ stage, here }: { stage: Stage; here: PartView | undefined }) {
  const graph = useView((s) => s.graph)
  const along = useView((s) => s.along)
  const run =
    graph && here?.part === graph.part
      ? (here.steps.find((s) => s.id === graph.step)?.run ?? null)
      : null
  usePointedAt(stage, here, run)
  if (!run || !here) return null
  const matrix = matrixOf(here)
  const spot = (p: readonly number[]) =>
    stage.project(new Vector3(p[0], p[1], p[2]).applyMatrix4(matrix))
  const at = along === null ? null : onRun(run, along)
  const mark = at && spot(at)
  return (
    <svg className="callouts" data-testid="along-run" pointerEvents="none">
      <polyline
        className="run"
        points={run
          .map((r) => spot(r.slice(1)))
          .map((s) => `${s.x.toFixed(1)},${s.y.toFixed(1)}`)
          .join(' ')}
      />
      {mark && (
        <g data-testid="along-mark">
          <circle className="run" cx={mark.x} cy={mark.y} r={7} />
          <circle className="spot" cx={mark.x} cy={mark.y} r={3} />
        </g>
      )}
    </svg>
  )
}

/** The place on the body under the pointer, as the graph shows it. */
function usePointedAt(
  stage: Stage,
  here: PartView | undefined,
  run: readonly (readonly number[])[] | null,
): void {
  useEffect(() => {
    if (!run || !here) return
    let waiting = 0
    const size = sizeOf(here, 100)
    const inverse = matrixOf(here).invert()
    const go = (e: PointerEvent) => {
      if (e.buttons || waiting) return
      waiting = requestAnimationFrame(() => {
        waiting = 0
        const r = stage.canvas.getBoundingClientRect()
        const hit = stage.faceAt(e.clientX - r.left, e.clientY - r.top)
        const found =
          hit?.part === here.part
            ? nearestOnRun(run, hit.at.clone().applyMatrix4(inverse).toArray())
            : null
        const place = found && found.far < REACH * size ? found.place : null
        if (useView.getState().along !== place) useView.getState().set({ along: place })
      })
    }
    const leave = () => useView.getState().set({ along: null })
    stage.canvas.addEventListener('pointermove', go)
    stage.canvas.addEventListener('pointerleave', leave)
    return () => {
      stage.canvas.removeEventListener('pointermove', go)
      stage.canvas.removeEventListener('pointerleave', leave)
      cancelAnimationFrame(waiting)
    }
  }, [stage, here, run])
}
