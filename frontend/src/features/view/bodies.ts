import { useEffect, useLayoutEffect, useRef, useState } from 'react'
import { api } from '../../shared/api/client'
import type { PartView } from '../../shared/api/client'
import { operatorOf } from '../../shared/operators'
import { keepMeshes, previewComes, refresh, useSession } from '../../shared/session'
import { useView } from '../../shared/viewState'
import { readBody } from './buffers'
import type { BodyData, Form } from './buffers'
import type { Looking } from './camera'
import { BEFORE } from './compare'
import { cornersOf, seeAll } from './layout'
import type { Stage } from './Stage'

type Limit = 'no' | 'sharp' | 'rounded'

const kept = new Map<string, BodyData>()
const MOST_KEPT = 48

/** Puts another body in the place of one that is shown, looking as it looks. */
let inPlace: ((p: PartView, data: BodyData) => void) | null = null

keepMeshes({
  held: () => [...kept.keys()].filter((key) => !key.includes(' ')),
  forms: () => [...forms().keys()],
  receive: (meshes) => {
    for (const [digest, bytes] of meshes) keep(digest, read(digest, bytes))
  },
  swap: (parts) => {
    for (const p of parts) {
      const data = kept.get(p.mesh ?? '')
      if (data && !p.hidden) inPlace?.(p, data)
    }
  },
})

/** The forms of the bodies that are kept, by hash. */
function forms(): Map<string, Form> {
  const found = new Map<string, Form>()
  for (const { form } of kept.values()) if (form) found.set(form.hash, form)
  return found
}

const read = (digest: string, bytes: ArrayBuffer) =>
  readBody(digest, bytes, (hash) => forms().get(hash))

function keep(key: string, data: BodyData): void {
  kept.set(key, data)
  for (const old of kept.keys()) {
    if (kept.size <= MOST_KEPT) break
    kept.delete(old)
  }
}
/** ms after which a hand that drags rests */
const RESTS = 200
const HATCHED_FOR = 1800

async function bodyData(digest: string, limit: Limit = 'no'): Promise<BodyData> {
  const key = limit === 'no' ? digest : `${digest} ${limit}`
  const held = kept.get(key)
  if (held) return held
  const data = read(
    digest,
    await (limit === 'no' ? api.mesh(digest) : api.subdivided(digest, limit === 'rounded')),
  )
  data.limit = limit !== 'no'
  keep(key, data)
  return data
}

const plain = (id: string) => id.replace(BEFORE, '')
const NO_FINISH = { colour: '#b9b4a8', metal: 0, roughness: 0.6, clear: 0, refraction: 1.5 }

interface Framing {
  on: boolean
  bodies: number
  looking: Looking | null
}

/** When a bench is opened its bodies come one by one: all are seen, until the view is turned by hand. */
function seeWhatCame(frame: Framing, stage: Stage, parts: readonly PartView[], bodies: number) {
  if (frame.on && bodies > frame.bodies) {
    if (frame.looking && frame.looking !== stage.looking) frame.on = false
    else seeAll(stage, parts)
    frame.bodies = bodies
    frame.looking = stage.looking
  }
  if (bodies && !useSession.getState().bench?.waiting.length) frame.on = false
}

/** Whether a part lies beside the picture, or reaches far out of it. */
function outOfSight(stage: Stage, part: PartView): boolean {
  const spots = cornersOf(part).map((p) => stage.project(p))
  const inside = spots.filter(
    (s) => s.ahead && s.x >= 0 && s.y >= 0 && s.x <= stage.width && s.y <= stage.height,
  )
  return inside.length < 3
}

/** A part that was just made is seen: all are, where it would come out of sight. */
function seeWhatIsNew(known: Set<string>, stage: Stage, parts: readonly PartView[]): void {
  const fresh = known.size ? parts.filter((p) => p.mesh && !known.has(p.part)) : []
  if (fresh.some((p) => !p.part.startsWith(BEFORE) && outOfSight(stage, p))) seeAll(stage, parts)
}

/** The parts whose bodies stand on the stage. */
const shownOf = (parts: readonly PartView[], only: string | null) =>
  parts.filter((p) => p.mesh && !p.hidden && (!only || plain(p.part) === only))

/** Fetch drawing data and put it on the stage; the old body stays until the new one is there. */
export function useBodies(
  stage: Stage,
  parts: readonly PartView[],
  holder: React.RefObject<HTMLDivElement | null>,
): void {
  const framing = useRef<Framing>({ on: true, bodies: 0, looking: null })
  const known = useRef(new Set<string>())
  const document_ = useSession((s) => (s.preview ?? s.bench)?.document)
  const only = useView((s) => s.only)
  const limit = useView((s) => s.limit)
  const otherwise = useView(
    (s) =>
      s.lookAt !== null ||
      s.picking !== null ||
      s.painting !== null ||
      s.compare !== null ||
      s.only !== null,
  )
  const moving = useSession((s) => s.preview !== null)
  useEffect(() => {
    stage.setMoving(moving)
  }, [stage, moving])
  useEffect(() => {
    stage.strips = (data) =>
      data.limit ? Promise.resolve(null) : api.strips(data.digest).catch(() => null)
    stage.comes = previewComes
    stage.outlines = (data) =>
      data.limit ? Promise.resolve(null) : api.outline(data.digest).catch(() => null)
  }, [stage])
  const meshes = shownOf(parts, only)
    .map((p) => p.mesh)
    .join(' ')
  useLayoutEffect(() => {
    // in the same commit as the state itself, so that who waits sees what is still on its way
    holder.current?.setAttribute('data-due', meshes)
  }, [holder, meshes])
  useEffect(() => {
    stage.setFloor(document_?.floor ?? 100)
    const wanted = shownOf(parts, only)
    let on = true
    const shown = new Map<string, NonNullable<typeof inPlace>>()
    // a body that is looked at otherwise, or was not shown, waits for the page
    inPlace = limit === 'no' && !otherwise ? (p, data) => shown.get(p.part)?.(p, data) : null
    const isReference = (id: string) =>
      document_?.parts?.find((q) => q.id === plain(id))?.reference ?? false
    Promise.all(
      wanted.map(async (p) => ({
        p,
        data: await bodyData(p.mesh ?? '', isReference(p.part) ? 'no' : limit),
      })),
    )
      .then((rows) => {
        if (!on) return
        for (const id of stage.ids()) if (!rows.some((r) => r.p.part === id)) stage.remove(id)
        for (const { p, data } of rows) {
          const doc = document_?.parts?.find((q) => q.id === plain(p.part))
          const look = (name: string | null | undefined) => {
            const f = document_?.finishes?.find((x) => x.name === name)
            if (!f) return null
            return {
              colour: f.colour ?? NO_FINISH.colour,
              metal: f.metal ?? 0,
              roughness: f.roughness ?? 0.5,
              clear: f.clear ?? 0,
              refraction: f.refraction ?? 1.5,
            }
          }
          const own = look(doc?.finish) ?? NO_FINISH
          const as = {
            locked: doc?.locked ?? false,
            through: doc?.transparent ?? false,
            reference: doc?.reference ?? false,
          }
          const others = data.finishes.map((name) => look(name) ?? own)
          stage.show(p.part, data, p.matrix ?? [], own, as, others)
          shown.set(p.part, (q, other) => {
            const theirs = other.finishes.map((name) => look(name) ?? own)
            stage.show(q.part, other, q.matrix ?? [], own, as, theirs)
          })
          stage.setReach(p.part, Math.max(...cornersOf(p).map((c) => c.length())) * 1.5)
        }
        holder.current?.setAttribute('data-shown', wanted.map((p) => p.mesh).join(' '))
        holder.current?.setAttribute('data-limit', limit)
        seeWhatCame(framing.current, stage, parts, rows.length)
        seeWhatIsNew(known.current, stage, wanted)
        known.current = new Set(document_?.parts?.map((p) => p.id))
      })
      .catch(() => {
        if (on) void refresh() // the server was restarted and has forgotten the hash: ask anew
      })
    return () => {
      on = false
    }
  }, [stage, parts, document_, holder, only, limit, otherwise])
}

/** The body that comes to a deforming step: its outline stays while the step is chosen. */
export function useInput(part: string | null, step: string | null): string | null {
  const id = useSession((s) => s.id)
  const revision = useSession((s) => s.bench?.revision)
  const recipe = useSession(
    (s) => s.bench?.document.parts?.find((p) => p.id === part)?.recipe ?? null,
  )
  const [found, setFound] = useState<{ key: string; mesh: string | null } | null>(null)
  const at = recipe?.findIndex((s) => s.id === step) ?? -1
  const deforms = operatorOf(recipe?.[at]?.operator ?? '')?.chapter === 'deforming'
  const before = deforms ? recipe?.slice(0, at).findLast((s) => s.on !== false)?.id : undefined
  const key = id && part && before ? `${id} ${part} ${before} ${revision ?? 0}` : ''
  useEffect(() => {
    if (!key || !id || !part || !before) return
    let on = true
    api
      .lookHere(id, part, before)
      .then((view) => {
        if (on) setFound({ key, mesh: view.mesh })
      })
      .catch(() => undefined)
    return () => {
      on = false
    }
  }, [key, id, part, before])
  return key && found?.key === key ? found.mesh : null
}

/** While something is changed: paper grey, the outline before, hatching; after it a moment longer. What stands `before` it at rest is shown then. */
export function useChanges(stage: Stage, part: PartView | undefined, rest: string | null): void {
  const previewing = useSession((s) => s.preview !== null)
  const before = useSession((s) => (part ? (s.before[part.part] ?? null) : null))
  const change = useSession((s) => s.change)
  const digest = part?.mesh ?? null
  const id = part?.part
  const matrix = part?.matrix ?? null
  const source = previewing ? before : change?.part === id ? change?.before : null
  useEffect(() => {
    let on = true
    let timer = 0
    const still = () => {
      stage.fade(new Set())
      if (id) stage.hatch(id, null)
      if (!rest || rest === digest || !matrix) stage.showBefore(null, null)
      else
        bodyData(rest)
          .then((before) => {
            if (on) stage.showBefore(before, matrix)
          })
          .catch(() => undefined)
    }
    if (!id || !digest || !source || source === digest) {
      still()
      return () => {
        on = false
      }
    }
    void Promise.all([bodyData(source), bodyData(digest)])
      .then(([old]) => {
        if (!on) return
        stage.showBefore(old, matrix)
        stage.fade(new Set([id]))
        if (previewing) {
          // what changed is looked for once the hand rests: it takes as long as a picture
          stage.hatch(id, null)
          timer = window.setTimeout(() => stage.hatch(id, old), RESTS)
          return
        }
        stage.hatch(id, old)
        timer = window.setTimeout(still, HATCHED_FOR)
      })
      .catch(() => undefined)
    return () => {
      on = false
      clearTimeout(timer)
    }
  }, [stage, id, digest, source, previewing, matrix, rest])
}
