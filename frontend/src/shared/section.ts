import { create } from 'zustand'

export type Three = readonly [number, number, number]

/** A cutting plane: a unit direction, and how far along it the plane stands. What lies ahead is taken away. */
export interface CutPlane {
  normal: Three
  offset: number
}

/** What the section tells, as the screen shows it. */
export interface SectionRow {
  part: string
  plane: number
  area: number | null
  perimeter: number
}

export interface SectionGap {
  plane: number
  other: string
  distance: number
  crossing: boolean
  places: readonly (readonly number[])[]
}

interface SectionState {
  planes: readonly CutPlane[]
  rows: readonly SectionRow[]
  gaps: readonly SectionGap[]
  /** the next face that is clicked becomes this plane */
  placing: number | null
  set: (change: Partial<Omit<SectionState, 'set'>>) => void
}

export const useSection = create<SectionState>((set) => ({
  planes: [],
  rows: [],
  gaps: [],
  placing: null,
  set: (change) => {
    set(change)
  },
}))

export type Axis = 'x' | 'y' | 'z'
export const AXES: readonly Axis[] = ['x', 'y', 'z']

/** The axis a plane stands across, and which way it looks; null for a leaning one. */
export function axisOf(p: CutPlane): { axis: Axis; sign: 1 | -1 } | null {
  for (const [k, axis] of AXES.entries()) {
    const v = p.normal[k] ?? 0
    if (Math.abs(v) > 1 - 1e-9) return { axis, sign: v > 0 ? 1 : -1 }
  }
  return null
}

export function across(axis: Axis, sign: 1 | -1, at: number): CutPlane {
  const normal = AXES.map((a) => (a === axis ? sign : 0)) as unknown as Three
  return { normal, offset: sign * at }
}

/** Where a plane stands, as a number that grows along its axis whichever way it looks. */
export function placeOf(p: CutPlane): number {
  const a = axisOf(p)
  return (a?.sign ?? 1) * p.offset + 0
}

export function movedTo(p: CutPlane, place: number): CutPlane {
  return { ...p, offset: (axisOf(p)?.sign ?? 1) * place }
}

export function flipped(p: CutPlane): CutPlane {
  const [x, y, z] = p.normal
  return { normal: [-x + 0, -y + 0, -z + 0], offset: -p.offset + 0 }
}

/** Which side of the bench is taken away, in words. */
export function takenWords(p: CutPlane): string {
  const a = axisOf(p)
  if (!a) return 'the side ahead'
  const words = { x: ['left', 'right'], y: ['front', 'back'], z: ['lower', 'upper'] }[a.axis]
  return `the ${words[a.sign > 0 ? 1 : 0] ?? ''} side`
}

/** A first plane: through a place, taking away what stands before the eye. */
export function firstPlane(way: Three, through: Three): CutPlane {
  const best = AXES.map((_, k) => Math.abs(way[k] ?? 0) * (k === 2 ? 0.8 : 1))
  const k = best.indexOf(Math.max(...best))
  const axis = AXES[k] ?? 'y'
  return across(axis, (way[k] ?? 0) > 0 ? -1 : 1, Math.round((through[k] ?? 0) * 1000) / 1000)
}

/** Floats packed as base64 of little endian float32. */
export function unpacked(text: string): Float32Array {
  const bytes = Uint8Array.from(atob(text), (c) => c.charCodeAt(0))
  return new Float32Array(bytes.buffer)
}
