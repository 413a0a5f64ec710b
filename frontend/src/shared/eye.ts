import type { KeptView } from './api/client'
import { useSection } from './section'
import type { Three } from './section'
import { doEdit, useSession } from './session'
import { useView } from './viewState'

/** The large view's eye, for what stands beside it. */
export interface EyeControl {
  looking: () => { target: Three; around: number; above: number; distance: number }
  look: (at: { target: Three; around: number; above: number; distance: number }) => void
  picture: (width: number, height: number, paper: boolean) => Promise<Blob>
  size: () => { width: number; height: number }
}

let control: EyeControl | null = null

export function setEye(eye: EyeControl | null): void {
  control = eye
}

export function eye(): EyeControl | null {
  return control
}

/** Keep what is seen under a name: the eye, the section, how it is drawn, what is shown. */
export function keepView(name: string): void {
  const bench = useSession.getState().bench
  if (!control || !bench) return
  const view = useView.getState()
  const { target, around, above, distance } = control.looking()
  const out = new Set(view.leftOut)
  for (const p of bench.document.parts ?? [])
    if (p.hidden || (view.only && p.id !== view.only)) out.add(p.id)
  doEdit({
    kind: 'keep_view',
    view: {
      name,
      target: [...target],
      around,
      above,
      distance,
      perspective: view.perspective,
      drawing: view.drawing,
      section: useSection
        .getState()
        .planes.map((p) => ({ normal: [...p.normal], offset: p.offset })),
      judging: judged(view),
      hidden: [...out],
    },
  })
}

type Judged = NonNullable<KeptView['judging']>
type View = ReturnType<typeof useView.getState>

/** The ways to judge a surface that are on, as a kept view names them. */
function judged(view: View): Judged {
  const all: [Judged[number], boolean][] = [
    ['bands', view.bands],
    ['normals', view.normals],
    ['poles', view.poles],
    ['hidden_edges', view.behind],
    ['limit', view.limit === 'sharp'],
    ['rounded_limit', view.limit === 'rounded'],
    ['lights_turn', view.lights === 'eye'],
  ]
  return all.flatMap(([name, on]) => (on ? [name] : []))
}

function judging(of: Judged): Partial<View> {
  return {
    bands: of.includes('bands'),
    normals: of.includes('normals'),
    poles: of.includes('poles'),
    behind: of.includes('hidden_edges'),
    limit: of.includes('rounded_limit') ? 'rounded' : of.includes('limit') ? 'sharp' : 'no',
    lights: of.includes('lights_turn') ? 'eye' : 'stay',
  }
}

/** Look as a kept view does. */
export function goToView(v: KeptView): void {
  if (!control) return
  control.look({
    target: v.target as unknown as Three,
    around: v.around,
    above: v.above,
    distance: v.distance,
  })
  useSection.getState().set({
    planes: (v.section ?? []).map((p) => ({
      normal: p.normal as unknown as Three,
      offset: p.offset,
    })),
    placing: null,
  })
  useView.getState().set({
    perspective: v.perspective ?? true,
    drawing: v.drawing ?? 'shaded_lines',
    ...judging(v.judging ?? []),
    only: null,
    leftOut: (v.hidden ?? []).filter(
      (id) =>
        useSession.getState().bench?.document.parts?.find((p) => p.id === id)?.hidden === false,
    ),
  })
}

export function saveBlob(blob: Blob, name: string): void {
  const link = document.createElement('a')
  link.href = URL.createObjectURL(blob)
  link.download = name
  link.click()
  window.setTimeout(() => URL.revokeObjectURL(link.href), 10_000)
}
