// @vitest-environment jsdom
import { afterEach, beforeEach, expect, test, vi } from 'vitest'
import { ApiError, Offline } from './api/client'
import type { BenchChanges, BenchView, Edit, PartView } from './api/client'

const PARTS = ['n0', 'n1', 'n2']

/**
 * A server that keeps edits as the real one does, goes away now and then, and loses answers. A part's
 * body is made from the number of its name and is there a while after an edit of it.
 */
class Server {
  documents: { values: Record<string, number>; parent: number; edit: string }[] = [
    { values: {}, parent: 0, edit: '' },
  ]
  head = 1
  up = true
  /** the next requests: whether they arrive, and whether their answers do */
  losses: ('request' | 'answer')[] = []
  ready: Record<string, { mesh: string; at: number }> = {}
  hear: { event: (e: unknown) => void; open: () => void; lost: () => void } | null = null

  get now() {
    const found = this.documents[this.head - 1]
    if (!found) throw new Error('no such revision')
    return found
  }
  /** The bodies that are there of some parts, and the parts that are still worked on. */
  bodies(asked = PARTS): { parts: PartView[]; waiting: string[] } {
    const parts: PartView[] = []
    const waiting: string[] = []
    for (const part of PARTS) {
      const mesh = meshOf(this.now.values, part)
      // what an edit does not touch stays as far as it is
      if (this.ready[part]?.mesh !== mesh)
        this.ready[part] = { mesh, at: Date.now() + (Object.keys(this.now.values).length % 3) * 40 }
      if (this.ready[part].at > Date.now()) waiting.push(part)
      else if (asked.includes(part)) parts.push({ part, mesh } as PartView)
    }
    return { parts, waiting }
  }
  changes(base: number): BenchChanges {
    const before = this.documents[base - 1]?.values ?? {}
    const fresh = PARTS.filter((p) => meshOf(before, p) !== meshOf(this.now.values, p))
    return {
      ...this.view(),
      base,
      ...this.bodies(fresh),
      document: { dimensions: this.view().document.dimensions },
      numbers: null,
      measures: null,
    } as unknown as BenchChanges
  }
  view(): BenchView {
    return {
      id: 'b',
      revision: this.head,
      document: {
        name: 'Lamp',
        parts: PARTS.map((id) => ({ id, name: id, recipe: [] })),
        dimensions: Object.entries(this.now.values).map(([name, value]) => ({ name, value })),
      },
      undo: null,
      redo: null,
      numbers: [],
      curves: [],
      measures: [],
      stopped: [],
      milliseconds: 1,
      ...this.bodies(),
    }
  }
  keep(edit: { name: string; value: number }, author = 'other'): void {
    const values = { ...this.now.values, [edit.name]: edit.value }
    this.documents.push({ values, parent: this.head, edit: JSON.stringify(edit) })
    this.head = this.documents.length
    this.hear?.event({ kind: 'head', revision: this.head, author })
  }
  away(): boolean {
    return !this.up
  }
  stale(): ApiError {
    return new ApiError({ type: '', title: 'Stale', status: 409, code: 'stale', fields: [] })
  }
  async request<T>(act: () => T): Promise<T> {
    await new Promise((done) => setTimeout(done, 5))
    const loss = this.losses.shift()
    if (this.away() || loss === 'request') throw new Offline()
    const answer = act()
    await new Promise((done) => setTimeout(done, 5))
    if (this.away() || loss === 'answer') throw new Offline()
    return answer
  }
  edit(body: { base: number; edit: Edit; since?: number }): BenchView | BenchChanges {
    const edit = body.edit as unknown as { name: string; value: number }
    const { since } = body
    if (since !== undefined && this.line().some((r) => r > since && this.is(r, edit)))
      return this.view()
    if (body.base !== this.head) throw this.stale()
    if (edit.value < 0)
      throw new ApiError({ type: '', title: 'No', status: 422, code: 'value', fields: [] })
    this.keep(edit, session.author)
    return this.changes(body.base)
  }
  is = (r: number, edit: object) => this.documents[r - 1]?.edit === JSON.stringify(edit)
  line(): number[] {
    const out = []
    for (let r = this.head; r > 0; r = this.documents[r - 1]?.parent ?? 0) out.push(r)
    return out
  }
  move(base: number): BenchView {
    if (base !== this.head) throw this.stale()
    this.head = this.now.parent || 1
    return this.view()
  }
}

const meshOf = (values: Record<string, number>, part: string) => `${part} ${values[part] ?? 0}`

const at = vi.hoisted((): { server: unknown } => ({ server: null }))
const server = () => at.server as Server

vi.mock('./api/client', async (actual) => ({
  ...(await actual<object>()),
  api: {
    bench: () => server().request(() => server().view()),
    edit: (_: string, body: never) => server().request(() => server().edit(body)),
    move: (_: string, __: string, body: { base: number }) =>
      server().request(() => server().move(body.base)),
    parts: (_: string, asked: string[]) =>
      server().request(() => ({
        ...server().view(),
        ...server().bodies(asked),
      })),
    listen: (_: string, on: Server['hear']) => {
      server().hear = on
      return () => undefined
    },
  },
}))

const session = await import('./session')
const state = session.useSession.getState
const what = (b: BenchView | null) => [b?.revision, b?.document.dimensions, b?.parts, b?.waiting]
const shown = () => what(state().bench)
const stored = () => what(server().view())
const set = (name: string, value: number): Edit =>
  ({ kind: 'set_dimension', name, value }) as unknown as Edit

beforeEach(async () => {
  vi.useFakeTimers()
  at.server = new Server()
  const opening = session.open('b')
  await vi.advanceTimersByTimeAsync(50)
  await opening
})

afterEach(async () => {
  server().up = true
  server().losses = []
  await vi.advanceTimersByTimeAsync(20_000)
  session.leave()
  vi.useRealTimers()
})

test('edits made while the server is away are kept, all of them and in their order', async () => {
  server().up = false
  for (const [name, value] of [['width', 3], ['depth', 4], ['width', 5]] as const)
    session.doEdit(set(name, value)) // prettier-ignore
  await vi.advanceTimersByTimeAsync(30)
  expect([state().connection, state().waiting]).toEqual(['lost', 3])
  await vi.advanceTimersByTimeAsync(60_000)
  server().up = true
  const waits: [string, number][] = []
  session.useSession.subscribe((s) => waits.push([s.connection, s.waiting]))
  await vi.advanceTimersByTimeAsync(2000) // it is back for two seconds at most until the page is too
  expect([state().connection, state().waiting]).toEqual(['here', 0])
  expect(waits.filter(([connection, waiting]) => connection === 'here' && waiting > 0)).toEqual([])
  expect(server().now.values).toEqual({ width: 5, depth: 4 })
  expect(shown()).toEqual(stored())
})

test('that the server is gone is said before something is asked, and that it is back', async () => {
  server().up = false
  server().hear?.lost()
  await vi.advanceTimersByTimeAsync(30)
  expect(state().connection).toBe('lost')
  server().up = true
  await vi.advanceTimersByTimeAsync(2000)
  expect(state().connection).toBe('here')
})

test.each(['request', 'answer'] as const)('a lost %s does nothing twice', async (loss) => {
  session.doEdit(set('width', 3))
  await vi.advanceTimersByTimeAsync(50)
  session.doEdit(set('width', 4))
  await vi.advanceTimersByTimeAsync(50)
  server().losses = [loss]
  session.move('undo')
  await vi.advanceTimersByTimeAsync(3000)
  expect(server().now.values).toEqual({ width: 3 })
  server().losses = [loss]
  session.doEdit(set('depth', 1))
  await vi.advanceTimersByTimeAsync(3000)
  expect(server().documents).toHaveLength(4)
  expect(shown()).toEqual(stored())
})

test('random edits, undos, other windows, lost requests and answers, restarts: at rest what is shown is what is stored', async () => {
  let seed = 5
  const chance = (n: number) => {
    seed = (seed * 1_103_515_245 + 12_345) % 2_147_483_648
    return Math.floor((seed / 2_147_483_648) * n)
  }
  let next = 0
  const refused: string[] = []
  for (let round = 0; round < 60; round += 1) {
    const mine: number[] = []
    for (let i = 0; i < 8; i += 1) {
      const what = chance(12)
      if (what < 6) {
        next += 1
        mine.push(next)
        session.doEdit(set(`n${chance(3)}`, next))
      } else if (what === 6)
        session.edit(set('n0', -1), { quiet: true }).catch(() => refused.push('x'))
      else if (what === 7) session.move('undo')
      else if (what === 8) server().keep({ name: `o${chance(2)}`, value: (next += 1) })
      else if (what === 9) server().losses.push(chance(2) ? 'request' : 'answer')
      else if (what === 10) {
        server().up = false
        server().hear?.lost()
      } else server().up = true
      await vi.advanceTimersByTimeAsync(chance(40))
    }
    server().up = true
    server().losses = []
    await vi.advanceTimersByTimeAsync(8000)
    expect(state().waiting).toBe(0)
    expect(state().connection).toBe('here')
    expect(shown()).toEqual(stored())
    for (const value of mine) {
      const kept = server().documents.filter((d) => d.edit.endsWith(`:${value}}`))
      expect(kept, `edit ${value}`).toHaveLength(1)
    }
  }
  expect(refused.length).toBeGreaterThan(10)
})
