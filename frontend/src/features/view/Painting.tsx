import { useEffect, useLayoutEffect, useReducer, useRef, useState } from 'react'
import { Matrix4, Vector3 } from 'three'
import { Running } from '../../shared/brush'
import type { How, Place } from '../../shared/brush'
import {
  closePaint,
  givePick,
  keepStroke,
  layOn,
  loadMask,
  setBrush,
  usePaint,
  wipe,
} from '../../shared/painting'
import { useSession } from '../../shared/session'
import { useLengths } from '../../shared/shown'
import { ChoiceWord } from '../../shared/ui/ChoiceWord'
import { ViewNumber } from '../../shared/ui/ViewNumber'
import { lengthText, niceLength } from '../../shared/units'
import { useView } from '../../shared/viewState'
import type { Stage } from './Stage'

const HOW: readonly (readonly [How, string])[] = [
  ['to', 'goes to'],
  ['by', 'goes up or down by'],
  ['even', 'evens out'],
]
const AROUND = 48
/** share of the radius after which a stroke takes another place */
const STEP = 0.2
/** the most places between two moves of the pointer */
const MOST_BETWEEN = 24

interface Under {
  at: Vector3
  normal: Vector3
}

/** A brush on the body: what a step acts on is painted, stroke by stroke. */
export function Painting({ stage }: { stage: Stage }) {
  const open = useView((s) => s.painting)
  const revision = useSession((s) => s.bench?.revision)
  const waiting = useSession((s) => s.waiting)
  const { view, elements, weights, failure } = usePaint()
  const running = useRef<Running | null>(null)
  useEffect(() => {
    if (open && waiting === 0) void loadMask()
  }, [open, revision, waiting])
  useEffect(() => {
    if (!open || !elements || !view) return
    stage.showMask(elements, view.matrix)
    const now = running.current?.weights ?? usePaint.getState().weights
    if (now) stage.setMask(now)
    stage.fade(new Set([open.part]))
    return () => {
      stage.showMask(null, [])
      stage.fade(new Set())
    }
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [stage, open, elements, view?.matrix.join()])
  useLayoutEffect(() => {
    if (weights && elements) stage.setMask(running.current?.weights ?? weights)
  }, [stage, elements, weights])
  const brushAt = useBrush(stage, running)
  if (!open) return null
  return (
    <>
      {brushAt && <BrushDrawn stage={stage} under={brushAt} />}
      <PaintBar failure={failure} />
    </>
  )
}

/** Pointer while a mask is painted: on the body it paints, elsewhere it turns the view. */
function useBrush(stage: Stage, running: { current: Running | null }): Under | null {
  const part = useView((s) => s.painting?.part)
  const [, tick] = useReducer((n: number) => n + 1, 0)
  const under = useRef<Under | null>(null)
  useEffect(() => {
    const { canvas } = stage
    if (!part) return
    let last: { x: number; y: number; at: Vector3 } | null = null
    const where = (e: PointerEvent) => {
      const r = canvas.getBoundingClientRect()
      return { x: e.clientX - r.left, y: e.clientY - r.top }
    }
    const meet = (x: number, y: number): Under | null =>
      stage.hitAt(x, y)?.part === part ? stage.faceUnder(x, y) : null
    const lay = (x: number, y: number, found: Under) => {
      running.current?.on(placeOf(found))
      last = { x, y, at: found.at }
    }
    const press = (e: PointerEvent) => {
      const { x, y } = where(e)
      const { elements, normals, weights, brush } = usePaint.getState()
      const found = meet(x, y)
      if (e.button !== 0 || !found || !elements || !normals || !weights) return
      e.stopImmediatePropagation()
      canvas.setPointerCapture(e.pointerId)
      running.current = new Running(elements, normals, weights, brush)
      lay(x, y, found)
      stage.setMask(running.current.weights)
    }
    const go = (e: PointerEvent) => {
      const { x, y } = where(e)
      const found = meet(x, y)
      under.current = found
      tick()
      if (!running.current) return
      e.stopImmediatePropagation()
      if (!found || !last) return
      const gap = found.at.distanceTo(last.at)
      const step = usePaint.getState().brush.radius * STEP
      if (gap < step) return
      // a quick hand leaves no holes
      const from = last
      const n = Math.min(MOST_BETWEEN, Math.floor(gap / step))
      for (let i = 1; i <= n; i += 1) {
        const [u, v] = [from.x + ((x - from.x) * i) / n, from.y + ((y - from.y) * i) / n]
        const between = i === n ? found : meet(u, v)
        if (between) lay(u, v, between)
      }
      stage.setMask(running.current.weights)
    }
    const end = (keepIt: boolean) => {
      const done = running.current
      running.current = null
      last = null
      if (!done) return
      if (keepIt) keepStroke(done.places, done.weights)
      else {
        const { weights } = usePaint.getState()
        if (weights) stage.setMask(weights)
      }
    }
    const lift = (e: PointerEvent) => {
      if (!running.current || e.button !== 0) return
      e.stopImmediatePropagation()
      end(true)
    }
    const key = (e: KeyboardEvent) => {
      if (!running.current) return
      // nothing else happens while the brush is on the body
      e.preventDefault()
      e.stopPropagation()
      if (e.key === 'Escape') end(false)
    }
    const wheel = (e: WheelEvent) => {
      if (!e.shiftKey) return
      e.preventDefault()
      e.stopImmediatePropagation()
      const by = Math.exp(-(e.deltaY || e.deltaX) * 0.001)
      const { radius } = usePaint.getState().brush
      setBrush({ radius: Number((radius * by).toPrecision(3)) })
    }
    const away = () => {
      under.current = null
      tick()
    }
    const cancel = () => {
      end(false)
    }
    canvas.addEventListener('pointerdown', press, true)
    canvas.addEventListener('pointermove', go, true)
    canvas.addEventListener('pointerup', lift, true)
    canvas.addEventListener('pointercancel', cancel, true)
    canvas.addEventListener('pointerleave', away)
    canvas.addEventListener('wheel', wheel, { capture: true, passive: false })
    addEventListener('keydown', key, true)
    return () => {
      end(false)
      canvas.removeEventListener('pointerdown', press, true)
      canvas.removeEventListener('pointermove', go, true)
      canvas.removeEventListener('pointerup', lift, true)
      canvas.removeEventListener('pointercancel', cancel, true)
      canvas.removeEventListener('pointerleave', away)
      canvas.removeEventListener('wheel', wheel, true)
      removeEventListener('keydown', key, true)
    }
  }, [stage, part, running])
  return under.current

  /** Where the brush is, in the part's own space. */
  function placeOf(found: Under): Place {
    const matrix = usePaint.getState().view?.matrix ?? []
    const world = new Matrix4().set(...(matrix as Parameters<Matrix4['set']>))
    const back = world.clone().invert()
    const at = found.at.clone().applyMatrix4(back)
    // a normal goes with the transposed of the way back
    const n = found.normal.clone().applyMatrix4(world.clone().setPosition(0, 0, 0).transpose())
    n.normalize()
    return [at.x, at.y, at.z, n.x, n.y, n.z]
  }
}

/** The brush where it lies on the surface: its size a line, where it begins to fade a dashed one. */
function BrushDrawn({ stage, under }: { stage: Stage; under: Under }) {
  const brush = usePaint((s) => s.brush)
  const matrix = usePaint((s) => s.view?.matrix)
  const lengths = useLengths()
  const scale = new Vector3().setFromMatrixScale(
    new Matrix4().set(...((matrix ?? []) as Parameters<Matrix4['set']>)),
  )
  const radius = brush.radius * Math.cbrt(Math.abs(scale.x * scale.y * scale.z) || 1)
  const across = new Vector3(1, 0, 0).cross(under.normal)
  if (across.length() < 0.1) across.set(0, 1, 0).cross(under.normal)
  across.normalize()
  const up = under.normal.clone().cross(across)
  const ring = (r: number) =>
    Array.from({ length: AROUND + 1 }, (_, i) => {
      const t = (i / AROUND) * 2 * Math.PI
      const s = stage.project(
        under.at
          .clone()
          .addScaledVector(across, r * Math.cos(t))
          .addScaledVector(up, r * Math.sin(t)),
      )
      return `${s.x.toFixed(1)},${s.y.toFixed(1)}`
    }).join(' ')
  const at = stage.project(under.at.clone().addScaledVector(across, radius))
  const acts =
    brush.how === 'to'
      ? `to ${Math.round(100 * brush.to)} %`
      : brush.how === 'by'
        ? `by ${brush.by > 0 ? '+' : '−'}${Math.abs(Math.round(100 * brush.by))} %`
        : 'evened out'
  return (
    <svg className="callouts" data-testid="brush" pointerEvents="none">
      <g className="value guide">
        <polyline className="line cleared" points={ring(radius)} />
        <polyline className="line" points={ring(radius)} />
        {brush.soft > 0.02 && brush.soft < 0.98 && (
          <polyline className="line faint" points={ring(radius * (1 - brush.soft))} />
        )}
        <text x={at.x + 8} y={at.y + 4}>
          R {lengthText(brush.radius, lengths)}, {acts}
        </text>
      </g>
    </svg>
  )
}

/** What the brush does, in a sentence below the view. */
function PaintBar({ failure }: { failure: string | null }) {
  const { brush, view } = usePaint()
  const lengths = useLengths()
  const [giving, setGiving] = useState(false)
  const percent = (key: 'to' | 'by', least: number, words: string) => (
    <ViewNumber
      value={Math.round(1000 * brush[key]) / 10}
      unit="%"
      step={5}
      least={least}
      most={100}
      words={words}
      testId={`brush-${key}`}
      change={(v) => setBrush({ [key]: v / 100 })}
    />
  )
  return (
    <div className="placing-bar paint-bar" data-testid="paint-bar" data-mesh={view?.mesh ?? ''}>
      {failure && (
        <span className="prose" role="alert">
          {failure}
        </span>
      )}
      <span className="prose">
        The brush{' '}
        <ChoiceWord
          label="What the brush does"
          now={brush.how}
          choices={HOW}
          choose={(how) => setBrush({ how })}
          testId="brush-how"
        />{' '}
        {brush.how === 'to' && percent('to', 0, 'What the mask goes to')}
        {brush.how === 'by' && percent('by', -100, 'What the mask goes up by, or down below 0')}
        {brush.how === 'even' && (
          <>
            <ViewNumber
              value={brush.even}
              unit=""
              step={1}
              least={1}
              most={100}
              words="How often it evens out"
              testId="brush-even"
              change={(v) => setBrush({ even: Math.round(v) })}
            />{' '}
            times
          </>
        )}
        , radius{' '}
        <ViewNumber
          value={Number((brush.radius / lengths.per).toPrecision(4))}
          unit={lengths.unit}
          step={niceLength(brush.radius / 10, lengths) / lengths.per}
          least={1e-6}
          words="Radius of the brush (Shift and the wheel)"
          testId="brush-radius"
          change={(v) => setBrush({ radius: v * lengths.per })}
        />
        , soft over{' '}
        <ViewNumber
          value={Math.round(100 * brush.soft)}
          unit="%"
          step={5}
          least={0}
          most={100}
          words="Share of the radius over which it fades out"
          testId="brush-soft"
          change={(v) => setBrush({ soft: v / 100 })}
        />
        .
      </span>
      {giving ? (
        <Given close={() => setGiving(false)} />
      ) : (
        <span>
          <button
            className="plain link"
            data-testid="mask-even"
            onClick={() => layOn({ even: brush.even })}
          >
            Even all of it out
          </button>{' '}
          ·{' '}
          <button className="plain link" data-testid="mask-give" onClick={() => setGiving(!giving)}>
            Give points a value
          </button>{' '}
          ·{' '}
          <button className="plain link" data-testid="mask-none" onClick={() => wipe(0)}>
            Begin with none
          </button>{' '}
          ·{' '}
          <button className="plain link" data-testid="mask-all" onClick={() => wipe(1)}>
            Begin with all
          </button>{' '}
          ·{' '}
          <button className="plain link" data-testid="paint-leave" onClick={closePaint}>
            Done (Escape)
          </button>
        </span>
      )}
    </div>
  )
}

/** A value for all of the mask, or a formula of what it is. */
function Given({ close }: { close: () => void }) {
  const [text, setText] = useState('mask * 0.5')
  const value = () => (Number.isFinite(Number(text)) ? Number(text) : text.trim())
  const give = () => {
    layOn({ pick: { rule: 'everything' }, to: value() })
    close()
  }
  return (
    <span className="prose">
      Points get{' '}
      <input
        className="chip-field"
        autoFocus
        size={Math.max(8, text.length + 1)}
        value={text}
        aria-label="A value from 0 to 1, or a formula of mask"
        data-testid="mask-formula"
        onChange={(e) => setText(e.target.value)}
        onKeyDown={(e) => {
          e.stopPropagation()
          if (e.key === 'Enter') give()
          if (e.key === 'Escape') close()
        }}
      />{' '}
      <button className="plain link" data-testid="mask-formula-give" onClick={give}>
        Give it to all
      </button>{' '}
      ·{' '}
      <button
        className="plain link"
        data-testid="mask-formula-pick"
        onClick={() => givePick(value())}
      >
        To points that are picked next
      </button>{' '}
      <span className="muted">0 to 1, or a formula of “mask”, which is what it has now.</span>
    </span>
  )
}
