import { create } from 'zustand'
import { api } from './api/client'
import type { Schemas } from './api/client'
import { figure, withUnit } from './format'
import { areaText, lengthText } from './units'
import type { Lengths } from './units'
import { say } from './session'

export type Reading = Schemas['ReadingView']
export type MeasureView = Schemas['MeasureView']
export type EndKind = 'points' | 'edges' | 'faces'

/** A picked element of a body that is shown. */
export interface End {
  part: string
  mesh: string
  matrix: readonly number[]
  of: EndKind
  /** middle and way of facing in the part's own space */
  at: readonly number[]
  normal: readonly number[] | null
  /** what is drawn over it: pairs of places on the bench */
  lines: readonly (readonly [number, number, number])[]
}

interface MeasuringState {
  on: boolean
  ends: readonly End[]
  hovered: End | null
  rows: readonly Reading[]
  written: readonly Record<string, unknown>[]
  /** which of the readings is drawn */
  shown: number
  set: (change: Partial<Omit<MeasuringState, 'set'>>) => void
}

const EMPTY = { ends: [], hovered: null, rows: [], written: [], shown: 0 }

export const useMeasuring = create<MeasuringState>((set) => ({
  on: false,
  ...EMPTY,
  set: (change) => {
    set(change)
  },
}))

export function toggleMeasuring(): void {
  useMeasuring.setState((s) => ({ on: !s.on, ...EMPTY }))
}

/** Leave what is picked, and at the second time the measuring. */
export function leaveMeasuring(): void {
  useMeasuring.setState((s) => ({ on: s.ends.length > 0, ...EMPTY }))
}

/** One more element: the third begins anew. */
export function takeEnd(end: End): void {
  const { ends } = useMeasuring.getState()
  const next = ends.length >= 2 ? [end] : [...ends, end]
  useMeasuring.setState({ ends: next, rows: [], written: [], shown: 0 })
  void readAgain()
}

/** Read what is picked, as it stands now. */
export async function readAgain(): Promise<void> {
  const { ends } = useMeasuring.getState()
  if (ends.length === 0) return
  try {
    const found = await api.measure({
      of: ends.map((e) => ({
        mesh: e.mesh,
        matrix: [...e.matrix],
        of: e.of,
        element: { at: [...e.at], ...(e.normal && { normal: [...e.normal] }) },
      })),
    })
    if (useMeasuring.getState().ends !== ends) return
    useMeasuring.setState({ rows: found.rows, written: found.ends, shown: 0 })
  } catch (e) {
    if (useMeasuring.getState().ends === ends) useMeasuring.setState({ ends: [], rows: [] })
    say(e instanceof Error ? e.message : String(e))
  }
}

/** A reading as it is written on a drawing. */
export function readingText(
  r: { what: string; value: number | null; unit: string },
  l: Lengths,
): string {
  if (r.value === null) return '?'
  const text =
    r.unit === 'mm'
      ? lengthText(r.value, l)
      : r.unit === 'mm²'
        ? areaText(r.value, l, 6)
        : withUnit(figure(r.value, 6), r.unit)
  return r.what === 'radius' ? `R ${text}` : text
}
