import { freeId } from './format'
import { api } from './api/client'
import type { Curve, Edit, OperatorView, Step, ValueView } from './api/client'
import { operatorOf } from './operators'
import { liveCopy, partOf } from './parts'
import { PLACE } from './placement'
import { fits, freeCurve, startingCurve, startingCurves } from './startingCurves'
import { doEdit, edit, say, useSession } from './session'
import { useView } from './viewState'

/** Add an operator: a change goes into the chosen part's recipe, a blank begins a part of its own. */
export function addOperator(o: OperatorView): void {
  const { bench } = useSession.getState()
  const view = useView.getState()
  if (!bench) return
  if (o.kind === 'blank') {
    if (o.id === 'imported') chooseFile((name, file) => void addImport(name, file))
    else if (o.id === 'copy_of') followChosen()
    else if (o.values.some((v) => v.kind === 'parts' && v.required)) void addOfParts(o)
    else if (o.placing) view.set({ placing: o.id, lookAt: null, board: null, only: null })
    else void addBlank(o)
    return
  }
  const part = bench.document.parts?.find((p) => p.id === view.part)
  if (!part) {
    say(`${o.name} works on a part. Begin with a shape: box, cylinder or a turned profile.`, 'info')
    return
  }
  const step = freeId(
    's',
    part.recipe.map((s) => s.id),
  )
  const after = view.insertAfter ?? part.recipe.at(-1)?.id ?? null
  const begun = startingCurves(o, bench.document.curves, bench.document.floor ?? 100)
  const before = part.recipe.find((s) => s.id === after)
  const values = { ...startingPick(o, before), ...begun.values }
  edit({
    kind: 'add_step',
    part: part.id,
    step,
    operator: o.id,
    values,
    after,
    curves: begun.curves,
  })
    .then(() => view.set({ step, insertAfter: null }))
    .catch(() => undefined)
}

/** What a step that pulls faces begins with: those that the step before it has moved, or made as its end. */
function startingPick(o: OperatorView, before: Step | undefined): Record<string, unknown> {
  const pick = o.values.find((v) => v.kind === 'pick' && v.of[0] === 'faces')
  const left = before && operatorOf(before.operator)?.groups
  const name = ['tops', 'end_cap', 'top'].find((g) => left?.includes(g))
  return pick && before && name ? { [pick.key]: { rule: 'group', step: before.id, name } } : {}
}

function followChosen(): void {
  const part = partOf(useView.getState().part)
  if (part) liveCopy(part)
  else say('A live copy follows a part: choose one first.')
}

/** A shape that is made of parts takes those that are chosen; they are hidden with it, for it shows them all. */
async function addOfParts(o: OperatorView): Promise<void> {
  const { part: main, also } = useView.getState()
  const doc = useSession.getState().bench?.document
  const chosen = [...also, ...(main ? [main] : [])]
  const all = (doc?.parts ?? []).filter((p) => !p.hidden && !p.reference).map((p) => p.id)
  const parts = chosen.length > 1 ? all.filter((id) => chosen.includes(id)) : all
  const key = o.values.find((v) => v.kind === 'parts')?.key
  if (!parts.length || !key) {
    say(`${o.name} works on parts: make some first.`, 'info')
    return
  }
  const part = freeId('p', doc?.parts?.map((p) => p.id) ?? [])
  try {
    await edit({
      kind: 'add_part',
      part,
      step: 's1',
      name: o.name,
      operator: o.id,
      values: { [key]: parts },
      finish: doc?.finishes?.[0]?.name ?? null,
      reference: false,
      hides: parts,
    })
    useView.getState().set({ part, also: [], step: 's1', board: null })
  } catch {
    // told already
  }
}

async function addBlank(o: OperatorView): Promise<void> {
  const { bench } = useSession.getState()
  const doc = bench?.document
  const part = freeId('p', doc?.parts?.map((p) => p.id) ?? [])
  const e: Extract<Edit, { kind: 'add_part' }> = {
    kind: 'add_part',
    part,
    step: 's1',
    name: o.name === 'Turn' ? 'Turned part' : o.name,
    operator: o.id,
    values: {},
    finish: doc?.finishes?.[0]?.name ?? null,
    reference: false,
  }
  const begun = startingCurves(o, doc?.curves, doc?.floor ?? 100)
  if (begun.curves.length) {
    e.curves = begun.curves
    e.values = begun.values
  }
  await edit(e)
  useView.getState().set({ part, step: 's1', board: begun.curves[0]?.id ?? null })
}

/** Draw a curve for a value of a step, and open it on the board; `besides` are values that are set with it. */
export function drawNew(
  part: string,
  step: string,
  spec: ValueView,
  besides: Record<string, unknown> = {},
): void {
  const { bench } = useSession.getState()
  if (!bench) return
  const { curves, floor } = bench.document
  const curve = startingCurve(spec, freeCurve(curves), floor ?? 100)
  edit({ kind: 'add_curve', curve, taken_by: { part, step, key: spec.key, besides } })
    .then(() => useView.getState().set({ board: curve.id, graph: null }))
    .catch(() => undefined)
}

/** Take the curves of an SVG or DXF drawing; the first that will do is taken by the value of the step. */
export function drawFromFile(part: string, step: string, spec: ValueView): void {
  chooseFile((name, file) => {
    api
      .readCurves(name, file)
      .then(async ({ curves }) => {
        const known = useSession.getState().bench?.document.curves ?? []
        const named: Curve[] = []
        for (const c of curves) named.push({ ...c, id: freeCurve([...known, ...named]) })
        const first = named.findIndex((c) => fits(c, spec)) // an open one can still be closed
        const closed = named.findIndex((c) => fits(c, spec) && c.closed)
        const at = spec.of.includes('closed') && closed >= 0 ? closed : first
        const curve = named[at]
        if (!curve) {
          say(`${name} has paths in space alone; a profile is wanted here.`, 'error')
          return
        }
        await edit({
          kind: 'add_curve',
          curve,
          others: named.filter((_, i) => i !== at),
          taken_by: { part, step, key: spec.key, besides: {} },
        })
        useView.getState().set({ board: curve.id, graph: null })
        if (named.length > 1)
          say(`${String(named.length)} curves came with ${name}; ${curve.name} is taken here.`)
      })
      .catch((e: unknown) => say(e instanceof Error ? e.message : String(e), 'error'))
  }, '.svg,.dxf')
}

/** Set a mesh beside the parts, only to fit against: it is never changed and not chosen by accident. */
export function addReference(): void {
  chooseFile((name, file) => void addImport(name, file, true))
}

async function addImport(name: string, file: File, reference = false): Promise<void> {
  const { bench, id } = useSession.getState()
  if (!id || !bench) return
  try {
    const held = await api.upload(id, name, file)
    const part = freeId('p', bench.document.parts?.map((p) => p.id) ?? [])
    await edit({
      kind: 'add_part',
      part,
      step: 's1',
      name: name.replace(/\.[^.]+$/, ''),
      operator: 'imported',
      values: { file: held.file },
      reference,
    })
    useView.getState().set({ part, step: 's1' })
    const size = held.size.map((x) => Number(x.toPrecision(4))).join(' × ')
    if (!held.has_units)
      say(
        `${held.file} has no unit of its own: ${size} is taken as mm with Z up. Both can be changed in its sentence.`,
      )
  } catch (e) {
    say(e instanceof Error ? e.message : String(e), 'error')
  }
}

/** Ask for a mesh file. */
export function chooseFile(
  then: (name: string, file: File) => void,
  accept = '.obj,.stl,.ply,.glb,.off,.3mf',
): void {
  const input = document.createElement('input')
  input.type = 'file'
  input.accept = accept
  input.dataset['testid'] = 'import-input'
  input.hidden = true
  input.onchange = () => {
    const file = input.files?.[0]
    if (file) then(file.name, file)
    input.remove()
  }
  document.body.append(input)
  input.click()
}

/** Remove the chosen step; where a part's place is chosen, the part. */
export function removeChosenStep(): void {
  const { part, step, set } = useView.getState()
  if (step === PLACE) {
    dispatchEvent(new Event('jukai-remove'))
    return
  }
  const recipe =
    useSession.getState().bench?.document.parts?.find((p) => p.id === part)?.recipe ?? []
  const at = recipe.findIndex((s) => s.id === step)
  if (!part || !step || at < 0) return
  doEdit({ kind: 'remove_step', part, step })
  set({ step: recipe[at + 1]?.id ?? recipe[at - 1]?.id ?? null })
}
