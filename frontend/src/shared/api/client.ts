import createClient from 'openapi-fetch'
import { listen } from './listening'
import type { components, paths } from './schema.gen'

export type Schemas = components['schemas']
export type BenchView = Schemas['BenchView']
export type BenchChanges = Schemas['BenchChanges']
export type PartView = Schemas['PartView']
export type PickView = Schemas['PickView']
export type MaskView = Schemas['MaskView']
export type StepView = Schemas['StepView']
export type CalloutView = Schemas['CalloutView']
export type CurveView = Schemas['CurveView']
export type NumberView = Schemas['NumberView']
export type OperatorView = Schemas['OperatorView']
export type ValueView = Schemas['ValueView']
export type SoundnessView = Schemas['SoundnessView']
export type BakedView = Schemas['BakedView']
export type BenchItem = Schemas['BenchItem']
export type HistoryItem = Schemas['HistoryItem']
export type Problem = Schemas['Problem']
export type Edit = Schemas['EditIn']['edit']
export type Step = Schemas['Step']
export type Part = Schemas['Part']
export type Curve = Schemas['Curve']
export type Placement = Schemas['Placement']
export type KeptView = Schemas['KeptView']
export type ClearanceRow = Schemas['ClearanceRow']
export type Solved = Schemas['SolvedView']

/** An answer of the server that says what is wrong and what would work. */
export class ApiError extends Error {
  readonly problem: Problem
  constructor(problem: Problem) {
    super(problem.hint ? `${problem.title} ${problem.hint}` : problem.title)
    this.problem = problem
  }
}

/** The server can't be reached. */
export class Offline extends Error {
  constructor() {
    super('The server can’t be reached.')
  }
}

declare global {
  /** What was asked for before the page's own code was there (public/look.js), by its path. */
  var early: Map<string, Promise<Response>> | undefined
}

/** Take an answer that was asked for early, once; else ask for it. */
export function asked(request: Request): Promise<Response> {
  const { pathname, search } = new URL(request.url)
  const found = request.method === 'GET' && !search ? globalThis.early?.get(pathname) : undefined
  if (found) globalThis.early?.delete(pathname)
  return found ?? fetch(request)
}

const http = createClient<paths>({ baseUrl: '/', fetch: asked })

async function answer<T>(
  call: Promise<{ data?: T; error?: unknown; response: Response }>,
): Promise<T> {
  let result
  try {
    result = await call
  } catch (e) {
    if (e instanceof DOMException && e.name === 'AbortError') throw e
    throw new Offline()
  }
  if (result.data !== undefined) return result.data
  throw asError(result.error, result.response.status)
}

function asError(body: unknown, status: number): ApiError {
  if (typeof body === 'object' && body !== null && 'title' in body)
    return new ApiError(body as Problem)
  return new ApiError({
    type: 'about:blank',
    title: `The server answered ${status}.`,
    status,
    code: 'http',
    fields: [],
  })
}

async function raw(path: string, body: Blob, init?: RequestInit): Promise<unknown> {
  let response: Response
  try {
    response = await fetch(path, {
      method: 'POST',
      body,
      headers: { 'Content-Type': 'application/octet-stream' },
      ...init,
    })
  } catch {
    throw new Offline()
  }
  const data: unknown = await response.json().catch(() => null)
  if (!response.ok) throw asError(data, response.status)
  return data
}

const at = (bench: string) => ({ params: { path: { bench } } })

async function bytes(address: string): Promise<ArrayBuffer> {
  let response: Response
  try {
    response = await fetch(address)
  } catch {
    throw new Offline()
  }
  if (!response.ok) throw asError(await response.json().catch(() => null), response.status)
  return response.arrayBuffer()
}

/** Only what changed, and bodies that are ready in a moment; the others are told of when they are. */
const LITTLE = { Prefer: 'return=minimal, wait=0.25' }

/** An answer, and drawing data by its hash: views on the bytes that came. */
export interface Packet {
  changes: BenchChanges
  meshes: ReadonlyMap<string, ArrayBuffer>
}

/** Read what `packet` of the server writes: a length, the answer, then bodies, each at a multiple of 8 bytes. */
export function readPacket(bytes: ArrayBuffer): Packet {
  const length = new DataView(bytes).getUint32(0, true)
  const text = new TextDecoder().decode(new Uint8Array(bytes, 8, length))
  const changes = JSON.parse(text) as BenchChanges & { meshes: [string, number][] }
  const up = (n: number) => Math.ceil(n / 8) * 8
  let from = 8 + up(length)
  const meshes = new Map<string, ArrayBuffer>()
  for (const [digest, size] of changes.meshes) {
    meshes.set(digest, bytes.slice(from, from + size))
    from += up(size)
  }
  return { changes, meshes }
}

/** A file that the server makes: its name and its bytes. */
async function file(address: string, type: string): Promise<{ name: string; data: Blob }> {
  const response = await fetch(address).catch(() => {
    throw new Offline()
  })
  if (!response.ok) throw asError(await response.json().catch(() => null), response.status)
  const named = /filename\*=UTF-8''([^;]+)/.exec(response.headers.get('Content-Disposition') ?? '')
  const data = new Blob([await response.arrayBuffer()], { type })
  return { name: decodeURIComponent(named?.[1] ?? 'drawing'), data }
}

export const api = {
  operators: () => answer(http.GET('/api/operators')),
  benches: () => answer(http.GET('/api/benches')),
  newBench: (name: string) => answer(http.POST('/api/benches', { body: { name, demo: false } })),
  newDemo: () => answer(http.POST('/api/benches', { body: { name: 'Demo', demo: true } })),
  openFile: (file: Blob) => raw('/api/benches/open', file) as Promise<Schemas['BenchId']>,
  duplicate: (bench: string) => answer(http.POST('/api/benches/{bench}/duplicate', at(bench))),
  emptyRemoved: () => answer(http.POST('/api/benches/empty', {})),
  remove: (bench: string) => answer(http.DELETE('/api/benches/{bench}', at(bench))),
  restore: (bench: string) => answer(http.POST('/api/benches/{bench}/restore', at(bench))),
  fileAddress: (bench: string) => `/api/benches/${bench}/file`,

  bench: (bench: string) =>
    answer(http.GET('/api/benches/{bench}', { ...at(bench), headers: { Prefer: 'wait=1' } })),
  parts: (bench: string, ids: readonly string[]) =>
    answer(
      http.GET('/api/benches/{bench}/parts', {
        params: { path: { bench }, query: { ids: ids.join(',') } },
      }),
    ),
  edit: (bench: string, body: Schemas['EditIn']) =>
    answer(http.POST('/api/benches/{bench}/edits', { ...at(bench), body, headers: LITTLE })),
  /** What an edit would change; drawing data that is not held comes with it. */
  preview: async (bench: string, body: Schemas['PreviewIn']) => {
    let response: Response
    try {
      response = await fetch(`/api/benches/${bench}/preview`, {
        method: 'POST',
        body: JSON.stringify(body),
        headers: { 'Content-Type': 'application/json', Accept: 'application/octet-stream' },
      })
    } catch {
      throw new Offline()
    }
    if (!response.ok) throw asError(await response.json().catch(() => null), response.status)
    return readPacket(await response.arrayBuffer())
  },
  move: (bench: string, how: 'undo' | 'redo' | 'go-to', body: Schemas['MoveIn']) =>
    answer(http.POST(`/api/benches/{bench}/${how}`, { ...at(bench), body, headers: LITTLE })),
  estimate: (bench: string, body: Schemas['EditIn']) =>
    answer(http.POST('/api/benches/{bench}/estimate', { ...at(bench), body })),
  clearance: (bench: string, body: Schemas['ClearanceIn']) =>
    answer(http.POST('/api/benches/{bench}/clearance', { ...at(bench), body })),
  solve: (bench: string, body: Schemas['SolveIn']) =>
    answer(http.POST('/api/benches/{bench}/solve', { ...at(bench), body })),
  stop: (bench: string) => answer(http.POST('/api/benches/{bench}/stop', at(bench))),
  goOn: (bench: string) => answer(http.POST('/api/benches/{bench}/go-on', at(bench))),
  history: (bench: string) => answer(http.GET('/api/benches/{bench}/history', at(bench))),
  nameRevision: (bench: string, revision: number, name: string | null) =>
    answer(
      http.POST('/api/benches/{bench}/revision-name', { ...at(bench), body: { revision, name } }),
    ),
  lookHere: (bench: string, part: string, step: string) =>
    answer(
      http.GET('/api/benches/{bench}/parts/{part}/after/{step}', {
        params: { path: { bench, part, step } },
      }),
    ),
  before: (bench: string) => answer(http.GET('/api/benches/{bench}/before', at(bench))),
  upload: (bench: string, name: string, file: Blob) =>
    raw(`/api/benches/${bench}/uploads?name=${encodeURIComponent(name)}`, file) as Promise<
      Schemas['UploadView']
    >,

  /** The curves of a drawing; nothing is kept. */
  readCurves: (name: string, file: Blob) =>
    raw(`/api/curves/uploads?name=${encodeURIComponent(name)}`, file) as Promise<
      Schemas['ReadCurves']
    >,

  pick: (bench: string, part: string, step: string, key: string) =>
    answer(
      http.GET('/api/benches/{bench}/parts/{part}/picks/{step}/{key}', {
        params: { path: { bench, part, step, key } },
      }),
    ),
  mask: (bench: string, part: string, step: string, key: string) =>
    answer(
      http.GET('/api/benches/{bench}/parts/{part}/masks/{step}/{key}', {
        params: { path: { bench, part, step, key } },
      }),
    ),
  outlines: (body: Schemas['OutlinesIn']) => answer(http.POST('/api/outlines', { body })),
  /** A drawing sheet as a file: its name and bytes. */
  sheet: (bench: string, query: Record<string, string>) =>
    file(
      `/api/benches/${bench}/sheet?${new URLSearchParams(query).toString()}`,
      query['format'] === 'pdf' ? 'application/pdf' : 'image/svg+xml',
    ),
  pictureAddress: (bench: string, file: string) =>
    `/api/benches/${bench}/pictures/${encodeURIComponent(file)}`,
  curveFile: (bench: string, curve: string, format: 'svg' | 'dxf') =>
    file(
      `/api/benches/${bench}/curves/${curve}/file?format=${format}`,
      format === 'svg' ? 'image/svg+xml' : 'image/vnd.dxf',
    ),
  measure: (body: Schemas['MeasureIn']) => answer(http.POST('/api/measure', { body })),
  section: (body: Schemas['SectionIn']) => answer(http.POST('/api/section', { body })),
  soundness: (digest: string) =>
    answer(http.GET('/api/meshes/{digest}/soundness', { params: { path: { digest } } })),
  handover: (bench: string) => answer(http.GET('/api/benches/{bench}/handover', at(bench))),
  bake: (bench: string, part: string) =>
    answer(
      http.POST('/api/benches/{bench}/parts/{part}/bake', { params: { path: { bench, part } } }),
    ),
  unbake: (bench: string, baked: number) =>
    answer(
      http.DELETE('/api/benches/{bench}/handover/{baked}', { params: { path: { bench, baked } } }),
    ),
  downloadAddress: (bench: string, ids: readonly number[], options: Record<string, string>) =>
    `/api/benches/${bench}/handover/file?${new URLSearchParams({ ids: ids.join(','), ...options }).toString()}`,

  mesh: (digest: string) => bytes(`/api/meshes/${digest}`),
  subdivided: (digest: string, rounded: boolean) =>
    bytes(`/api/meshes/${digest}/subdivided?rounded=${rounded}`),
  strips: (digest: string) => bytes(`/api/meshes/${digest}/strips`),
  outline: (digest: string) => bytes(`/api/meshes/${digest}/outline`),
  holes: (digest: string, operator: string, scale: number) =>
    answer(
      http.GET('/api/meshes/{digest}/holes', {
        params: { path: { digest }, query: { operator, scale } },
      }),
    ),
  marks: (digest: string) =>
    answer(http.GET('/api/meshes/{digest}/marks', { params: { path: { digest } } })),
  elements: (digest: string) => bytes(`/api/meshes/${digest}/elements`),

  listen,
}
