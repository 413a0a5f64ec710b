import { memo, useCallback, useEffect, useMemo, useRef, useState } from 'react'
import type { PointerEvent as ReactPointerEvent } from 'react'
import { api } from '../../shared/api/client'
import type { PartView } from '../../shared/api/client'
import { askedAt, refresh, shownParts, useSession } from '../../shared/session'
import { usePick } from '../../shared/picking'
import { useView } from '../../shared/viewState'
import { readBody } from './buffers'
import type { BodyData } from './buffers'
import { ANGLE, TITLES, closer, fitted, moved, titleOf, turned, wordsOf } from './camera'
import type { Title } from './camera'
import { Callouts } from './Callouts'
import { cornersOf } from './layout'
import { usePickMarks, usePickPointer } from './picks'
import { Stage } from './Stage'
import { useStopped } from './stopped'
import { Trail, useTrail } from './Trail'

const kept = new Map<string, BodyData>()
const MOST_KEPT = 24
const HATCHED_FOR = 1800

async function bodyData(digest: string): Promise<BodyData> {
  const held = kept.get(digest)
  if (held) return held
  const data = readBody(digest, await api.mesh(digest))
  kept.set(digest, data)
  for (const old of kept.keys()) {
    if (kept.size <= MOST_KEPT) break
    kept.delete(old)
  }
  return data
}

const NO_FINISH = { colour: '#b9b4a8', metal: 0, roughness: 0.6 }

/** The view: bodies on drafting paper, turned, moved, and with their numbers on them. */
export const View = memo(function View() {
  const canvas = useRef<HTMLCanvasElement>(null)
  const holder = useRef<HTMLDivElement>(null)
  const [stage, setStage] = useState<Stage | null>(null)
  const [, tick] = useState(0)
  const [problem, setProblem] = useState<string | null>(null)
  useEffect(() => {
    if (!canvas.current) return
    let made: Stage
    try {
      made = new Stage(canvas.current)
    } catch {
      setProblem(
        'This browser can’t draw in three dimensions (WebGL 2 is missing). The recipe and the hand-over still work.',
      )
      return
    }
    made.onDrawn = (swaps) => {
      holder.current?.setAttribute('data-drawn', String(swaps))
      tick((n) => n + 1)
    }
    setStage(made)
    Object.assign(window, { __stage: made })
    const box = holder.current
    const watch = new ResizeObserver(() => {
      if (box) made.resize(box.clientWidth, box.clientHeight)
    })
    if (box) {
      watch.observe(box)
      made.resize(box.clientWidth, box.clientHeight)
    }
    return () => {
      watch.disconnect()
      made.dispose()
      setStage(null)
    }
  }, [])
  return (
    <div className="stage" ref={holder} data-testid="stage" data-drawn="0">
      <canvas
        ref={canvas}
        onContextMenu={(e) => e.preventDefault()}
        {...(stage ? pointer(stage) : {})}
      />
      <div className="frame" />
      {stage && <Scene stage={stage} holder={holder} />}
      {problem && (
        <div className="centre">
          <p className="prose" role="alert" style={{ maxWidth: 420 }}>
            {problem}
          </p>
        </div>
      )}
    </div>
  )
})

/** What the mouse and fingers do: left turns, right moves, the wheel comes closer to the pointer. */
function pointer(stage: Stage) {
  const fingers = new Map<number, { x: number; y: number }>()
  let travelled = 0
  return {
    onPointerDown: (e: ReactPointerEvent<HTMLCanvasElement>) => {
      e.currentTarget.setPointerCapture(e.pointerId)
      fingers.set(e.pointerId, { x: e.clientX, y: e.clientY })
      travelled = 0
    },
    onPointerMove: (e: ReactPointerEvent<HTMLCanvasElement>) => {
      const last = fingers.get(e.pointerId)
      if (!last) return
      const [dx, dy] = [e.clientX - last.x, e.clientY - last.y]
      travelled += Math.abs(dx) + Math.abs(dy)
      const l = stage.looking
      if (fingers.size === 2) {
        const other = [...fingers.entries()].find(([id]) => id !== e.pointerId)?.[1]
        if (other) {
          const before = Math.hypot(last.x - other.x, last.y - other.y)
          const after = Math.hypot(e.clientX - other.x, e.clientY - other.y)
          stage.looking = moved(
            closer(l, before / Math.max(after, 1), 0, 0, stage.mmPerPx()),
            dx / 2,
            dy / 2,
            stage.mmPerPx(),
          )
        }
      } else if (e.buttons & 2 || e.buttons & 4) stage.looking = moved(l, dx, dy, stage.mmPerPx())
      else stage.looking = turned(l, dx, dy)
      fingers.set(e.pointerId, { x: e.clientX, y: e.clientY })
      stage.invalidate()
    },
    onPointerUp: (e: ReactPointerEvent<HTMLCanvasElement>) => {
      fingers.delete(e.pointerId)
      if (travelled > 3 || e.button !== 0 || useView.getState().picking) return
      const r = stage.canvas.getBoundingClientRect()
      const part = stage.partAt(e.clientX - r.left, e.clientY - r.top)
      if (part && part !== useView.getState().part) {
        const recipe = useSession
          .getState()
          .bench?.document.parts?.find((p) => p.id === part)?.recipe
        useView
          .getState()
          .set({ part, step: recipe?.at(-1)?.id ?? null, board: null, lookAt: null, spots: [] })
      }
    },
    onPointerCancel: (e: ReactPointerEvent<HTMLCanvasElement>) => {
      fingers.delete(e.pointerId)
    },
  }
}

function useWheel(stage: Stage): void {
  useEffect(() => {
    const wheel = (e: WheelEvent) => {
      e.preventDefault()
      const r = stage.canvas.getBoundingClientRect()
      const [x, y] = [e.clientX - r.left - r.width / 2, e.clientY - r.top - r.height / 2]
      const pixels = e.deltaMode === 1 ? e.deltaY * 16 : e.deltaY
      stage.looking = closer(
        stage.looking,
        Math.exp(pixels * (e.ctrlKey ? 0.01 : 0.0012)),
        x,
        y,
        stage.mmPerPx(),
      )
      stage.invalidate()
    }
    stage.canvas.addEventListener('wheel', wheel, { passive: false })
    return () => stage.canvas.removeEventListener('wheel', wheel)
  }, [stage])
}

/** See all shown bodies, or the chosen one. */
function seeAll(stage: Stage, parts: readonly PartView[], looking = stage.looking): void {
  const corners = parts.filter((p) => p.mesh && !p.hidden).flatMap(cornersOf)
  if (corners.length === 0) {
    stage.looking = fitted(looking, [0, 0, 0], 60, stage.width, stage.height)
  } else {
    const low = corners[0]?.clone()
    const high = corners[0]?.clone()
    for (const c of corners) {
      low?.min(c)
      high?.max(c)
    }
    if (low && high) {
      const centre = low.clone().add(high).multiplyScalar(0.5)
      const all = fitted(
        looking,
        [centre.x, centre.y, centre.z],
        low.distanceTo(high) / 2,
        stage.width,
        stage.height,
      )
      // into the part of the sheet that callouts and title block leave free
      stage.looking = all
      stage.looking = moved(all, -stage.width * 0.075, -stage.height * 0.04, stage.mmPerPx())
    }
  }
  stage.invalidate()
}

function Scene({
  stage,
  holder,
}: {
  stage: Stage
  holder: React.RefObject<HTMLDivElement | null>
}) {
  const session = useSession()
  const view = useView()
  const bench = session.preview ?? session.bench
  const parts = useMemo(() => shownParts(session), [session])
  const here = parts.find((p) => p.part === view.part)
  const looked = useLookAt(view.part, view.lookAt, session.bench?.revision)
  const picked = usePick((s) => s.view)
  const other =
    view.picking && picked ? { part: view.picking.part, mesh: picked.mesh } : (looked ?? null)
  const mesh = other?.mesh ?? null
  const shown = useMemo(
    () => (other ? parts.map((p) => (p.part === other.part ? { ...p, mesh } : p)) : parts),
    // eslint-disable-next-line react-hooks/exhaustive-deps
    [parts, other?.part, mesh],
  )
  useWheel(stage)
  useBodies(stage, shown, holder)
  usePickMarks(stage)
  useTrail(stage)
  usePickPointer(stage)
  useChanges(stage, view.picking ? undefined : here)
  useLooks(stage)
  useStopped(stage, here)

  const title = titleOf(stage.looking)
  const turn = useCallback(
    (name: Exclude<Title, 'free'>) => {
      seeAll(stage, shownParts(useSession.getState()), {
        ...stage.looking,
        around: TITLES[name].around,
        above: TITLES[name].above,
      })
    },
    [stage],
  )
  useEffect(() => {
    const on = (e: Event) => {
      const what = (e as CustomEvent<string>).detail
      if (what === 'all') seeAll(stage, shownParts(useSession.getState()))
      else turn(what as Exclude<Title, 'free'>)
    }
    addEventListener('jukai-look', on)
    return () => removeEventListener('jukai-look', on)
  }, [stage, turn])
  const step = here?.steps.find((s) => s.id === view.step)
  return (
    <>
      {bench && here && !view.lookAt && !view.picking && (
        <Callouts stage={stage} bench={bench} part={here} step={step} parts={parts} />
      )}
      <Trail />
      <nav className="titles" aria-label="Where from">
        <button
          className="plain"
          aria-pressed={title === 'turned' || title === 'free'}
          data-testid="see-turned"
          onClick={() => turn('turned')}
        >
          {title === 'turned' || title === 'free' ? wordsOf(stage.looking) : 'Turned'}
        </button>
        {(['front', 'side', 'top'] as const).map((t) => (
          <button
            key={t}
            className="plain"
            aria-pressed={title === t}
            data-testid={`see-${t}`}
            onClick={() => turn(t)}
          >
            {TITLES[t].words}
          </button>
        ))}
        <span>·</span>
        <button
          className="plain"
          data-testid="perspective"
          title="Perspective or parallel"
          onClick={() => view.set({ perspective: !view.perspective })}
        >
          {view.perspective ? `Perspective ${ANGLE}°` : 'Parallel'}
        </button>
        <button className="plain" data-testid="see-all" onClick={() => seeAll(stage, parts)}>
          See all
        </button>
      </nav>
      {session.bench && parts.every((p) => !p.mesh) && !parts.some((p) => p.error) && (
        <div className="centre muted prose" style={{ pointerEvents: 'none' }}>
          {parts.length
            ? 'No body yet: its steps are off, or wait for an error to be mended.'
            : 'Nothing stands here yet.'}
        </div>
      )}
    </>
  )
}

/** The body as it was after a step, while one is looked at. */
function useLookAt(
  part: string | null,
  step: string | null,
  revision: number | undefined,
): PartView | null {
  const id = useSession((s) => s.id)
  const [found, setFound] = useState<{ step: string; view: PartView } | null>(null)
  useEffect(() => {
    if (!id || !part || !step) return
    let on = true
    api
      .lookHere(id, part, step)
      .then((v) => {
        if (on) setFound({ step, view: v })
      })
      .catch(() => undefined)
    return () => {
      on = false
    }
  }, [id, part, step, revision])
  return step && found?.step === step ? found.view : null
}

/** Fetch drawing data and put it on the stage; the old body stays until the new one is there. */
function useBodies(
  stage: Stage,
  parts: readonly PartView[],
  holder: React.RefObject<HTMLDivElement | null>,
): void {
  const first = useRef(true)
  const document_ = useSession((s) => s.bench?.document)
  useEffect(() => {
    stage.setFloor(document_?.floor ?? 100)
    const wanted = parts.filter((p) => p.mesh && !p.hidden)
    let on = true
    Promise.all(wanted.map(async (p) => ({ p, data: await bodyData(p.mesh ?? '') })))
      .then((rows) => {
        if (!on) return
        const asked = askedAt()
        for (const id of stage.ids()) if (!rows.some((r) => r.p.part === id)) stage.remove(id)
        for (const { p, data } of rows) {
          const doc = document_?.parts?.find((q) => q.id === p.part)
          const look = (name: string | null | undefined) => {
            const f = document_?.finishes?.find((x) => x.name === name)
            if (!f) return null
            return {
              colour: f.colour ?? NO_FINISH.colour,
              metal: f.metal ?? 0,
              roughness: f.roughness ?? 0.5,
            }
          }
          const own = look(doc?.finish) ?? NO_FINISH
          stage.show(
            p.part,
            data,
            p.matrix ?? [],
            own,
            doc?.locked ?? false,
            data.finishes.map((name) => look(name) ?? own),
          )
          stage.setReach(p.part, Math.max(...cornersOf(p).map((c) => c.length())) * 1.5)
        }
        if (asked > 0) performance.measure('swap', { start: asked, end: performance.now() })
        holder.current?.setAttribute('data-shown', wanted.map((p) => p.mesh).join(' '))
        if (first.current && rows.length) {
          first.current = false
          seeAll(stage, parts)
        }
      })
      .catch(() => {
        if (on) void refresh() // the server was restarted and has forgotten the hash: ask anew
      })
    return () => {
      on = false
    }
  }, [stage, parts, document_, holder])
}

/** While something is changed: paper grey, the outline before, hatching; after it a moment longer. */
function useChanges(stage: Stage, part: PartView | undefined): void {
  const previewing = useSession((s) => s.preview !== null)
  const before = useSession((s) => (part ? (s.before[part.part] ?? null) : null))
  const change = useSession((s) => s.change)
  const digest = part?.mesh ?? null
  const id = part?.part
  const matrix = part?.matrix ?? null
  const source = previewing ? before : change?.part === id ? change?.before : null
  useEffect(() => {
    if (!id || !digest || !source || source === digest) {
      stage.showBefore(null, null)
      stage.fade(new Set())
      if (id) stage.hatch(id, null)
      return
    }
    let on = true
    let timer = 0
    void Promise.all([bodyData(source), bodyData(digest)])
      .then(([old]) => {
        if (!on) return
        stage.showBefore(old, matrix)
        stage.fade(new Set([id]))
        stage.hatch(id, old)
        if (!previewing)
          timer = window.setTimeout(() => {
            stage.showBefore(null, null)
            stage.fade(new Set())
            stage.hatch(id, null)
          }, HATCHED_FOR)
      })
      .catch(() => undefined)
    return () => {
      on = false
      clearTimeout(timer)
    }
  }, [stage, id, digest, source, previewing, matrix])
}

function useLooks(stage: Stage): void {
  const { look, drawing, perspective, normals } = useView()
  useEffect(() => {
    const css = getComputedStyle(document.documentElement)
    const colour = (name: string) => css.getPropertyValue(name).trim()
    stage.setColours({
      paper: colour('--paper'),
      ink: colour('--ink'),
      moss: colour('--moss'),
      grid: colour('--grid'),
      amber: colour('--amber'),
    })
  }, [stage, look])
  useEffect(() => {
    stage.setWays(drawing)
  }, [stage, drawing])
  useEffect(() => {
    stage.setNormals(normals)
  }, [stage, normals])
  useEffect(() => {
    stage.perspective = perspective
    stage.invalidate()
  }, [stage, perspective])
}
