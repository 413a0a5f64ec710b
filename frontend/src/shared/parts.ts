import { withFollowers } from './following'
import { namedIn } from './operators'
import type { Part, PartView } from './api/client'
import { freeId } from './format'
import { PLACE, mirrorPlane, oneMore } from './placement'
import { doEdit, edit, say, useSession } from './session'
import { useView } from './viewState'

/** What is done with whole parts: choosing, copying, removing. */

export function partOf(id: string | null): Part | undefined {
  return useSession.getState().bench?.document.parts?.find((p) => p.id === id)
}

export function viewOf(id: string | null): PartView | undefined {
  return useSession.getState().bench?.parts.find((p) => p.part === id)
}

/** All chosen parts, the one whose recipe is shown first. */
export function chosenParts(): string[] {
  const { part, also } = useView.getState()
  return part ? [part, ...also.filter((p) => p !== part)] : []
}

/** Choose a part in list or view; `more` adds it to those that are chosen, or takes it out. */
export function choosePart(id: string, more = false): void {
  const view = useView.getState()
  const chosen = chosenParts()
  if (more && view.part) {
    const left = chosen.filter((p) => p !== id)
    // the one chosen last is the main one; the last one left stays chosen
    const now = left.length === chosen.length ? [id, ...left] : left
    if (now.length) view.set({ part: now[0] ?? null, also: now.slice(1), step: PLACE })
    return
  }
  const keep = view.step === PLACE
  view.set({
    part: id,
    also: [],
    step: keep ? PLACE : (partOf(id)?.recipe.at(-1)?.id ?? null),
    lookAt: null,
    board: null,
    spots: [],
  })
}

function freeParts(): string[] {
  return useSession.getState().bench?.document.parts?.map((p) => p.id) ?? []
}

function curveIds(part: Part): Record<string, string> {
  const taken = new Set(useSession.getState().bench?.document.curves?.map((c) => c.id) ?? [])
  const out: Record<string, string> = {}
  for (const s of part.recipe) {
    for (const c of namedIn(s, 'curve'))
      if (!out[c]) {
        out[c] = freeId('c', taken)
        taken.add(out[c])
      }
  }
  return out
}

/** A copy with its own numbers, a little beside the first one. */
export function duplicate(part: Part): void {
  const id = freeId('p', freeParts())
  edit({ kind: 'copy_part', part: part.id, copy_id: id, curve_ids: curveIds(part) })
    .then(() => {
      useView.getState().set({ part: id, also: [], step: PLACE, copied: { from: part.id, to: id } })
      say(
        'The copy stands where the first one does. Move it; then it can be duplicated again with the same offset.',
      )
    })
    .catch(() => undefined)
}

/** One more copy, as far from the last one as that is from what it was made from. */
export function duplicateAgain(): void {
  const { copied, set } = useView.getState()
  const last = partOf(copied?.to ?? null)
  const [a, b] = [viewOf(copied?.from ?? null), viewOf(copied?.to ?? null)]
  if (!last || !a || !b) return
  const id = freeId('p', freeParts())
  edit({
    kind: 'copy_part',
    part: last.id,
    copy_id: id,
    curve_ids: curveIds(last),
    placement: oneMore(a, b, last),
  })
    .then(() => set({ part: id, also: [], step: PLACE, copied: { from: last.id, to: id } }))
    .catch(() => undefined)
}

/** A copy that follows what is done to the first one. */
export function liveCopy(part: Part): void {
  const id = freeId('p', freeParts())
  edit({
    kind: 'add_part',
    part: id,
    step: 's1',
    name: part.name,
    operator: 'copy_of',
    values: { part: part.id },
    finish: part.finish ?? null,
    placement: part.placement ?? null,
    reference: false,
  })
    .then(() => {
      useView.getState().set({ part: id, also: [], step: PLACE, copied: { from: part.id, to: id } })
      say(`${part.name} is followed by the copy: what is done to it is done to both.`)
    })
    .catch(() => undefined)
}

/** Its mirror image at a plane of the bench, that follows the first one in all it does, where it stands too. */
export function mirrorCopy(part: Part): void {
  const id = freeId('p', freeParts())
  const plane = mirrorPlane(viewOf(part.id)?.stands ?? null)
  edit({
    kind: 'add_part',
    part: id,
    step: 's1',
    name: part.name,
    operator: 'copy_of',
    values: { part: part.id, mirrored: true, plane },
    finish: part.finish ?? null,
    reference: false,
  })
    .then(() => {
      useView.getState().set({ part: id, also: [], step: 's1' })
      say(
        `Mirrored at the plane ${plane.toUpperCase()} = 0 of the bench; moved or changed, ${part.name} takes its image with it.`,
      )
    })
    .catch(() => undefined)
}

/** The parts that follow others, by id: removing those leaves these without a body. */
export function followersOf(ids: readonly string[]): Part[] {
  const parts = useSession.getState().bench?.document.parts ?? []
  const all = withFollowers(parts, ids).slice(ids.length)
  return all.flatMap((id) => parts.find((p) => p.id === id) ?? [])
}

export function removeParts(ids: readonly string[]): void {
  const [first, ...others] = ids
  if (!first) return
  const rest = freeParts().filter((p) => !ids.includes(p))
  doEdit({ kind: 'remove_part', part: first, others })
  useView.getState().set({ part: rest[0] ?? null, also: [], step: null, pair: null })
}
