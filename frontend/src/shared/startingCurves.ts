import type { Curve, OperatorView, Step, ValueView } from './api/client'
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

/** Whether a value can take a curve: a path goes where a path is wanted alone, a profile everywhere. */
export const fits = (c: Curve, spec: Pick<ValueView, 'of'>) =>
  c.kind !== 'path' || spec.of.includes('path')

export function freeCurve(curves: readonly Curve[] | undefined): string {
  return freeId('c', curves?.map((c) => c.id) ?? [])
}

/** What is drawn first for a value that takes a curve. */
export function startingCurve(spec: Pick<ValueView, 'of'>, id: string, floor: number): Curve {
  if (spec.of.includes('path')) return startingPath(id, floor)
  return spec.of.includes('closed') ? startingSection(id, floor) : startingProfile(id, floor)
}

/** The curves that a new step must have, and its values that name them: one for each value, of a list two unlike ones. */
export function startingCurves(
  op: OperatorView,
  known: readonly Curve[] | undefined,
  floor: number,
): { curves: Curve[]; values: Record<string, unknown> } {
  const curves: Curve[] = []
  const values: Record<string, unknown> = {}
  const begin = (spec: ValueView) => {
    const curve = startingCurve(spec, freeCurve([...(known ?? []), ...curves]), floor)
    curves.push(curve)
    return curve
  }
  const goesRound = op.values.some((v) => v.kind === 'axis')
  for (const spec of op.values) {
    if (spec.relevant.length > 0) continue
    if (spec.kind === 'curve') {
      const curve = begin(spec)
      // what is raised alone is as large as a shape that is placed
      if (
        spec.of.includes('closed') &&
        op.values.filter((v) => v.kind.startsWith('curve')).length < 2 &&
        !goesRound
      )
        curve.points = scaled(curve.points, 5)
      // wound about an axis it must keep off it
      if (spec.of.includes('closed') && goesRound)
        curve.points = curve.points.map((p) => ({
          ...p,
          at: [Number(p.at[0]) + floor / 12.5, Number(p.at[1]) + floor / 50],
        }))
      values[spec.key] = curve.id
    }
    if (spec.kind === 'curves') {
      const first = begin(spec)
      const second = begin(spec)
      first.points = scaled(first.points, 4)
      second.points = scaled(second.points, 2).map((p) => ({ ...p, fillet: floor / 28 }))
      values[spec.key] = [first.id, second.id]
    }
  }
  return { curves, values }
}

function scaled(points: Curve['points'], by: number): Curve['points'] {
  return points.map((p) => ({
    ...p,
    at: p.at.map((x) => Number(x) * by),
    fillet: Number(p.fillet ?? 0) * by,
  }))
}

/** Up, over and aside: a path that goes through space. */
function startingPath(id: string, floor: number): Curve {
  const u = floor / 50
  const at = (x: number, y: number, z: number, fillet = 0) => ({
    at: [x * u, y * u, z * u],
    fillet,
  })
  const places = [at(0, 0, 0), at(0, 0, 10, 4 * u), at(10, 0, 10, 4 * u), at(10, 8, 10)]
  return {
    id,
    name: 'Path',
    kind: 'path',
    closed: false,
    points: places.map((p, i) => ({ id: `p${String(i + 1)}`, ...p, join: 'straight' })),
  }
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
