import { create } from 'zustand'
import { api } from './api/client'
import type { MaskView, Step } from './api/client'
import { MOST_STROKES, layersOf, pointNormals, readWeights, strokeOf } from './brush'
import type { Brush, Layers, Place } from './brush'
import { closePick, openPick } from './picking'
import { readElements } from './pickRules'
import type { Elements } from './pickRules'
import { edit, say, useSession } from './session'
import { useView } from './viewState'

interface PaintState {
  view: MaskView | null
  elements: Elements | null
  normals: Float32Array | null
  weights: Float32Array | null
  brush: Brush
  /** the mask that was sent last, while the server has not answered: the next stroke is laid on that */
  sent: Layers | null
  failure: string | null
}

/** The mask that is painted: the body that comes to its step, what it weighs, and the brush. */
export const usePaint = create<PaintState>(() => ({
  view: null,
  elements: null,
  normals: null,
  weights: null,
  brush: { how: 'to', to: 1, by: 0.25, even: 10, radius: 0, soft: 0.5 },
  sent: null,
  failure: null,
}))

const CLOSED = { view: null, weights: null, sent: null, failure: null }

export function setBrush(change: Partial<Brush>): void {
  usePaint.setState((s) => ({ brush: { ...s.brush, ...change } }))
}

/** Begin to paint the mask of a step. */
export function openPaint(part: string, step: string, key: string): void {
  closePick()
  usePaint.setState(CLOSED)
  useView
    .getState()
    .set({ painting: { part, step, key }, part, step, lookAt: null, board: null, graph: null })
}

export function closePaint(): void {
  usePaint.setState(CLOSED)
  useView.getState().set({ painting: null })
}

/** Ask the server what the mask that is painted weighs, and on what body. */
export async function loadMask(): Promise<void> {
  const open = useView.getState().painting
  const id = useSession.getState().id
  if (!open || !id) return
  if (!openStep()) {
    closePaint() // the step was undone or taken out
    return
  }
  try {
    const view = await api.mask(id, open.part, open.step, open.key)
    const held = usePaint.getState()
    const same = held.elements?.digest === view.mesh
    const elements =
      same && held.elements ? held.elements : readElements(view.mesh, await api.elements(view.mesh))
    if (useView.getState().painting !== open || useSession.getState().waiting > 0) return
    const normals = same && held.normals ? held.normals : pointNormals(elements)
    const { brush } = held
    usePaint.setState({
      view,
      elements,
      normals,
      weights: readWeights(view.weights),
      sent: null,
      failure: null,
      brush: same && brush.radius > 0 ? brush : { ...brush, radius: fit(elements) },
    })
  } catch (e) {
    usePaint.setState({ failure: e instanceof Error ? e.message : String(e) })
  }
}

/** A radius to begin with: an eighth of the body's size, in one digit. */
function fit(e: Elements): number {
  const low = [Infinity, Infinity, Infinity]
  const high = [-Infinity, -Infinity, -Infinity]
  e.points.forEach((x, i) => {
    low[i % 3] = Math.min(low[i % 3] ?? x, x)
    high[i % 3] = Math.max(high[i % 3] ?? x, x)
  })
  const size = Math.max(...[0, 1, 2].map((k) => (high[k] ?? 0) - (low[k] ?? 0)))
  return Number((size / 8).toPrecision(1))
}

function openStep(): { step: Step; key: string; part: string } | null {
  const open = useView.getState().painting
  const step = useSession
    .getState()
    .bench?.document.parts?.find((p) => p.id === open?.part)
    ?.recipe.find((s) => s.id === open?.step)
  return open && step ? { step, key: open.key, part: open.part } : null
}

/** The mask that is painted, as layers, as it is or is going to be. */
export function paintedLayers(): Layers | null {
  const open = openStep()
  return open && (usePaint.getState().sent ?? layersOf(open.step.values?.[open.key]))
}

/** Keep other layers; what is shown goes back to what the server has where they can't be kept. */
function keep(layers: Layers): void {
  const open = openStep()
  if (!open) return
  if (layers.strokes.length > MOST_STROKES) {
    say(`A mask has ${MOST_STROKES} strokes at most. Take some back, or begin anew.`, 'error')
    void loadMask()
    return
  }
  usePaint.setState({ sent: layers })
  edit({
    kind: 'set_value',
    part: open.part,
    step: open.step.id,
    key: open.key,
    value: layers,
  }).catch(() => {
    usePaint.setState({ sent: null })
    void loadMask()
  })
}

/** Lay something on the mask: a stroke, a value for a pick, evening all of it out. */
export function layOn(layer: unknown): void {
  const now = paintedLayers()
  if (now) keep({ ...now, strokes: [...now.strokes, layer] })
}

/** Keep a stroke that was painted. */
export function keepStroke(places: readonly Place[], weights: Float32Array): void {
  const { brush } = usePaint.getState()
  usePaint.setState({ weights })
  layOn(strokeOf(brush, places))
}

/** Give points that are picked next a value, or what a formula of the mask makes of it. */
export function givePick(to: string | number): void {
  const open = useView.getState().painting
  const now = paintedLayers()
  if (!open || !now) return
  const at = now.strokes.length
  const given = {
    ...now,
    strokes: [...now.strokes, { pick: { rule: 'by_hand', elements: [] }, to }],
  }
  edit({ kind: 'set_value', part: open.part, step: open.step, key: open.key, value: given })
    .then(() => openPick(open.part, open.step, `${open.key}.strokes.${at}.pick`))
    .catch(() => undefined)
}

/** Begin anew with the same everywhere. */
export function wipe(base: number): void {
  keep({ base, strokes: [] })
}
