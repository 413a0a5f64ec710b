import { memo, useCallback, useEffect, useMemo, useRef, useState } from 'react'
import { flushSync } from 'react-dom'
import type { ComponentProps, PointerEvent as ReactPointerEvent } from 'react'
import { api } from '../../shared/api/client'
import type { PartView } from '../../shared/api/client'
import { shownParts, useSession } from '../../shared/session'
import { useMeasuring } from '../../shared/measuring'
import { useSection } from '../../shared/section'
import { setEye } from '../../shared/eye'
import { choosePart } from '../../shared/parts'
import { usePaint } from '../../shared/painting'
import { usePick } from '../../shared/picking'
import { PLACE } from '../../shared/placement'
import { usePlaying } from '../../shared/playing'
import { useView } from '../../shared/viewState'
import { useBodies, useChanges, useInput } from './bodies'
import { TITLES, closer, moved, turned } from './camera'
import type { Title } from './camera'
import { AlongMark } from './AlongMark'
import { AxisGrips } from './AxisGrips'
import { AxisPick } from './AxisPick'
import { Callouts } from './Callouts'
import { ClearanceMark } from './ClearanceMark'
import { Handles } from './Handles'
import { Painting } from './Painting'
import { Placing } from './Placing'
import { ZeroPick } from './ZeroPick'
import { useJudging } from './judging'
import { seeAll, underPanes } from './layout'
import { CompareWords } from './CompareWords'
import { BEFORE, useBefore } from './compare'
import type { Before } from './compare'
import { JudgingStrip } from './JudgingStrip'
import { Measuring, MeasureStrip } from './Measuring'
import { SectionStrip, toggleSection, useSectionCaps } from './Section'
import { SectionMarks } from './SectionMarks'
import { Titles } from './Titles'
import { usePickMarks, usePickPointer } from './picks'
import { SideViews } from './SideViews'
import { Stage } from './Stage'
import { useStopped } from './stopped'
import { Trail, useTrail } from './Trail'

/** The view: bodies on drafting paper, turned, moved, and with their numbers on them. */
export const View = memo(function View() {
  const canvas = useRef<HTMLCanvasElement>(null)
  const holder = useRef<HTMLDivElement>(null)
  const [stage, setStage] = useState<Stage | null>(null)
  const [, tick] = useState(0)
  // kept while pictures are drawn, else a drag would end with the first of them
  const handlers = useMemo(() => (stage ? pointer(stage) : {}), [stage])
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
      // callouts move in the same frame as the picture: one after it would be laid together twice
      flushSync(() => {
        tick((n) => n + 1)
      })
    }
    setStage(made)
    setEye({
      looking: () => made.looking,
      look: (l) => {
        made.looking = l
        made.invalidate()
      },
      picture: (w, h, paper) => made.picture(w, h, paper),
      size: () => ({ width: made.width, height: made.height }),
    })
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
      setEye(null)
      setStage(null)
    }
  }, [])
  return (
    <div className="stage" ref={holder} data-testid="stage" data-drawn="0">
      <canvas ref={canvas} onContextMenu={(e) => e.preventDefault()} {...handlers} />
      <div className="frame">
        <i />
        <i />
        <i />
        <i />
      </div>
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
      const { picking, painting } = useView.getState()
      if (travelled > 3 || e.button !== 0 || picking || painting) return
      if (useMeasuring.getState().on || useView.getState().compare) return
      const r = stage.canvas.getBoundingClientRect()
      const part = stage.faceAt(e.clientX - r.left, e.clientY - r.top)?.part
      const more = e.ctrlKey || e.metaKey || e.shiftKey
      if (part && (more || part !== useView.getState().part)) choosePart(part, more)
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
    // over callouts and sheets too
    const all = stage.canvas.parentElement ?? stage.canvas
    all.addEventListener('wheel', wheel, { passive: false })
    return () => all.removeEventListener('wheel', wheel)
  }, [stage])
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
  const measuring = useMeasuring((s) => s.on)
  const laying = useSection((s) => s.placing !== null)
  const pointing = measuring || laying
  const playing = usePlaying((p) => p.now !== null)
  const held = view.picking ?? view.painting
  const otherwise = view.lookAt ?? held
  const bench = session.preview ?? session.bench
  const { parts, shown } = useShown(session, view)
  const free = [otherwise, view.placing, pointing, playing].every((held) => !held)
  const here = parts.find((p) => p.part === view.part)
  const { compare } = view
  const before = useBefore(parts)
  const how = before ? compare?.how : undefined
  const bodies = useMemo(() => compared(shown, before, how), [shown, before, how])
  useWheel(stage)
  useBodies(stage, bodies, holder)
  useEffect(() => {
    if (stage.twice === (how === 'beside')) return
    stage.setTwice(how === 'beside')
    seeAll(stage, shownParts(useSession.getState()), stage.looking, useView.getState().beside)
  }, [stage, how])
  useEffect(() => {
    // what would lie under the small views moves out of their way
    const bodies = shownParts(useSession.getState())
    if (view.beside && underPanes(stage, bodies)) seeAll(stage, bodies, stage.looking, true)
  }, [stage, view.beside])
  usePickMarks(stage)
  useTrail(stage)
  usePickPointer(stage, stage.canvas)
  useChanging(stage, here, held !== null || playing, otherwise !== null || view.compare !== null)
  useLooks(stage)
  useStopped(stage, here)
  useJudging(stage, shown, holder)
  useSectionCaps(stage, shown, holder)
  const { part: main, also } = view
  useEffect(() => {
    stage.setChosen(also.length && main ? [main, ...also] : [])
  }, [stage, main, also])

  const turn = useCallback(
    (name: Exclude<Title, 'free'>) => {
      seeAll(
        stage,
        shownParts(useSession.getState()),
        {
          ...stage.looking,
          around: TITLES[name].around,
          above: TITLES[name].above,
        },
        useView.getState().beside,
      )
    },
    [stage],
  )
  useEffect(() => {
    const on = (e: Event) => {
      const what = (e as CustomEvent<string>).detail
      const parts_ = shownParts(useSession.getState())
      if (what === 'all') seeAll(stage, parts_, stage.looking, useView.getState().beside)
      else if (what === 'section')
        toggleSection(
          stage,
          parts_.find((p) => p.part === useView.getState().part),
        )
      else turn(what as Exclude<Title, 'free'>)
    }
    addEventListener('jukai-look', on)
    return () => removeEventListener('jukai-look', on)
  }, [stage, turn])
  const step = here?.steps.find((s) => s.id === view.step)
  if (how && before)
    return (
      <>
        <CompareWords how={how} words={before.words} />
        <Titles stage={stage} turn={turn} all={() => seeAll(stage, parts)} />
      </>
    )
  return (
    <>
      {bench && here && free && (
        <Callouts stage={stage} bench={bench} part={here} step={step} parts={parts} />
      )}
      <Trail />
      {!view.placing && <Over stage={stage} parts={shown} />}
      <Layers stage={stage} parts={parts} here={here} />
      {bench && (
        <Beside
          stage={stage}
          bench={bench}
          parts={shown}
          here={here}
          step={held ? undefined : step}
          turn={turn}
        />
      )}
      <Titles
        stage={stage}
        turn={turn}
        all={() => seeAll(stage, parts, stage.looking, view.beside)}
      />
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

/** What is drawn of a change; not while another body is shown, or one is played. */
function useChanging(
  stage: Stage,
  here: PartView | undefined,
  held: boolean,
  otherwise: boolean,
): void {
  const { part, step } = useView()
  const input = useInput(part, otherwise ? null : step)
  useChanges(stage, held ? undefined : here, input)
}

/** The parts, and as they are shown: a kept view may leave some out, one may be looked at as it was. */
function useShown(
  session: ReturnType<typeof useSession.getState>,
  view: ReturnType<typeof useView.getState>,
): { parts: readonly PartView[]; shown: readonly PartView[] } {
  const { leftOut } = view
  const parts = useMemo(
    () => shownParts(session).map((p) => (leftOut.includes(p.part) ? { ...p, hidden: true } : p)),
    [session, leftOut],
  )
  const looked = useLookAt(view.part, view.lookAt, session.bench?.revision)
  const picked = usePick((s) => s.view)
  const painted = usePaint((s) => s.view)
  const open =
    view.picking && picked
      ? { part: view.picking.part, mesh: picked.mesh }
      : view.painting && painted
        ? { part: view.painting.part, mesh: painted.mesh }
        : null
  const other = open ?? looked ?? null
  const mesh = other?.mesh ?? null
  const shown = useMemo(
    () => (other ? parts.map((p) => (p.part === other.part ? { ...p, mesh } : p)) : parts),
    // eslint-disable-next-line react-hooks/exhaustive-deps
    [parts, other?.part, mesh],
  )
  return { parts, shown }
}

/** What is put on the stage while bodies are compared: the earlier ones, or both. */
function compared(
  shown: readonly PartView[],
  before: Before | null,
  how: 'hold' | 'beside' | undefined,
): readonly PartView[] {
  if (!before || !how) return shown
  if (how === 'hold') return before.parts
  return [...shown, ...before.parts.map((p) => ({ ...p, part: BEFORE + p.part }))]
}

/** Sections and measures over the bodies, and in words below them. */
function Over({ stage, parts }: { stage: Stage; parts: readonly PartView[] }) {
  return (
    <>
      <SectionMarks stage={stage} parts={parts} />
      <Measuring stage={stage} parts={parts} />
      <div className="strips">
        <JudgingStrip />
        <MeasureStrip />
        <SectionStrip stage={stage} parts={parts} />
      </div>
    </>
  )
}

/** The three small views, when they are wanted. */
function Beside(props: ComponentProps<typeof SideViews>) {
  return useView((v) => v.beside) ? <SideViews {...props} /> : null
}

/** What lies over the bodies beside the callouts: handles, clearances, a shape that is being placed. */
function Layers(props: { stage: Stage; parts: readonly PartView[]; here: PartView | undefined }) {
  const { stage, parts, here } = props
  const view = useView()
  if (view.placing) return <Placing key={view.placing} stage={stage} operator={view.placing} />
  if (view.picking) return null
  if (view.painting) return <Painting stage={stage} />
  if (view.zeroing && here) return <ZeroPick stage={stage} view={here} />
  if (view.axisPick && here?.part === view.axisPick.part)
    return <AxisPick stage={stage} view={here} />
  return (
    <>
      <ClearanceMark stage={stage} parts={parts} />
      <AlongMark stage={stage} here={here} />
      {here && !view.lookAt && view.step === PLACE && <Handles stage={stage} view={here} />}
      {here && !view.lookAt && <AxisGrips stage={stage} view={here} />}
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

function useLooks(stage: Stage): void {
  const { look, drawing, perspective } = useView()
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
    stage.perspective = perspective
    stage.invalidate()
  }, [stage, perspective])
}
