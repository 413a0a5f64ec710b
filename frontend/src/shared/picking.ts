import { create } from 'zustand'
import { api } from './api/client'
import type { PickView, Step } from './api/client'
import { doEdit, useSession } from './session'
import { elementOf, readElements, withElements } from './pickRules'
import type { Element, Elements, Kind, Pick } from './pickRules'
import { operatorOf } from './targets'
import { useView } from './viewState'

interface PickState {
  view: PickView | null
  elements: Elements | null
  hovered: number | null
  /** a box takes what lies behind too */
  through: boolean
  failure: string | null
}

export const usePick = create<PickState>(() => ({
  view: null,
  elements: null,
  hovered: null,
  through: false,
  failure: null,
}))

/** Ask the server what the open pick picks, and on what. */
export async function loadPick(): Promise<void> {
  const open = useView.getState().picking
  const id = useSession.getState().id
  if (!open || !id) return
  try {
    const view = await api.pick(id, open.part, open.step, open.key)
    const held = usePick.getState().elements
    const elements =
      held?.digest === view.mesh ? held : readElements(view.mesh, await api.elements(view.mesh))
    if (useView.getState().picking === open) usePick.setState({ view, elements, failure: null })
  } catch (e) {
    usePick.setState({ failure: e instanceof Error ? e.message : String(e) })
  }
}

export function openPick(part: string, step: string, key: string): void {
  usePick.setState({ view: null, hovered: null, failure: null })
  useView.getState().set({ picking: { part, step, key }, part, step, lookAt: null, board: null })
}

export function closePick(): void {
  usePick.setState({ view: null, hovered: null, failure: null })
  useView.getState().set({ picking: null })
}

// -- the rule -------------------------------------------------------------------------------------
/** The pick as it stands in the step, or the rule that is taken when none does. */
export function pickOf(step: Step, key: string): Pick {
  const own: Pick = { ...(step.values?.[key] as Pick | undefined) }
  delete own['of']
  const spec = operatorOf(step.operator)?.values.find((v) => v.key === key)
  return Object.keys(own).length ? own : ((spec?.default ?? { rule: 'everything' }) as Pick)
}

function openStep(): { step: Step; key: string; part: string } | null {
  const open = useView.getState().picking
  const step = useSession
    .getState()
    .bench?.document.parts?.find((p) => p.id === open?.part)
    ?.recipe.find((s) => s.id === open?.step)
  return open && step ? { step, key: open.key, part: open.part } : null
}

/** Keep another pick in the open step. */
export function setPick(pick: Pick | null, kind?: Kind): void {
  const open = openStep()
  const of = kind ?? usePick.getState().view?.kind
  const first = usePick.getState().view?.kinds[0]
  if (open)
    doEdit({
      kind: 'set_value',
      part: open.part,
      step: open.step.id,
      key: open.key,
      value: pick && of && of !== first ? { ...pick, of } : pick,
    })
}

/** Click: put an element in or take it out. */
export function toggle(which: number): void {
  const { view, elements } = usePick.getState()
  const open = openStep()
  if (!view || !elements || !open) return
  const inside = view.picked.includes(which)
  setPick(
    withElements(
      pickOf(open.step, open.key),
      [elementOf(elements, view.kind, which)],
      inside ? 'but_not' : 'and_also',
    ),
  )
}

/** Double click: the whole loop through an edge, as a rule that still holds when counts change. */
export function addLoop(edge: number): void {
  const { elements, view } = usePick.getState()
  const open = openStep()
  if (!elements || !open || view?.kind !== 'edges') return
  const loop = { rule: 'loop_through', start: elementOf(elements, 'edges', edge) }
  const now = pickOf(open.step, open.key)
  const empty =
    now['rule'] === 'by_hand' && ((now['elements'] as Element[] | undefined) ?? []).length <= 1
  const rows = Array.isArray(now['join']) ? (now['join'] as Pick[]) : [now]
  setPick(empty ? loop : { join: [...rows, { and_also: loop }] })
}

/** A dragged box: put elements in. */
export function addElements(which: number[]): void {
  const { view, elements } = usePick.getState()
  const open = openStep()
  if (!view || !elements || !open) return
  const held = new Set(view.picked)
  const fresh = which.filter((e) => !held.has(e))
  if (fresh.length)
    setPick(
      withElements(
        pickOf(open.step, open.key),
        fresh.map((e) => elementOf(elements, view.kind, e)),
        'and_also',
      ),
    )
}

/** What a pick is of, as it stands in the step. */
export function kindOf(step: Step, key: string): Kind {
  const own = (step.values?.[key] as Pick | undefined)?.['of'] as Kind | undefined
  return own ?? operatorOf(step.operator)?.values.find((v) => v.key === key)?.of[0] ?? 'edges'
}

export { inWords, pointsOf, rulesFor } from './pickRules'
export type { Elements, Kind, Pick } from './pickRules'
