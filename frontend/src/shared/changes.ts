import type { BenchChanges, BenchView, Schemas } from './api/client'

type Document = BenchView['document']
type Rows = Schemas['RowsChange']

/** Whether an answer tells only what changed. */
export function isChanges(a: BenchView | BenchChanges): a is BenchChanges {
  return 'base' in a
}

/** A bench after changes upon the revision it shows; what did not change is the same object as before. */
export function withChanges(bench: BenchView, c: BenchChanges): BenchView {
  return {
    ...bench,
    revision: c.revision,
    document: changedDocument(bench.document, c.document),
    undo: c.undo,
    redo: c.redo,
    numbers: c.numbers ?? bench.numbers,
    curves: inOrder(bench.curves, c.curves, (x) => x.id, c.document.curves?.order),
    parts: inOrder(bench.parts, c.parts, (x) => x.part, c.document.parts?.order),
    measures: c.measures ?? bench.measures ?? [],
    waiting: stillToBeAsked(bench, c),
    stopped: c.stopped,
    milliseconds: c.milliseconds,
  }
}

/**
 * The parts whose bodies are to be asked for: a body of before that became ready on its way here is
 * neither among what changed nor among what the server still works on.
 */
function stillToBeAsked(bench: BenchView, c: BenchChanges): string[] {
  const told = new Set([...c.waiting, ...c.stopped, ...c.parts.map((p) => p.part)])
  const gone = (part: string) => c.document.parts?.order?.includes(part) === false
  return [...c.waiting, ...bench.waiting.filter((part) => !told.has(part) && !gone(part))]
}

/** Views of parts with fresh ones in the place of old ones, in the order of the bench; removed ones are gone. */
export function partsOf(
  document: Document,
  before: BenchView['parts'],
  fresh: BenchView['parts'],
): BenchView['parts'] {
  const order = document.parts?.map((p) => p.id)
  return inOrder(before, fresh, (x) => x.part, order)
}

/** The document with what changed in it. */
export function changedDocument(before: Document, change: BenchChanges['document']): Document {
  const out = { ...before } as Record<string, unknown>
  for (const [name, what] of Object.entries(change)) {
    if (what === null) continue
    const key = name === 'curves' || name === 'parts' ? 'id' : 'name'
    if (typeof what !== 'object' || !('rows' in what)) out[name] = what
    else out[name] = mergedRows((out[name] as Row[] | undefined) ?? [], what, key)
  }
  return out as unknown as Document
}

type Row = Record<string, unknown>

function mergedRows(rows: readonly Row[], change: Rows, key: 'id' | 'name'): Row[] {
  return inOrder(rows, change.rows as Row[], (r) => r[key] as string, change.order)
}

/** Rows with new ones in the place of old ones; in the order of all keys, where that is given. */
function inOrder<T>(
  rows: readonly T[],
  fresh: readonly T[],
  key: (row: T) => string,
  order: readonly string[] | null | undefined,
): T[] {
  const now = new Map(fresh.map((r) => [key(r), r]))
  if (!order) {
    const there = new Set(rows.map(key))
    return [...rows.map((r) => now.get(key(r)) ?? r), ...fresh.filter((r) => !there.has(key(r)))]
  }
  const before = new Map(rows.map((r) => [key(r), r]))
  return order.map((k) => now.get(k) ?? before.get(k)).filter((r): r is T => r !== undefined)
}
