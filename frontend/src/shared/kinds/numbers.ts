import { niceStep } from '../format'
import { LIMIT, perCent } from '../number'
import type { NumberTarget } from '../number'
import type { NumberPlace } from './at'

/** What stands at a place in a value, and what is taken where nothing does. */
export function written(at: NumberPlace): { whole: unknown; raw: unknown; chosen: unknown } {
  const all: unknown = at.step.values?.[at.spec.key]
  const used: unknown = at.outcome?.used[at.spec.key] ?? at.spec.default
  return { whole: all ?? used, raw: below(all, at.path), chosen: below(used, at.path) }
}

function below(value: unknown, path: readonly string[]): unknown {
  let now = value
  for (const name of path) {
    if (Array.isArray(now)) {
      const rows = now as unknown[]
      const named = rows.find((r) => (r as { id?: string } | null)?.id === name)
      now = named ?? rows[Number(name)]
    } else now = (now as Record<string, unknown> | null | undefined)?.[name]
  }
  return now
}

/** The edit that changes one number of a value, and nothing else of it. */
function editing(at: NumberPlace): NumberTarget['edit'] {
  const shared = { kind: 'set_value' as const, part: at.part, step: at.step.id }
  const key = [at.spec.key, ...at.path].join('/')
  return (value) => {
    if (value === null || at.path.length === 0) return { ...shared, key: at.spec.key, value }
    // while nothing is written, what is taken instead is written with the one number changed
    const start = at.step.values?.[at.spec.key] == null ? written(at).whole : undefined
    return { ...shared, key, value, ...(start === undefined ? {} : { start }) }
  }
}

/** The number as written counts until the server has worked it out. */
function valueOf(raw: unknown, chosen: unknown, shown: number | undefined): number | null {
  if (typeof raw === 'string') return shown ?? perCent(raw)
  if (typeof raw === 'number') return raw
  return typeof chosen === 'number' ? chosen : perCent(chosen)
}

/** A number of mm, of degrees, a count or a plain one, by what its kind says. */
export function plainNumber(at: NumberPlace, step: number): NumberTarget {
  const { spec, path } = at
  const { raw, chosen } = written(at)
  const address = [spec.key, ...path].join('/')
  return {
    address: `${at.part}/${at.step.id}/values/${address}`,
    words: spec.description,
    value: valueOf(raw, chosen, at.outcome?.shown[address]),
    raw: (raw as number | string | undefined) ?? null,
    unit: spec.unit,
    whole: spec.whole,
    least: spec.least ?? spec.lowest,
    most: spec.most ?? LIMIT,
    step,
    part: at.part,
    edit: editing(at),
  }
}

export const lengthNumber = (at: NumberPlace) => plainNumber(at, niceStep(at.size))
/** A coordinate of an axis' point, mm, or a part of its direction, which has no unit. */
export function axisNumber(at: NumberPlace): NumberTarget {
  const t = plainNumber(at, niceStep(at.size))
  const point = at.path[0] === 'point'
  return {
    ...t,
    words: point
      ? 'Where the axis runs through.'
      : 'Which way the axis runs; only their ratio counts.',
    unit: point ? 'mm' : '',
    step: point ? t.step : 0.05,
    least: -LIMIT,
    most: LIMIT,
  }
}
export const wholeNumber = (at: NumberPlace) => plainNumber(at, 1)
export const angleNumber = wholeNumber
export const factorNumber = (at: NumberPlace) => {
  const t = plainNumber(at, 0.01)
  return { ...t, step: niceStep(100 * Math.max(Math.abs(t.value ?? 1), 0.5)) }
}
/** A number for each copy: what stands there is that of the last one, where a formula makes them differ. */
export const perCopyNumber = (at: NumberPlace) =>
  at.spec.unit === 'mm' ? lengthNumber(at) : at.spec.unit ? angleNumber(at) : factorNumber(at)

const hundredth = (x: number) => Number((x / 100).toPrecision(12))
const hundredfold = (x: number) => Number((x * 100).toPrecision(12))

/** A share, shown and typed in per cent; a number without the sign is one of per cent too. */
export function shareNumber(at: NumberPlace): NumberTarget {
  const t = plainNumber(at, 1)
  const raw = perCent(t.raw) ?? (typeof t.raw === 'number' ? hundredfold(t.raw) : t.raw)
  const worked = at.outcome?.shown[[at.spec.key, ...at.path].join('/')]
  const value = perCent(t.raw) ?? (t.value === null ? null : hundredfold(worked ?? t.value))
  return {
    ...t,
    value,
    raw,
    unit: '%',
    least: hundredfold(t.least),
    most: hundredfold(t.most),
    edit: (v) => t.edit(typeof v === 'number' ? hundredth(v) : v),
  }
}

/** A place along an axis: mm, or per cent where it is written so. */
export function alongNumber(at: NumberPlace): NumberTarget {
  const { raw, chosen } = written(at)
  const share = perCent(raw ?? chosen)
  const t = plainNumber(at, share === null ? niceStep(at.size) : 1)
  if (share === null) return t
  return {
    ...t,
    value: share,
    raw: perCent(raw),
    unit: '%',
    edit: (v) => t.edit(typeof v === 'number' ? `${v} %` : v),
  }
}

/** The width of a further pick. */
export function furtherNumber(at: NumberPlace): NumberTarget | null {
  const { raw } = written(at)
  if (raw === undefined) return null
  const t = lengthNumber(at)
  return {
    ...t,
    words: 'How wide the strips of this pick are; 0 leaves it sharp.',
    edit: (v) => t.edit(v ?? 1),
  }
}

/** A number within a mask: of a point of its graph. */
export const maskNumber = (at: NumberPlace) => (at.path[0] === 'graph' ? graphNumber(at) : null)

/** A number of a point of a graph: its place, in per cent of the run, or its value. */
export function graphNumber(at: NumberPlace): NumberTarget | null {
  const { raw } = written(at)
  if (raw === undefined) return null
  if (at.path.at(-1) === 'at') {
    const t = shareNumber(at)
    return { ...t, words: 'Where along the run it stands.', least: 0, most: 100 }
  }
  const t = plainNumber(at, at.spec.unit ? niceStep(at.size) : 0.01)
  return { ...t, least: -LIMIT, most: LIMIT }
}
