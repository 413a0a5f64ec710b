import type { Curve, Step, ValueView } from './api/client'
import { freeId } from './format'
import { isRelevant, operatorOf } from './operators'

/** The curves that a new one begins as: something to be seen at once, as large as a shape that is placed. */

/** The curve that a step must have once one of its values is another, and has not yet. */
export function curveAskedFor(step: Step, key: string, value: unknown): ValueView | undefined {
  const then = { ...step, values: { ...step.values, [key]: value } }
  return operatorOf(step.operator)?.values.find(
    (v) =>
      v.kind === 'curve' &&
      v.relevant.some((c) => c.key === key) &&
      isRelevant(v, then) &&
      typeof step.values?.[v.key] !== 'string',
  )
}

export function freeCurve(curves: readonly Curve[] | undefined): string {
  return freeId('c', curves?.map((c) => c.id) ?? [])
}

/** What is drawn first for a value that takes a curve. */
export function startingCurve(spec: Pick<ValueView, 'of'>, id: string, floor: number): Curve {
  return spec.of.includes('closed') ? startingSection(id, floor) : startingProfile(id, floor)
}

/** A small baluster: something to be seen at once, with a fillet and a smooth piece to try. */
function startingProfile(id: string, floor: number): Curve {
  const u = floor / 50
  return {
    id,
    name: 'Profile',
    kind: 'profile',
    closed: false,
    points: [
      { id: 'p1', at: [0, 0], fillet: 0, join: 'straight' },
      { id: 'p2', at: [5 * u, 0], fillet: 0, join: 'straight' },
      { id: 'p3', at: [5 * u, 2 * u], fillet: u, join: 'straight' },
      { id: 'p4', at: [2 * u, 4 * u], fillet: 0, join: 'smooth' },
      { id: 'p5', at: [3 * u, 8 * u], fillet: 0, join: 'smooth' },
      { id: 'p6', at: [2 * u, 12 * u], fillet: 0, join: 'straight' },
      { id: 'p7', at: [0, 12 * u], fillet: 0, join: 'straight' },
    ],
  }
}

/** A square with one side rounded: which way it lies can be seen wherever it is carried. */
function startingSection(id: string, floor: number): Curve {
  const u = floor / 50
  return {
    id,
    name: 'Section',
    kind: 'profile',
    closed: true,
    points: [
      { id: 'p1', at: [-u, -u], fillet: 0, join: 'straight' },
      { id: 'p2', at: [u, -u], fillet: 0, join: 'straight' },
      { id: 'p3', at: [u, u], fillet: 0.8 * u, join: 'straight' },
      { id: 'p4', at: [-u, u], fillet: 0.8 * u, join: 'straight' },
    ],
  }
}
