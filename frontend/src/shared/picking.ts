import { create } from 'zustand'
import { api } from './api/client'
import type { PickView, Step } from './api/client'
import { doEdit, edit, useSession } from './session'
import { elementOf, readElements, withElements } from './pickRules'
import type { Element, Elements, Kind, Pick } from './pickRules'
import { valueSpec } from './operators'
import { useView } from './viewState'

interface PickState {
  view: PickView | null
  elements: Elements | null
  hovered: number | null
  /** what was clicked last: its loop, its strip and the like are offered */
  last: number | null
  /** clicked, and the server has not answered yet */
  fresh: readonly number[]
  /** the pick that was sent last, while the server has not answered */
  sent: Pick | null
  /** a box takes what lies behind too */
  through: boolean
  failure: string | null
}

export const usePick = create<PickState>(() => ({
  view: null,
  elements: null,
  hovered: null,
  last: null,
  fresh: [],
  sent: null,
  through: false,
  failure: null,
}))

const CLOSED = { view: null, hovered: null, last: null, fresh: [], sent: null, failure: null }

/** Ask the server what the open pick picks, and on what. */
export async function loadPick(): Promise<void> {
  const open = useView.getState().picking
  const id = useSession.getState().id
  if (!open || !id) return
  const { name, row } = placeOf(open.key)
  const step = openStep()?.step
  if (row !== null && step && row >= furtherOf(step, name).length) {
    closePick() // its row was undone or taken out
    return
  }
  try {
    const view = await api.pick(id, open.part, open.step, open.key)
    const held = usePick.getState().elements
    const elements =
      held?.digest === view.mesh ? held : readElements(view.mesh, await api.elements(view.mesh))
    if (useView.getState().picking !== open) return
    const answered = useSession.getState().waiting === 0
    usePick.setState({ view, elements, failure: null, ...(answered && { fresh: [], sent: null }) })
  } catch (e) {
    usePick.setState({ failure: e instanceof Error ? e.message : String(e) })
  }
}

export function openPick(part: string, step: string, key: string): void {
  usePick.setState(CLOSED)
  useView.getState().set({
    picking: { part, step, key },
    painting: null,
    part,
    step,
    lookAt: null,
    board: null,
    graph: null,
  })
}

export function closePick(): void {
  usePick.setState(CLOSED)
  useView.getState().set({ picking: null })
}

// -- the rule -------------------------------------------------------------------------------------
interface Further {
  pick: Pick
  width: number | string
}

/** The further picks of a step, each with its width. */
export function furtherOf(step: Step, key: string): Further[] {
  return (step.values?.[key] as Further[] | undefined) ?? []
}

/** Where a pick stands: `pick` is a value itself, `further_picks.0` in a row of one, `weights.strokes.2.pick` within one. */
function placeOf(key: string): {
  name: string
  row: number | null
  inner: boolean
  path: readonly string[]
} {
  const [name = '', ...path] = key.split('.')
  const row = path.length === 1 && /^\d+$/.test(path[0] ?? '') ? Number(path[0]) : null
  return { name, row, inner: path.length > 0, path }
}

/** What stands below a value. */
function below(value: unknown, path: readonly string[]): unknown {
  return path.reduce<unknown>(
    (at, word) => (at as Record<string, unknown> | null | undefined)?.[word],
    value,
  )
}

/** The pick as it stands in the step, or the rule that is taken when none does; `further_picks.0` is a further one. */
export function pickOf(step: Step, key: string): Pick {
  const { name, row, path } = placeOf(key)
  const value: unknown = step.values?.[name]
  const raw = (row === null ? below(value, path) : furtherOf(step, name)[row]?.pick) as
    Pick | undefined
  const own: Pick = { ...raw }
  delete own['of']
  const spec = valueSpec(step.operator, key)
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

/** The edit that keeps another pick at a key of a step. */
export function pickEdit(part: string, step: Step, key: string, pick: Pick | null) {
  const { row, inner } = placeOf(key)
  const address = inner ? `${key.replaceAll('.', '/')}${row === null ? '' : '/pick'}` : key
  return { kind: 'set_value' as const, part, step: step.id, key: address, value: pick }
}

/** Keep another pick in the open step. */
export function setPick(pick: Pick | null, kind?: Kind): void {
  const open = openStep()
  const of = kind ?? usePick.getState().view?.kind
  const first = usePick.getState().view?.kinds[0]
  const whole =
    pick && of && (of !== first || placeOf(open?.key ?? '').row !== null) ? { ...pick, of } : pick
  if (!open) return
  usePick.setState({ sent: pick })
  edit(pickEdit(open.part, open.step, open.key, whole)).catch(() =>
    usePick.setState({ sent: null, fresh: [] }),
  )
}

/** The open pick as it is or is going to be. */
function pickNow(open: { step: Step; key: string }): Pick {
  return usePick.getState().sent ?? pickOf(open.step, open.key)
}

/** The kind of element that is clicked: that of the pick, or what it goes by. */
export function clickedKind(view: PickView): Kind {
  return view.through?.kind ?? view.kind
}

/** Which elements of the kind that is clicked are picked. */
export function clickedPicked(view: PickView): readonly number[] {
  return view.through?.picked ?? view.picked
}

/** The pick that clicks change: the inner one where it goes by another kind. */
function clickedPick(open: { step: Step; key: string }, view: PickView): Pick {
  const pick = pickNow(open)
  return view.through ? ((pick['pick'] as Pick | undefined) ?? {}) : pick
}

function setClicked(pick: Pick): void {
  const view = usePick.getState().view
  if (view?.through) setPick({ rule: 'belonging_to', pick: { ...pick, of: view.through.kind } })
  else setPick(pick)
}

function element(which: number): Element | null {
  const { elements, view } = usePick.getState()
  return elements && view ? elementOf(elements, clickedKind(view), which, view.lineage) : null
}

/** Show at once that an element was clicked, before it is known whether the click is a double one. */
export function clicked(which: number): void {
  usePick.setState((s) => ({ last: which, fresh: [...s.fresh, which] }))
}

/** It was a double click: what was shown for the first one goes. */
export function notClicked(which: number): void {
  usePick.setState((s) => {
    const at = s.fresh.lastIndexOf(which)
    return { fresh: s.fresh.filter((_, i) => i !== at) }
  })
}

/** Put an element that was clicked in, or take it out. */
export function toggle(which: number): void {
  const { view, elements } = usePick.getState()
  const open = openStep()
  if (!view || !elements || !open) return
  const { fresh } = usePick.getState()
  const again = fresh.filter((x) => x === which).length % 2 === 0 // the last of them is this click
  const inside = clickedPicked(view).includes(which) !== again
  const one = element(which)
  if (one) setClicked(withElements(clickedPick(open, view), [one], inside ? 'but_not' : 'and_also'))
}

/** Put what a rule through an element picks in: its loop, the strip across it, all the same as it. */
export function addRule(rule: 'loop_through' | 'strip_across' | 'same_as', which: number): void {
  const { elements, view } = usePick.getState()
  const open = openStep()
  if (!elements || !open || !view) return
  const kind = clickedKind(view)
  // strips and loops begin at an edge: of a face the first
  const edge = rule !== 'same_as' && kind === 'faces'
  const start = edge
    ? elementOf(
        elements,
        'edges',
        elements.cornerEdge[elements.offsets[which] ?? 0] ?? 0,
        view.lineage,
      )
    : element(which)
  const added = { rule, start }
  const now = clickedPick(open, view)
  const hand = now['rule'] === 'by_hand' ? ((now['elements'] as Element[] | undefined) ?? []) : null
  const rows = Array.isArray(now['join']) ? (now['join'] as Pick[]) : [now]
  setClicked(hand && hand.length <= 1 ? added : { join: [...rows, { and_also: added }] })
}

/** Double click: the whole loop through an edge, the strip through a face, as rules that still hold when counts change. */
export function addAlong(which: number): void {
  const view = usePick.getState().view
  if (!view || clickedKind(view) === 'points') return
  addRule(clickedKind(view) === 'faces' ? 'strip_across' : 'loop_through', which)
}

/** One row of neighbours more, or one fewer. */
export function grow(by: 1 | -1): void {
  const view = usePick.getState().view
  const open = openStep()
  if (!view || !open) return
  const now = clickedPick(open, view)
  const held = now['rule'] === 'grown' ? Number(now['by'] ?? 1) + by : by
  const inner = now['rule'] === 'grown' ? ((now['pick'] as Pick | undefined) ?? {}) : now
  setClicked(held === 0 ? inner : { rule: 'grown', pick: inner, by: held })
}

/** What is picked and what is not change places. */
export function invert(): void {
  const view = usePick.getState().view
  const open = openStep()
  if (!view || !open) return
  const now = clickedPick(open, view)
  const join = now['join'] as Pick[] | undefined
  const taken =
    join?.length === 2 && join[0]?.['rule'] === 'everything' ? join[1]?.['but_not'] : null
  setClicked(
    (taken as Pick | null | undefined) ?? { join: [{ rule: 'everything' }, { but_not: now }] },
  )
}

/** Let the pick be of another kind. What was picked by hand stays picked: its elements go over to the other kind. */
export function changeKind(kind: Kind): void {
  const view = usePick.getState().view
  const open = openStep()
  if (!view || !open) return
  const now = pickNow(open)
  const written = JSON.stringify(now)
  const placed = /"rule":"(by_hand|same_as|grown|inside)"/.test(written)
  setPick(placed ? { rule: 'belonging_to', pick: { ...now, of: view.kind } } : now, kind)
}

/** Pick by another kind of element: click faces, and their edges or points are picked; or back again. */
export function goBy(kind: Kind | null): void {
  const view = usePick.getState().view
  const open = openStep()
  if (!view || !open) return
  const now = pickNow(open)
  if (kind) {
    // what is picked becomes the elements of which all sides are picked
    const none = now['rule'] === 'by_hand' && !(now['elements'] as Element[] | undefined)?.length
    const inner =
      now['rule'] === 'everything' || none
        ? now
        : { rule: 'belonging_to', pick: { ...now, of: view.kind } }
    setPick({ rule: 'belonging_to', pick: { ...inner, of: kind } })
  } else {
    const { elements } = usePick.getState()
    if (!elements) return
    setPick({
      rule: 'by_hand',
      elements: view.picked.map((w) => elementOf(elements, view.kind, w, view.lineage)),
    })
  }
}

/** A dragged box: put elements in. */
export function addElements(which: number[]): void {
  const { view, elements } = usePick.getState()
  const open = openStep()
  if (!view || !elements || !open) return
  const held = new Set(clickedPicked(view))
  const fresh = which.filter((e) => !held.has(e))
  if (!fresh.length) return
  usePick.setState({ fresh })
  setClicked(
    withElements(
      clickedPick(open, view),
      fresh.map((e) => elementOf(elements, clickedKind(view), e, view.lineage)),
      'and_also',
    ),
  )
}

/** Keep the open pick under a name of the part, and use it by that name here. */
export function keepAs(name: string): void {
  const view = usePick.getState().view
  const open = openStep()
  if (!view || !open) return
  doEdit({
    kind: 'set_pick',
    part: open.part,
    name,
    pick: { ...pickNow(open), of: view.kind },
  })
  setPick({ rule: 'named', name })
}

/** What a pick is of, as it stands in the step. */
export function kindOf(step: Step, key: string): Kind {
  const { name, row, inner, path } = placeOf(key)
  const spec = valueSpec(step.operator, name)
  // further picks are of what the first one is of
  const first = row === null ? name : (spec?.beside ?? name)
  const value = step.values?.[first] as Pick | undefined
  const own = (inner && row === null ? below(value, path) : value) as Pick | undefined
  const of = valueSpec(step.operator, first)?.of[0] ?? (inner ? 'points' : 'edges')
  return ((own?.['of'] as Kind | undefined) ?? of) as Kind
}

export { extentOf, pointsOf, rulesFor } from './pickRules'
export { OTHERWISE, at, inWords, piecesOf, withAt } from './pickWords'
export type { Elements, Kind, Pick } from './pickRules'
export type { RuleNumber } from './pickWords'
