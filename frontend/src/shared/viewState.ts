import { create } from 'zustand'
import type { Plane } from './planes'

export type Drawing = 'shaded' | 'shaded_lines' | 'lines'
export type Look = 'paper' | 'dusk'

/** What a window shows, which is no part of the bench: what is chosen, how it is drawn. */
interface ViewState {
  part: string | null
  step: string | null
  /** address of the number that is hovered, in chip or callout: they light each other */
  hovered: string | null
  drawing: Drawing
  look: Look
  perspective: boolean
  board: string | null
  /** the plane in which the path on the board is drawn and dragged; null drags it in the one that faces the eye */
  plane: Plane | null
  /** the graph that is drawn below the view */
  graph: { part: string; step: string; key: string } | null
  /** the place along its run that is pointed at, in the graph or on the body */
  along: number | null
  keys: boolean
  settings: boolean
  history: boolean
  side: boolean
  /** front, side and top stand beside the large view */
  beside: boolean
  /** what the bodies are compared with: before the last edit, or as a step made one of them; over them, or side by side */
  compare: { how: 'hold' | 'beside'; step: { part: string; step: string } | null } | null
  /** parts that a kept view leaves out */
  leftOut: readonly string[]
  /** the drawing sheet is being made */
  sheet: boolean
  /** step whose body is looked at instead of the last one */
  lookAt: string | null
  /** where the next added step goes: behind this step, null for the end */
  insertAfter: string | null
  /** places of a finding that is looked at, in the part's own space */
  spots: readonly (readonly number[])[]
  /** normals as short ink ticks */
  normals: boolean
  /** light bands that run over the bodies */
  bands: boolean
  /** poles and many-sided faces are marked */
  poles: boolean
  /** how many of them there are */
  marked: { poles: number; many: number }
  /** the limit surface in the place of the bodies: with its sharp edges, or those rounded too */
  limit: 'no' | 'sharp' | 'rounded'
  /** edges that lie behind, as short dashes */
  behind: boolean
  /** lights turn with the eye, or stay with the bench */
  lights: 'eye' | 'stay'
  /** what the face last pointed at has come from, oldest first */
  trail: { part: string; steps: readonly { step: string; group: string }[] } | null
  /** parts that are chosen beside the one whose recipe is shown */
  also: readonly string[]
  /** the only part that is shown, if one is */
  only: string | null
  /** a shape that is being placed: its operator */
  placing: string | null
  /** a point of the chosen body is to become its zero point */
  zeroing: boolean
  /** the axis that is to be laid through a point that is clicked */
  axisPick: { part: string; step: string; key: string } | null
  /** address of the number that is solved for */
  solving: string | null
  /** the pair whose clearance is looked at */
  pair: string | null
  /** the last duplicate and what it was made from, for one more with the same offset */
  copied: { from: string; to: string } | null
  /** the mask that is painted */
  painting: { part: string; step: string; key: string } | null
  /** the pick that is open for picking */
  picking: { part: string; step: string; key: string } | null
  set: (change: Partial<Omit<ViewState, 'set'>>) => void
}

function storedLook(): Look {
  return document.documentElement.dataset['look'] === 'dusk' ? 'dusk' : 'paper'
}

export const useView = create<ViewState>((set) => ({
  part: null,
  step: null,
  hovered: null,
  drawing: 'shaded_lines',
  look: storedLook(),
  perspective: true,
  board: null,
  plane: null,
  graph: null,
  along: null,
  keys: false,
  settings: false,
  history: false,
  side: true,
  beside: false,
  compare: null,
  leftOut: [],
  sheet: false,
  lookAt: null,
  insertAfter: null,
  spots: [],
  picking: null,
  painting: null,
  also: [],
  only: null,
  placing: null,
  zeroing: false,
  axisPick: null,
  solving: null,
  pair: null,
  copied: null,
  normals: false,
  bands: false,
  poles: false,
  marked: { poles: 0, many: 0 },
  limit: 'no',
  behind: false,
  lights: 'stay',
  trail: null,
  set: (change) => {
    set(change)
  },
}))

/** Change between light and dusk, and remember it. */
export function setLook(look: Look): void {
  document.documentElement.dataset['look'] = look
  try {
    localStorage.setItem('jukai.look', look)
  } catch {
    // no storage: it holds for this window
  }
  useView.getState().set({ look })
}
