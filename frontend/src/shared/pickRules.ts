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
  /** row of the history table of each face, -1 for none */
  lineage: Int32Array
  /** a face at each edge */
  edgeFace: Uint32Array
}

/** Rows of step, group and parent row, oldest first. */
export type History = readonly { step: string; group: string; parent: number }[]

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
  const out = {
    digest,
    origin,
    points: floats(3 * points),
    edges: wholes(2 * edges),
    offsets: wholes(faces + 1),
    cornerEdge: wholes(corners),
    cornerPoint: wholes(corners),
    edgeNormals: floats(3 * edges),
    lineage: take(faces, (from, k) => new Int32Array(buffer, from, k)),
    edgeFace: new Uint32Array(edges),
  }
  for (let f = faces - 1; f >= 0; f -= 1)
    for (let c = out.offsets[f] ?? 0; c < (out.offsets[f + 1] ?? 0); c += 1)
      out.edgeFace[out.cornerEdge[c] ?? 0] = f
  return out
}

export type Kind = PickView['kind']

export interface Element {
  at: number[]
  normal?: number[]
  lineage?: string[][]
}

/** Where an element stands (the place of a point, the middle of an edge, the mean corner of a face) and has come from. */
export function elementOf(e: Elements, kind: Kind, which: number, history: History = []): Element {
  const round = (x: number) => Number(x.toPrecision(9))
  const points = pointsOf(e, kind, which)
  const at = [0, 1, 2].map((k) =>
    round(
      points.reduce((sum, p) => sum + (e.points[3 * p + k] ?? 0), 0) / points.length +
        (e.origin[k] ?? 0),
    ),
  )
  if (kind === 'points') return { at }
  const normal =
    kind === 'edges'
      ? [0, 1, 2].map((k) => round(e.edgeNormals[3 * which + k] ?? 0))
      : faceNormal(e, points).map(round)
  const lineage: string[][] = []
  const face = kind === 'edges' ? (e.edgeFace[which] ?? 0) : which
  for (let row = e.lineage[face] ?? -1; row >= 0; row = history[row]?.parent ?? -1) {
    const here = history[row]
    if (!here) break
    lineage.unshift([here.step, here.group])
  }
  return lineage.length ? { at, normal, lineage } : { at, normal }
}

/** Newell's sum over the corners of a face. */
function faceNormal(e: Elements, points: readonly number[]): number[] {
  const at = (p: number, k: number) => e.points[3 * p + k] ?? 0
  const n = [0, 0, 0]
  points.forEach((p, i) => {
    const q = points[(i + 1) % points.length] ?? p
    for (const k of [0, 1, 2]) {
      const [u, v] = [(k + 1) % 3, (k + 2) % 3]
      n[k] = (n[k] ?? 0) + (at(p, u) - at(q, u)) * (at(p, v) + at(q, v))
    }
  })
  const long = Math.hypot(...n) || 1
  return n.map((x) => x / long)
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

export const FACING: [string, number[]][] = [
  ['up', [0, 0, 1]],
  ['down', [0, 0, -1]],
  ['to the right', [1, 0, 0]],
  ['to the left', [-1, 0, 0]],
  ['to the front', [0, -1, 0]],
  ['to the back', [0, 1, 0]],
]

/** What rules that lie in space begin with: where the body is, and how large. */
export interface Extent {
  centre: number[]
  size: number[]
}

export function extentOf(e: Elements | null): Extent {
  const low = [Infinity, Infinity, Infinity]
  const high = [-Infinity, -Infinity, -Infinity]
  const n = e?.points.length ?? 0
  for (let i = 0; i < n; i += 1) {
    const x = e?.points[i] ?? 0
    low[i % 3] = Math.min(low[i % 3] ?? x, x)
    high[i % 3] = Math.max(high[i % 3] ?? x, x)
  }
  const round = (x: number) => Number((Number.isFinite(x) ? x : 0).toPrecision(4))
  return {
    centre: [0, 1, 2].map((k) => round(((low[k] ?? 0) + (high[k] ?? 0)) / 2 + (e?.origin[k] ?? 0))),
    size: [0, 1, 2].map((k) => round((high[k] ?? 0) - (low[k] ?? 0))),
  }
}

/** The rules one can choose, in words. */
export function rulesFor(
  view: PickView | null,
  now: Pick = { rule: 'everything' },
  extent: Extent = { centre: [0, 0, 0], size: [100, 100, 100] },
  finishes: readonly string[] = [],
): { words: string; pick: Pick }[] {
  const { centre, size } = extent
  return [
    { words: 'sharper than an angle', pick: { rule: 'sharper_than', angle: 30 } },
    { words: 'all there are', pick: { rule: 'everything' } },
    { words: 'the rim', pick: { rule: 'rim' } },
    {
      words: 'every second of these',
      pick: now['rule'] === 'every_nth' ? now : { rule: 'every_nth', among: now, n: 2 },
    },
    {
      words: 'inside a box',
      pick: { rule: 'inside', shape: 'box', centre, size: size.map((x) => x * 0.6) },
    },
    {
      words: 'inside a ball',
      pick: { rule: 'inside', shape: 'ball', centre, radius: 0.4 * Math.max(...size) },
    },
    {
      words: 'above a plane',
      pick: { rule: 'inside', shape: 'half_space', point: centre, direction: [0, 0, 1] },
    },
    ...(view?.named ?? []).map((name) => ({
      words: `the pick ${name}`,
      pick: { rule: 'named', name },
    })),
    ...finishes.map((name) => ({
      words: `with the finish ${name}`,
      pick: { rule: 'finish', name },
    })),
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
