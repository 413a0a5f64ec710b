import type {
  BenchView,
  Edit,
  OperatorView,
  PartView,
  Placement,
  Step,
  StepView,
  ValueView,
} from './api/client'
import { niceStep } from './format'
import { placementOf, placing } from './placement'
import type { Side } from './placement'

/** A number of the bench that can be dragged and typed, wherever it is shown. */
export interface NumberTarget {
  /** `p1/s2/values/turn`, `p1/s1/values/size/0`, `curves/c1/p3/fillet`, `curves/c1/p3/at/1`, `dimensions/flutes` */
  address: string
  words: string
  /** worked out; null when its formula can't be */
  value: number | null
  /** as it stands in the file; null when it is left out and chosen by itself */
  raw: number | string | null
  unit: string
  whole: boolean
  least: number
  most: number
  /** what one arrow key changes */
  step: number
  /** the part to work out while dragging, null for all */
  part: string | null
  /** the edit that gives it another number or formula, or null to take it back to its default */
  edit: (value: number | string | null) => Edit
}

let known = new Map<string, OperatorView>()

export function setOperators(operators: readonly OperatorView[]): void {
  known = new Map(operators.map((o) => [o.id, o]))
}

export function operatorOf(id: string): OperatorView | undefined {
  return known.get(id)
}

const LIMIT = 1e9

/** The size that drags go by: the part's, or the bench's floor. */
export function sizeOf(part: PartView | undefined, floor: number): number {
  const b = part?.bounds
  if (!b) return floor
  return Math.max(1e-6, ...[0, 1, 2].map((k) => (b[1]?.[k] ?? 0) - (b[0]?.[k] ?? 0)))
}

function stepFor(kind: string, size: number): number {
  if (kind === 'count' || kind === 'counts') return 1
  if (kind === 'angle') return 1
  if (kind === 'share') return 0.01
  return niceStep(size)
}

/** The number at an address, or null when it is not there any more. */
export function numberAt(
  bench: BenchView,
  parts: readonly PartView[],
  address: string,
): NumberTarget | null {
  const words = address.split('/')
  if (words[0] === 'curves') return curveNumber(bench, parts, words)
  if (words[0] === 'dimensions') return namedNumber(bench, words[1] ?? '')
  if (words[1] === 'placement') return placedNumber(bench, parts, words)
  return stepNumber(bench, parts, words)
}

/** What stands at a key of a step, and what is taken where nothing does. */
function written(step: Step, outcome: StepView | undefined, spec: ValueView, index: number | null) {
  const all: unknown = step.values?.[spec.key]
  const used: unknown = outcome?.used[spec.key] ?? spec.default
  const pick = (list: unknown) =>
    index === null ? list : Array.isArray(list) ? (list as unknown[])[index] : undefined
  return { all, used, raw: pick(all), chosen: pick(used) }
}

/** The number as written counts until the server has worked it out. */
function valueOf(raw: unknown, chosen: unknown, shown: number | undefined): number | null {
  if (typeof raw === 'string') return shown ?? shareOf(raw)
  if (typeof raw === 'number') return raw
  return typeof chosen === 'number' ? chosen : shareOf(chosen)
}

function limits(spec: ValueView): { least: number; most: number } {
  const least = spec.kind === 'counts' ? 1 : spec.kind === 'vector' ? 0 : -LIMIT
  return { least: spec.least ?? least, most: spec.most ?? LIMIT }
}

function stepNumber(
  bench: BenchView,
  parts: readonly PartView[],
  words: readonly string[],
): NumberTarget | null {
  const [partId = '', stepId = '', , key = '', index] = words
  const step = bench.document.parts
    ?.find((p) => p.id === partId)
    ?.recipe.find((s) => s.id === stepId)
  const view = parts.find((p) => p.part === partId)
  const outcome = view?.steps.find((s) => s.id === stepId)
  const spec = step && operatorOf(step.operator)?.values.find((v) => v.key === key)
  if (!step || !spec) return null
  const i = index === undefined ? null : Number(index)
  if (spec.kind === 'further') return furtherNumber(bench, view, step, outcome, words, i ?? 0)
  const { all, used, raw, chosen } = written(step, outcome, spec, i)
  const share = shareOf(raw ?? chosen)
  const list = (v: number | string | null): unknown => {
    if (i === null) return share !== null && typeof v === 'number' ? `${v} %` : v
    if (v === null) return null
    const whole = (Array.isArray(all) ? all : Array.isArray(used) ? used : [0, 0, 0]) as unknown[]
    return whole.map((x, k) => (k === i ? v : x))
  }
  return {
    address: words.join('/'),
    words: spec.description,
    value: valueOf(raw, chosen, outcome?.shown[i === null ? key : `${key}/${i}`]),
    raw: shareOf(raw) ?? (raw as number | string | undefined) ?? null,
    unit: share === null ? spec.unit : '%',
    whole: spec.kind === 'count' || spec.kind === 'counts',
    ...limits(spec),
    step: share === null ? stepFor(spec.kind, sizeOf(view, bench.document.floor ?? 100)) : 1,
    part: partId,
    edit: (v) => ({ kind: 'set_value', part: partId, step: stepId, key, value: list(v) }),
  }
}

/** The width of a further pick of a step. */
function furtherNumber(
  bench: BenchView,
  view: PartView | undefined,
  step: Step,
  outcome: StepView | undefined,
  words: readonly string[],
  i: number,
): NumberTarget | null {
  const [part = '', , , key = ''] = words
  const rows = (step.values?.[key] as { width: number | string }[] | undefined) ?? []
  const raw = rows[i]?.width
  if (raw === undefined) return null
  return {
    address: words.join('/'),
    words: 'How wide the strips of this pick are; 0 leaves it sharp.',
    value: typeof raw === 'number' ? raw : (outcome?.shown[`${key}/${String(i)}`] ?? null),
    raw,
    unit: 'mm',
    whole: false,
    least: 0,
    most: LIMIT,
    step: stepFor('length', sizeOf(view, bench.document.floor ?? 100)),
    part,
    edit: (v) => ({
      kind: 'set_value',
      part,
      step: step.id,
      key,
      value: rows.map((row, k) => (k === i ? { ...row, width: v ?? 1 } : row)),
    }),
  }
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

function shareOf(text: unknown): number | null {
  if (typeof text !== 'string' || !text.trim().endsWith('%')) return null
  const n = Number(text.trim().slice(0, -1))
  return Number.isFinite(n) ? n : null
}

function curveNumber(
  bench: BenchView,
  parts: readonly PartView[],
  words: readonly string[],
): NumberTarget | null {
  const [, curveId = '', pointId = '', what = '', index] = words
  const curve = bench.document.curves?.find((c) => c.id === curveId)
  const point = curve?.points.find((p) => p.id === pointId)
  const view = bench.curves.find((c) => c.id === curveId)?.points.find((p) => p.id === pointId)
  if (!curve || !point) return null
  const user = bench.document.parts?.find((p) =>
    p.recipe.some((s) => s.values?.['profile'] === curveId),
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
  if (what === 'fillet') {
    const raw = point.fillet ?? 0
    return {
      ...shared,
      address: words.join('/'),
      words: 'Radius of the corner.',
      value: view?.fillet ?? (typeof raw === 'number' ? raw : null),
      raw,
      least: 0,
      edit: (v) => ({ kind: 'set_point', curve: curveId, point: pointId, fillet: v ?? 0 }),
    }
  }
  const i = Number(index ?? 0)
  const raw = point.at[i] ?? 0
  return {
    ...shared,
    address: words.join('/'),
    words: i === 0 ? 'Distance from the axis.' : 'Height along the axis.',
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

const LITERAL = /^[+-]?(\d+\.?\d*|\.\d+)(e[+-]?\d+)?\s*(mm|cm|m|in|deg|rad)?$/i

/** Whether a number stands in the file as a formula: more than digits and perhaps a unit. */
export function isFormula(raw: number | string | null): raw is string {
  return typeof raw === 'string' && !LITERAL.test(raw.trim())
}

export function valueSpec(operator: string, key: string): ValueView | undefined {
  return operatorOf(operator)?.values.find((v) => v.key === key)
}
