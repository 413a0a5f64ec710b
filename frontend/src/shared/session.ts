import { create } from 'zustand'
import { ApiError, Offline, api } from './api/client'
import type { BenchChanges, BenchView, Edit, PartView } from './api/client'
import { isChanges, partsOf, withChanges } from './changes'
import { describe, targetOf, withFollowers } from './following'
import type { Change, Target } from './following'

interface Session {
  id: string | null
  bench: BenchView | null
  /** a state worked out but not kept, while something is dragged */
  preview: BenchView | null
  /** the edit that the preview shows */
  previewed: Edit | null
  /** why a preview is not worked out: too much for a drag */
  heavy: string | null
  /** the drawing data that stood before the drag, for the outline before the change */
  before: Record<string, string | null>
  change: Change | null
  connection: 'here' | 'lost'
  waiting: number
  progress: { part: string; step: string; fraction: number } | null
  failure: string | null
  busy: boolean
}

export const useSession = create<Session>(() => ({
  id: null,
  bench: null,
  preview: null,
  previewed: null,
  heavy: null,
  before: {},
  change: null,
  connection: 'here',
  waiting: 0,
  progress: null,
  failure: null,
  busy: false,
}))

export const author = Math.random().toString(36).slice(2, 12)

const { getState, setState } = useSession

/** The parts as they are to be shown: of a preview where there is one, else of the bench. */
export function shownParts(s: Session): readonly PartView[] {
  const parts = s.bench?.parts ?? []
  if (!s.preview) return parts
  const previewed = s.preview.parts
  const there = parts.map((p) => previewed.find((q) => q.part === p.part) ?? p)
  // a part that is only being placed is not on the bench yet
  return [...there, ...previewed.filter((q) => !parts.some((p) => p.part === q.part))]
}

let toast: (text: string, kind: 'error' | 'info') => void = () => undefined

/** Say where short messages go. */
export function onMessage(show: typeof toast): void {
  toast = show
}

export function say(text: string, kind: 'error' | 'info' = 'info'): void {
  toast(text, kind)
}

function adopt(answer: BenchView | BenchChanges): void {
  const now = getState().bench
  let bench: BenchView
  if (isChanges(answer)) {
    // told against a revision that is not shown: all of it is asked for
    if (now?.revision !== answer.base) {
      void refresh()
      return
    }
    bench = withChanges(now, answer)
  } else bench = answer
  // the last good body of a part stays until the new one is there
  if (now?.id === bench.id)
    bench = { ...bench, parts: partsOf(bench.document, now.parts, bench.parts) }
  document.title = `${bench.document.name} · Jukai`
  setState({ bench, failure: null, ...(bench.waiting.length === 0 && { progress: null }) })
  if (bench.waiting.length) void askForBodies()
}

let askingForBodies = false

/** Ask for the bodies that were not ready; again when the server tells of them, and now and then, should it not. */
async function askForBodies(): Promise<void> {
  if (askingForBodies) return
  askingForBodies = true
  let pause = 1500
  try {
    const { id, bench } = getState()
    if (!id || !bench?.waiting.length) return
    const found = await api.parts(id, bench.waiting)
    const now = getState().bench
    if (now?.id !== bench.id || now.revision !== found.revision) {
      pause = 50 // an edit came between: what was told is of another revision
      return
    }
    const parts = partsOf(now.document, now.parts, found.parts)
    const { waiting, stopped, measures } = found
    const done = waiting.length === 0
    setState({
      bench: { ...now, parts, waiting, stopped, measures },
      ...(done && { progress: null }),
    })
    describeChange()
  } catch (e) {
    if (e instanceof Offline) fail(e)
  } finally {
    askingForBodies = false
    if (getState().bench?.waiting.length) window.setTimeout(() => void askForBodies(), pause)
  }
}

// -- opening and following -------------------------------------------------------------------
let close: () => void = () => undefined

/** Open a bench and follow what other windows do to it. */
export async function open(id: string): Promise<void> {
  close()
  setState({ id, bench: null, preview: null, change: null, failure: null, before: {} })
  close = api.listen(id, {
    event: (e) => {
      if (e.kind === 'head' && e.author !== author && e.revision !== getState().bench?.revision)
        void refresh()
      if (e.kind === 'progress' && getState().bench?.waiting.includes(e.part))
        setState({ progress: e })
      if (e.kind === 'bodies' && e.revision === getState().bench?.revision) void askForBodies()
    },
    open: () => void again(),
    // the stream ends when the server does: the page says so before something is asked
    lost: () => {
      if (getState().connection === 'here') void refresh()
    },
  })
  await refresh()
}

export function leave(): void {
  close()
  setState({ id: null, bench: null, preview: null, change: null })
}

/** Have what was stopped worked out after all. */
export function goOn(): void {
  const id = getState().id
  if (!id) return
  api
    .goOn(id)
    .then(refresh)
    .catch((e: unknown) => fail(e))
}

/** Ask for the state of the head. */
export async function refresh(): Promise<void> {
  const id = getState().id
  if (!id) return
  try {
    const bench = await api.bench(id)
    if (getState().id === id) adopt(bench)
  } catch (e) {
    fail(e)
  }
}

/** Tell that a request failed; where the server can't be reached it is tried again until it can. */
export function fail(e: unknown): void {
  if (e instanceof Offline) {
    setState({ connection: 'lost' })
    clearTimeout(trying)
    trying = window.setTimeout(() => void again(), AGAIN)
    return
  }
  const text = e instanceof Error ? e.message : String(e)
  if (!getState().bench) setState({ failure: text })
  else say(text, 'error')
}

/** ms between two looks for a server that can't be reached */
const AGAIN = 1000
let trying = 0

/** Look whether the server is back. It counts as lost until the last edit that waits is kept. */
async function again(): Promise<void> {
  const { connection, id } = getState()
  if (connection !== 'lost' || !id) return
  try {
    const bench = await api.bench(id)
    if (getState().id !== id) return
    adopt(bench)
    if (queue.length > 0) await drain()
    else setState({ connection: 'here' })
  } catch (e) {
    fail(e)
  }
}

// -- edits -----------------------------------------------------------------------------------
interface Waiting {
  send: (base: number, since: number | null) => Promise<BenchView | BenchChanges>
  /** the revision it was first sent upon, once an answer did not come: it may have been kept */
  since: number | null
  /** done again upon a newer state it would be something else */
  once: boolean
  target: Target | null
  done: (error: Error | null) => void
  tries: number
}

/** What the last edit did is told once the body it changed is there. */
let undescribed: { before: BenchView; target: Target } | null = null

function describeChange(): void {
  const now = getState().bench
  if (!undescribed || !now || now.waiting.includes(undescribed.target.part)) return
  const { before, target } = undescribed
  undescribed = null
  // of a part that was stopped the body of before is shown: there is nothing to tell yet
  if (now.stopped.includes(target.part)) return
  setState({ change: describe(before, now, target) })
}

const queue: Waiting[] = []
let draining = false

/** Send what waits, one after the other; nothing is dropped while the server is away. */
async function drain(): Promise<void> {
  if (draining) return
  draining = true
  try {
    for (;;) {
      const first = queue[0]
      const bench = getState().bench
      if (!first || !bench) break
      try {
        setState({ busy: true })
        const before = bench
        const base = first.once ? (first.since ?? bench.revision) : bench.revision
        const after = await first.send(base, first.since)
        queue.shift()
        endPreview()
        adopt(after)
        setState({ change: null, waiting: queue.length })
        undescribed = first.target && { before, target: first.target }
        describeChange()
        first.done(null)
      } catch (e) {
        if (e instanceof Offline) {
          first.since ??= bench.revision
          fail(e)
          break
        }
        if (e instanceof ApiError && e.problem.code === 'stale' && first.tries < 8) {
          first.tries += 1
          await refresh() // the same edit again, upon the newer state
          if (!first.once || first.since === null) continue
          queue.shift() // it may have been done already: what there is now is shown
          first.done(null)
          continue
        }
        queue.shift()
        endPreview()
        first.done(e instanceof Error ? e : new Error(String(e)))
      }
    }
  } finally {
    draining = false
    const { connection } = getState()
    setState({
      waiting: queue.length,
      busy: false,
      connection: queue.length === 0 ? 'here' : connection,
    })
  }
}

function enqueue(send: Waiting['send'], target: Waiting['target'], once = false): Promise<void> {
  return new Promise((resolve, reject) => {
    const done = (error: Error | null) => {
      if (error) reject(error)
      else resolve()
    }
    queue.push({ send, target, done, tries: 0, since: null, once })
    setState({ waiting: queue.length })
    void drain()
  })
}

/** Do and keep an edit. Errors are told in a message and thrown, unless `quiet`. */
export async function edit(
  e: Edit,
  options: { join?: boolean; quiet?: boolean } = {},
): Promise<void> {
  const id = getState().id
  if (!id) return
  const target = targetOf(getState().bench?.document.parts ?? [], e)
  try {
    await enqueue(
      (base, since) =>
        api.edit(id, {
          base,
          edit: e,
          author,
          join: options.join ?? false,
          ...(since !== null && { since }),
        }),
      target,
    )
  } catch (error) {
    if (!options.quiet) say(error instanceof Error ? error.message : String(error), 'error')
    throw error
  }
}

/** The same, for buttons: errors are told and end there. */
export function doEdit(e: Edit, options: { join?: boolean } = {}): void {
  edit(e, options).catch(() => undefined)
}

export function move(how: 'undo' | 'redo' | 'go-to', revision?: number): void {
  const id = getState().id
  if (!id) return
  enqueue(
    (base) => api.move(id, how, { base, author, revision: revision ?? null }),
    null,
    true,
  ).catch((e: unknown) => fail(e))
}

// -- previews --------------------------------------------------------------------------------
let wanted: { edit: Edit; parts: readonly string[] | null; at: number; told: boolean } | null = null
/** ms after which the hand rests, so that what is only told is asked for too */
const RESTS = 250
let resting = 0
let asking = false
let dragging = 0

/** Begin something that previews; what stands now is the state before the change. */
export function beginPreview(): void {
  dragging += 1
  const before: Record<string, string | null> = {}
  for (const p of getState().bench?.parts ?? []) before[p.part] = p.mesh
  setState({ before, change: null })
}

/** Show an edit without keeping it. The newest wins; at most one is on its way. */
export function preview(e: Edit, part: string | readonly string[] | null): void {
  const parts =
    typeof part === 'string' ? withFollowers(getState().bench?.document.parts ?? [], [part]) : part
  wanted = { edit: e, parts, at: performance.now(), told: false }
  void ask()
  clearTimeout(resting)
  const mine = dragging
  resting = window.setTimeout(() => {
    if (mine !== dragging || wanted) return
    wanted = { edit: e, parts, at: 0, told: true }
    void ask()
  }, RESTS)
}

async function ask(): Promise<void> {
  if (asking) return
  asking = true
  try {
    while (wanted) {
      const { edit: e, parts, at, told } = wanted
      wanted = null
      const { id, bench } = getState()
      if (!id || !bench) return
      const mine = dragging
      try {
        const { changes, meshes } = await api.preview(id, {
          base: bench.revision,
          edit: e,
          author,
          join: false,
          parts: parts ? [...parts] : null,
          held: held(),
          forms: forms(),
          told,
        })
        if (at > 0) performance.measure('ask', { start: at, end: performance.now() })
        if (mine === dragging) {
          receive(meshes)
          // the body is there before anything else is looked at
          swap(changes.parts)
          if (at > 0) performance.measure('swap', { start: at, end: performance.now() })
          // only the parts that were asked for: the others stand as they are
          const preview = { ...withChanges(bench, changes), parts: changes.parts }
          setState({ preview, previewed: e, heavy: null })
        }
      } catch (error) {
        if (error instanceof Offline) fail(error)
        else if (error instanceof ApiError && error.problem.code === 'heavy' && mine === dragging)
          setState({ heavy: error.problem.title })
        // a value that can't be used while dragging: the last good body stays
      }
    }
  } finally {
    asking = false
  }
}

/** Whether a preview is being worked out. */
export const previewComes = (): boolean => asking

let held: () => string[] = () => []
let forms: () => string[] = () => []
let receive: (meshes: ReadonlyMap<string, ArrayBuffer>) => void = () => undefined
let swap: (parts: readonly PartView[]) => void = () => undefined

/** Say which drawing data is there and which forms, where what comes goes, and what puts it in the place of the old. */
export function keepMeshes(o: {
  held: typeof held
  forms: typeof forms
  receive: typeof receive
  swap: typeof swap
}): void {
  held = o.held
  forms = o.forms
  receive = o.receive
  swap = o.swap
}

/** Put back what stood before. */
export function endPreview(): void {
  dragging += 1
  wanted = null
  if (getState().preview || getState().heavy)
    setState({ preview: null, previewed: null, heavy: null })
}
