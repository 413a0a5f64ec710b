import { useEffect } from 'react'
import { useSession } from '../../shared/session'
import { operatorOf } from '../../shared/operators'
import { useView } from '../../shared/viewState'
import { trailOf } from './buffers'
import type { Stage } from './Stage'

/** Follow the pointer: which steps made the face under it. */
export function useTrail(stage: Stage): void {
  useEffect(() => {
    let waiting = 0
    const go = (e: PointerEvent) => {
      if (e.buttons || waiting || e.pointerType === 'touch') return
      waiting = requestAnimationFrame(() => {
        waiting = 0
        const r = stage.canvas.getBoundingClientRect()
        const hit = stage.faceAt(e.clientX - r.left, e.clientY - r.top)
        const data = hit && stage.data(hit.part)
        if (!hit || !data) return // what was said last stays, to be clicked
        const steps = trailOf(data, hit.face)
        const now = useView.getState().trail
        if (now?.part !== hit.part || JSON.stringify(now.steps) !== JSON.stringify(steps))
          useView.getState().set({ trail: { part: hit.part, steps } })
      })
    }
    stage.canvas.addEventListener('pointermove', go)
    return () => {
      stage.canvas.removeEventListener('pointermove', go)
      cancelAnimationFrame(waiting)
    }
  }, [stage])
}

/** The steps and groups of the face last pointed at, oldest first; a click goes to the step. */
export function Trail() {
  const trail = useView((s) => s.trail)
  const set = useView((s) => s.set)
  const painting = useView((s) => s.painting !== null)
  const part = useSession((s) => s.bench?.document.parts?.find((p) => p.id === trail?.part))
  if (!trail?.steps.length || !part || painting) return null
  return (
    <nav className="trail" aria-label="What made this face" data-testid="trail">
      <span className="muted">{part.name}: </span>
      {trail.steps.map((t, i) => {
        const step = part.recipe.find((s) => s.id === t.step)
        const name = step?.name ?? (step && operatorOf(step.operator)?.name) ?? t.step
        return (
          <span key={i}>
            {i > 0 && ' → '}
            <button
              className="plain link"
              disabled={!step}
              onClick={() => set({ part: part.id, step: t.step })}
            >
              {name}: {t.group.replaceAll('_', ' ')}
            </button>
          </span>
        )
      })}
    </nav>
  )
}
