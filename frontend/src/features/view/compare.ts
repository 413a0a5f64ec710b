import { useEffect, useState } from 'react'
import { api } from '../../shared/api/client'
import type { PartView } from '../../shared/api/client'
import { say, useSession } from '../../shared/session'
import { useView } from '../../shared/viewState'

/** Ids of the earlier bodies on the stage begin so. */
export const BEFORE = 'before:'

export interface Before {
  words: string
  parts: readonly PartView[]
}

/** The parts as they were before the last edit, or with one of them as a step made it. */
export function useBefore(parts: readonly PartView[]): Before | null {
  const compare = useView((s) => s.compare)
  const id = useSession((s) => s.id)
  const revision = useSession((s) => s.bench?.revision)
  const document_ = useSession((s) => s.bench?.document)
  const [found, setFound] = useState<{ key: string; before: Before } | null>(null)
  const step = compare?.step ?? null
  const key = compare ? `${id ?? ''} ${revision ?? 0} ${step?.part ?? ''} ${step?.step ?? ''}` : ''
  useEffect(() => {
    if (!key || !id) return
    let on = true
    const load = async (): Promise<Before | null> => {
      if (step) {
        const view = await api.lookHere(id, step.part, step.step)
        const recipe = document_?.parts?.find((p) => p.id === step.part)?.recipe ?? []
        const number = recipe.findIndex((s) => s.id === step.step) + 1
        return {
          words: `After step ${number}`,
          parts: parts.map((p) =>
            p.part === step.part ? { ...p, mesh: view.mesh, matrix: p.matrix } : p,
          ),
        }
      }
      const answer = await api.before(id)
      return answer.label === null ? null : { words: `Before ${answer.label}`, parts: answer.parts }
    }
    load()
      .then((before) => {
        if (!on) return
        if (before) setFound({ key, before })
        else {
          say('Nothing was changed yet: there is nothing before to compare with.')
          useView.getState().set({ compare: null })
        }
      })
      .catch((e: unknown) => {
        if (on) say(e instanceof Error ? e.message : String(e))
      })
    return () => {
      on = false
    }
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [key])
  return compare && found?.key === key ? found.before : null
}
