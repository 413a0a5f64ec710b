import type { BenchView, Curve, PartView, Placement, StepView } from './api/client'
import { niceStep } from './format'
import { KINDS } from './kinds'
import { LIMIT, inItsUnit } from './number'
import type { NumberTarget } from './number'
import { reaching } from './curveMoves'
import { namedIn, valueSpec } from './operators'
import type { Plane } from './planes'
import { placementOf, placing } from './placement'
import { lengthsOf } from './units'
import type { Side } from './placement'

/** The size that drags go by: the part's, or the bench's floor. */
export function sizeOf(part: PartView | undefined, floor: number): number {
  const b = part?.bounds
  if (!b) return floor
  return Math.max(1e-6, ...[0, 1, 2].map((k) => (b[1]?.[k] ?? 0) - (b[0]?.[k] ?? 0)))
}

/** The number at an address, or null when it is not there any more. */
export function numberAt(
  bench: BenchView,
  parts: readonly PartView[],
  address: string,
): NumberTarget | null {
  const found = plainAt(bench, parts, address.split('/'))
  return found && inItsUnit(found, lengthsOf(bench.document.shown))
}

function plainAt(
  bench: BenchView,
  parts: readonly PartView[],
  words: readonly string[],
): NumberTarget | null {
  if (words[0] === 'curves') return curveNumber(bench, parts, words)
  if (words[0] === 'dimensions') return namedNumber(bench, words[1] ?? '')
  if (words[1] === 'placement') return placedNumber(bench, parts, words)
  return stepNumber(bench, parts, words)
}

function stepNumber(
  bench: BenchView,
  parts: readonly PartView[],
  words: readonly string[],
): NumberTarget | null {
  const [partId = '', stepId = '', , key = '', ...path] = words
  // a curve has steps, too: it goes through them before it is used
  const steps =
    bench.document.parts?.find((p) => p.id === partId)?.recipe ??
    bench.document.curves?.find((c) => c.id === partId)?.steps
  const step = steps?.find((s) => s.id === stepId)
  const view = parts.find((p) => p.part === partId)
  const spec = step && valueSpec(step.operator, key)
  if (!step || !spec) return null
  const told = view?.steps ?? bench.curves.find((c) => c.id === partId)?.steps
  const outcome = told?.find((s) => s.id === stepId) as StepView | undefined
  const size = sizeOf(view, bench.document.floor ?? 100)
  return KINDS[spec.kind].number?.({ part: partId, step, outcome, spec, size, path }) ?? null
}

const MEANT: Record<string, string> = {
  move: 'Where its zero point stands along',
  turn: 'How far it is turned about',
  scale: 'How many times larger it is along',
}

type Shared = Pick<NumberTarget, 'address' | 'whole' | 'least' | 'most' | 'part'>

function extentNumber(
  shared: Shared,
  p: Required<Placement>,
  view: PartView | undefined,
  side: Side,
  step: number,
): NumberTarget | null {
  const part = shared.part ?? ''
  const raw = p.extents[side]
  if (raw === undefined) return null
  return {
    ...shared,
    words: `Where its ${side} reaches to on the bench.`,
    value: view?.placed?.extents[side] ?? (typeof raw === 'number' ? raw : null),
    raw,
    unit: 'mm',
    step,
    edit: (v) =>
      v === null
        ? { kind: 'set_extent', part, side, at: null, how: 'moved' }
        : placing({ [part]: { ...p, extents: { ...p.extents, [side]: v } } }, side),
  }
}

/** A number of where a part stands: `p1/placement/move/0`, `p1/placement/extents/bottom`. */
function placedNumber(
  bench: BenchView,
  parts: readonly PartView[],
  words: readonly string[],
): NumberTarget | null {
  const [partId = '', , what = '', which = ''] = words
  const part = bench.document.parts?.find((p) => p.id === partId)
  const view = parts.find((p) => p.part === partId)
  if (!part) return null
  const p = placementOf(part)
  const shared = {
    address: words.join('/'),
    whole: false,
    least: -LIMIT,
    most: LIMIT,
    part: partId,
  }
  const size = sizeOf(view, bench.document.floor ?? 100)
  if (what === 'extents') return extentNumber(shared, p, view, which as Side, niceStep(size))
  if (what !== 'move' && what !== 'turn' && what !== 'scale') return null
  const k = Number(which)
  const raw = p[what][k] ?? 0
  const normal = what === 'scale' ? 1 : 0
  return {
    ...shared,
    words: `${MEANT[what] ?? ''} ${'XYZ'.charAt(k)}.`,
    value: view?.placed?.[what][k] ?? (typeof raw === 'number' ? raw : null),
    raw,
    unit: what === 'move' ? 'mm' : what === 'turn' ? '°' : '',
    step: what === 'move' ? niceStep(size) : what === 'turn' ? 1 : 0.01,
    edit: (v) =>
      placing(
        { [partId]: { ...p, [what]: p[what].map((x, i) => (i === k ? (v ?? normal) : x)) } },
        what,
      ),
  }
}

/** What a coordinate of a curve's points says. */
function whatOf(curve: Curve, i: number): string {
  if (curve.kind === 'path') return `Where it stands along ${'XYZ'.charAt(i)}.`
  return i === 0 ? 'Distance from the axis.' : 'Height along the axis.'
}

/** What a corner of a curve has: a radius, or a chamfer. */
function cornerNumber(
  words: readonly string[],
  point: Curve['points'][number],
  view: BenchView['curves'][number]['points'][number] | undefined,
  what: 'fillet' | 'chamfer',
): Pick<NumberTarget, 'address' | 'words' | 'value' | 'raw' | 'least' | 'edit'> {
  const [, curve = '', id = ''] = words
  const raw = point[what] ?? 0
  return {
    address: words.join('/'),
    words:
      what === 'fillet'
        ? 'Radius of the corner.'
        : 'How far from the point the corner is cut off straight.',
    value: view?.[what] ?? (typeof raw === 'number' ? raw : null),
    raw,
    least: 0,
    edit: (v) => ({ kind: 'set_point', curve, point: id, [what]: v ?? 0 }),
  }
}

function curveNumber(
  bench: BenchView,
  parts: readonly PartView[],
  words: readonly string[],
): NumberTarget | null {
  const [, curveId = '', pointId = '', what = '', index] = words
  const curve = bench.document.curves?.find((c) => c.id === curveId)
  if (pointId === 'traced') return tracedNumber(bench, curve, words)
  const point = curve?.points.find((p) => p.id === pointId)
  const view = bench.curves.find((c) => c.id === curveId)?.points.find((p) => p.id === pointId)
  if (!curve || !point) return null
  const user = bench.document.parts?.find((p) =>
    p.recipe.some((s) => namedIn(s, 'curve').includes(curveId)),
  )
  const size = sizeOf(
    parts.find((p) => p.part === user?.id),
    bench.document.floor ?? 100,
  )
  const shared = {
    unit: 'mm',
    whole: false,
    most: LIMIT,
    step: niceStep(size),
    part: user?.id ?? null,
  }
  if (what === 'piece') return pieceNumber(shared, words, curve, bench.curves)
  if (what === 'fillet' || what === 'chamfer')
    return { ...shared, ...cornerNumber(words, point, view, what) }
  const i = Number(index ?? 0)
  const raw = point.at[i] ?? 0
  return {
    ...shared,
    address: words.join('/'),
    words: whatOf(curve, i),
    value: view?.at[i] ?? (typeof raw === 'number' ? raw : null),
    raw,
    least: -LIMIT,
    edit: (v) => ({
      kind: 'set_point',
      curve: curveId,
      point: pointId,
      at: point.at.map((x, k) => (k === i ? (v ?? 0) : x)),
    }),
  }
}

/** Where the picture under a curve lies, and how wide it is: `curves/c1/traced/at/0`, `curves/c1/traced/wide`. */
function tracedNumber(
  bench: BenchView,
  curve: Curve | undefined,
  words: readonly string[],
): NumberTarget | null {
  const traced = curve?.traced
  const view = bench.curves.find((c) => c.id === curve?.id)?.traced
  if (!curve || !traced) return null
  const [, , , what, index] = words
  const k = Number(index ?? 0)
  const at = traced.at ?? [0, 0]
  const raw = what === 'wide' ? traced.wide : (at[k] ?? 0)
  const shown = what === 'wide' ? view?.wide : view?.at[k]
  return {
    address: words.join('/'),
    words:
      what === 'wide'
        ? 'How wide the picture is; its height follows.'
        : `Where its left lower corner lies, ${k ? 'up' : 'across'}.`,
    value: shown ?? (typeof raw === 'number' ? raw : null),
    raw,
    unit: 'mm',
    whole: false,
    least: what === 'wide' ? 1e-6 : -LIMIT,
    most: LIMIT,
    step: niceStep(view?.wide ?? 100),
    part: null,
    edit: (v) => ({
      kind: 'set_curve',
      curve: curve.id,
      what: 'picture',
      traced: {
        ...traced,
        ...(what === 'wide'
          ? { wide: v ?? 1 }
          : { at: at.map((x, i) => (i === k ? (v ?? 0) : x)) }),
      },
    }),
  }
}

/** Length or angle of the straight piece behind a point, in a plane: `curves/c1/p2/piece/long`, `curves/c1/p2/piece/angle/02`. */
function pieceNumber(
  shared: Omit<NumberTarget, 'address' | 'words' | 'value' | 'raw' | 'least' | 'edit'>,
  words: readonly string[],
  curve: Curve,
  views: BenchView['curves'],
): NumberTarget | null {
  const [, , pointId, , which, axes = '01'] = words
  const view = views.find((c) => c.id === curve.id)
  const at = curve.points.findIndex((p) => p.id === pointId)
  const from = curve.points[at]
  const to = curve.points[(at + 1) % curve.points.length]
  const [a, b] = [from, to].map((p) => view?.points.find((v) => v.id === p?.id)?.at)
  const last = at === curve.points.length - 1
  if (!from || !to || !a || !b || (last && !curve.closed)) return null
  if ((from.join ?? 'straight') !== 'straight') return null
  const plane: Plane = [Number(axes[0]), Number(axes[1])]
  const [dx, dy] = plane.map((k) => (b[k] ?? 0) - (a[k] ?? 0)) as [number, number]
  const long = Math.hypot(dx, dy)
  const angle = (Math.atan2(dy, dx) * 180) / Math.PI
  const third = to.at[3 - plane[0] - plane[1]] ?? 0
  const isLong = which === 'long'
  const value = Number((isLong ? long : angle).toPrecision(7)) + 0
  return {
    ...shared,
    ...(isLong ? {} : { unit: '°', step: 1 }),
    address: words.join('/'),
    words: isLong
      ? 'How long the piece behind the point is; the next point goes there.'
      : 'Which way the piece behind the point runs, counter-clockwise from across; the next point goes there.',
    value,
    raw: value,
    least: isLong ? 0 : -LIMIT,
    edit: (v) => ({
      kind: 'set_point',
      curve: curve.id,
      point: to.id ?? '',
      at: reaching(
        from.at,
        plane,
        isLong ? { long: v ?? long, angle } : { long, angle: v ?? angle },
        third,
      ),
    }),
  }
}

function namedNumber(bench: BenchView, name: string): NumberTarget | null {
  const n = bench.numbers.find((d) => d.name === name)
  if (!n) return null
  const digits = Math.abs(n.value ?? 1)
  return {
    address: `dimensions/${name}`,
    words: `The named number ${name}.`,
    value: n.value,
    raw: n.written,
    unit: n.measures === 'length' ? 'mm' : n.measures === 'angle' ? '°' : '',
    whole: false,
    least: -LIMIT,
    most: LIMIT,
    step: Number.isInteger(n.value) ? 1 : niceStep(digits * 5),
    part: null,
    edit: (v) => ({ kind: 'set_dimension', name, value: v ?? 0 }),
  }
}
