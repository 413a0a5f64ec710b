import { useEffect, useReducer, useRef } from 'react'
import type { PointerEvent as ReactPointerEvent } from 'react'
import type { Vector3 } from 'three'
import type { Stage } from './Stage'
import { nearestSpot } from './snapping'
import { groundAt } from './surface'

/** A place of a body that is pointed at: on a corner, an edge's middle, a face's middle, or anywhere on a face. */
export interface Aim {
  at: Vector3
  words: string
  /** the way of the edge or out of the face; none of a corner */
  along: Vector3 | null
  /** where the pointer is on the screen, for what depends on where it is looked from */
  normal: Vector3
}

/** The place of a body under the pointer, snapped unless Ctrl is held; Escape leaves. */
export function useAim(stage: Stage, part: string, leave: () => void) {
  const [, tick] = useReducer((n: number) => n + 1, 0)
  const meant = useRef<Aim | null>(null)
  const left = useRef(leave)
  useEffect(() => {
    left.current = leave
  })
  useEffect(() => {
    const key = (e: KeyboardEvent) => {
      if (e.key !== 'Escape') return
      e.preventDefault()
      e.stopPropagation()
      left.current()
    }
    addEventListener('keydown', key, true)
    return () => removeEventListener('keydown', key, true)
  }, [])
  const aim = (e: ReactPointerEvent) => {
    const r = stage.canvas.getBoundingClientRect()
    const [x, y] = [e.clientX - r.left, e.clientY - r.top]
    const own = (of: string | null) => of === part
    const spot = e.ctrlKey ? null : nearestSpot(stage, x, y, own)
    const ground = groundAt(stage, x, y)
    if (spot)
      meant.current = {
        at: spot.at,
        words: spot.words,
        along: spot.along ?? null,
        normal: spot.ground.normal,
      }
    else if (ground && own(ground.part))
      meant.current = {
        at: ground.at,
        words: 'place on the face',
        along: ground.normal,
        normal: ground.normal,
      }
    else meant.current = null
    tick()
  }
  return { meant, aim }
}
