import type { PickView } from './api/client'

/** Points, edges and faces of the body that is picked on; layout in core/geometry/elements.py. */
export interface Elements {
  digest: string
  origin: readonly number[]
  points: Float32Array
  edges: Uint32Array
  offsets: Uint32Array
  cornerEdge: Uint32Array
  cornerPoint: Uint32Array
  edgeNormals: Float32Array
}

export type Pick = Record<string, unknown>

export function readElements(digest: string, buffer: ArrayBuffer): Elements {
  const [points = 0, edges = 0, faces = 0, corners = 0] = new Uint32Array(buffer, 0, 4)
  let at = 16
  const origin = Array.from(new Float64Array(buffer.slice(at, at + 24)))
  at += 24
  const take = <T>(length: number, make: (from: number, n: number) => T): T => {
    const out = make(at, length)
    at += 4 * length
    return out
  }
  const floats = (n: number) => take(n, (from, k) => new Float32Array(buffer, from, k))
  const wholes = (n: number) => take(n, (from, k) => new Uint32Array(buffer, from, k))
  return {
    digest,
    origin,
    points: floats(3 * points),
    edges: wholes(2 * edges),
    offsets: wholes(faces + 1),
    cornerEdge: wholes(corners),
    cornerPoint: wholes(corners),
    edgeNormals: floats(3 * edges),
  }
}

export type Kind = PickView['kind']

export interface Element {
  at: number[]
  normal?: number[]
}

/** Where an element stands: the place of a point, the middle of an edge, the mean corner of a face. */
export function elementOf(e: Elements, kind: Kind, which: number): Element {
  const round = (x: number) => Number(x.toPrecision(9))
  const points = pointsOf(e, kind, which)
  const at = [0, 1, 2].map((k) =>
    round(
      points.reduce((sum, p) => sum + (e.points[3 * p + k] ?? 0), 0) / points.length +
        (e.origin[k] ?? 0),
    ),
  )
  if (kind !== 'edges') return { at }
  return { at, normal: [0, 1, 2].map((k) => round(e.edgeNormals[3 * which + k] ?? 0)) }
}

export function pointsOf(e: Elements, kind: Kind, which: number): number[] {
  if (kind === 'points') return [which]
  if (kind === 'edges') return [e.edges[2 * which] ?? 0, e.edges[2 * which + 1] ?? 0]
  return Array.from(e.cornerPoint.subarray(e.offsets[which] ?? 0, e.offsets[which + 1] ?? 0))
}

const near = (a: Element, b: Element) =>
  a.at.every((x, k) => Math.abs(x - (b.at[k] ?? 0)) <= 1e-5 * (1 + Math.abs(x)))

/** The picks that `add` and take away elements by hand; what was put in or out by hand before stays one list. */
export function withElements(pick: Pick, elements: Element[], how: 'and_also' | 'but_not'): Pick {
  const join = Array.isArray(pick['join']) ? (pick['join'] as Pick[]) : null
  const list = (p: unknown) =>
    ((p as Pick | undefined)?.['elements'] as Element[] | undefined) ?? []
  const isHand = (p: unknown) => (p as Pick | undefined)?.['rule'] === 'by_hand'
  const without = (from: Element[], gone: Element[]) =>
    from.filter((x) => !gone.some((y) => near(x, y)))
  const hand = (rows: Element[]): Pick => ({ rule: 'by_hand', elements: rows })
  if (isHand(pick))
    return hand(
      how === 'and_also'
        ? [...without(list(pick), elements), ...elements]
        : without(list(pick), elements),
    )
  const rows = join ?? [pick]
  // put back what was taken out by hand, take out what was put in by hand, before anything else is said
  const other = how === 'and_also' ? 'but_not' : 'and_also'
  let rest = elements
  const kept = rows
    .map((row, i) => {
      const inner = row[other] as Pick | undefined
      if (i === 0 || !isHand(inner)) return row
      const gone = list(inner).filter((x) => rest.some((y) => near(x, y)))
      rest = without(rest, gone)
      return { [other]: hand(without(list(inner), gone)) }
    })
    .filter((row, i) => i === 0 || !(isHand(row[other]) && list(row[other]).length === 0))
  if (rest.length) {
    const last = kept.at(-1)
    if (last && kept.length > 1 && isHand(last[how]))
      kept[kept.length - 1] = { [how]: hand([...list(last[how]), ...rest]) }
    else kept.push({ [how]: hand(rest) })
  }
  return kept.length === 1 ? (kept[0] ?? pick) : { join: kept }
}

const FACING: [string, number[]][] = [
  ['up', [0, 0, 1]],
  ['down', [0, 0, -1]],
  ['to the right', [1, 0, 0]],
  ['to the left', [-1, 0, 0]],
  ['to the front', [0, -1, 0]],
  ['to the back', [0, 1, 0]],
]

/** The rules one can choose, in words. */
export function rulesFor(view: PickView | null): { words: string; pick: Pick }[] {
  return [
    { words: 'sharper than an angle', pick: { rule: 'sharper_than', angle: 30 } },
    { words: 'all there are', pick: { rule: 'everything' } },
    { words: 'the rim', pick: { rule: 'rim' } },
    ...FACING.map(([words, direction]) => ({
      words: `facing ${words}`,
      pick: { rule: 'facing', direction, within: 15 },
    })),
    ...(view?.groups ?? []).map((g) => ({
      words: `the group ${g.name.replaceAll('_', ' ')} of step ${g.step}`,
      pick: { rule: 'group', step: g.step, name: g.name },
    })),
    { words: 'by hand, from none', pick: { rule: 'by_hand', elements: [] } },
  ]
}

const plain = (x: unknown, otherwise: number): string =>
  typeof x === 'number' || typeof x === 'string' ? String(x) : String(otherwise)

function ordinal(n: unknown): string {
  const text = plain(n, 2)
  return `${text}${text === '2' ? 'nd' : text === '3' ? 'rd' : 'th'}`
}

/** A pick in words, to stand behind its count. */
export function inWords(pick: Pick): string {
  const join = pick['join'] as Pick[] | undefined
  if (join)
    return join
      .map((row, i) => {
        if (i === 0) return inWords(row)
        const also = row['and_also'] as Pick | undefined
        return also ? `and also ${inWords(also)}` : `but not ${inWords(row['but_not'] as Pick)}`
      })
      .join(', ')
  const elements = pick['elements'] as unknown[] | undefined
  switch (pick['rule']) {
    case 'everything':
      return 'all there are'
    case 'sharper_than':
      return `sharper than ${plain(pick['angle'], 30)}°`
    case 'rim':
      return 'on the rim'
    case 'facing': {
      const way = JSON.stringify(pick['direction'])
      return `facing ${FACING.find(([, d]) => JSON.stringify(d) === way)?.[0] ?? 'one way'}`
    }
    case 'group':
      return `of ${String(pick['name']).replaceAll('_', ' ')} of step ${String(pick['step'])}`
    case 'by_hand':
      return `${String(elements?.length ?? 0)} by hand`
    case 'loop_through':
      return 'a loop'
    case 'strip_across':
      return 'a strip across'
    case 'inside':
      return `inside a ${String(pick['shape']).replace('_', ' ')}`
    case 'finish':
      return `with the finish ${String(pick['name'])}`
    case 'every_nth':
      return `every ${ordinal(pick['n'])}`
    default:
      return String(pick['rule'])
  }
}
