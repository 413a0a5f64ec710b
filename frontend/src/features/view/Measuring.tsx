import { useEffect, useState } from 'react'
import { Vector3 } from 'three'
import type { PartView } from '../../shared/api/client'
import {
  leaveMeasuring,
  readingText,
  takeEnd,
  toggleMeasuring,
  useMeasuring,
} from '../../shared/measuring'
import type { End } from '../../shared/measuring'
import { edit, useSession } from '../../shared/session'
import { useLengths } from '../../shared/shown'
import { placeText } from '../../shared/units'
import { useView } from '../../shared/viewState'
import { elementUnder } from './elementUnder'
import { ReadingMark } from './ReadingMark'
import type { Stage } from './Stage'

const CLICK = 4

/** While measuring: what the pointer is on, what is picked, what is read. */
export function Measuring({ stage, parts }: { stage: Stage; parts: readonly PartView[] }) {
  const { on, ends, hovered, rows, shown } = useMeasuring()
  usePointer(stage, parts, on)
  const kept = useSession((s) => (s.preview ?? s.bench)?.measures)
  const only = useView((s) => s.only)
  const seen = new Set(
    parts.filter((p) => p.mesh && !p.hidden && (!only || p.part === only)).map((p) => p.part),
  )
  const reading = rows[shown]
  return (
    <svg
      className="callouts"
      data-testid="measure-marks"
      data-hovered={hovered?.of ?? ''}
      data-ends={ends.length}
    >
      {kept
        ?.filter((m) => m.value !== null && !m.hidden && m.parts.every((p) => seen.has(p)))
        .map((m) => (
          <ReadingMark key={m.name} stage={stage} reading={m} name={m.name} />
        ))}
      {on && hovered && <Outline stage={stage} end={hovered} tone="hover" />}
      {on && ends.map((e, i) => <Outline key={i} stage={stage} end={e} tone="taken" />)}
      {on && reading && <ReadingMark stage={stage} reading={reading} fresh />}
    </svg>
  )
}

function Outline({ stage, end, tone }: { stage: Stage; end: End; tone: string }) {
  const spots = end.lines.map((p) => stage.project(new Vector3(...p)))
  if (end.of === 'points')
    return spots[0] ? (
      <circle className={`meant ${tone}`} cx={spots[0].x} cy={spots[0].y} r={6} />
    ) : null
  return (
    <>
      {spots.map((a, i) => {
        const b = spots[i + 1]
        return i % 2 === 0 && b ? (
          <line key={i} className={`meant ${tone}`} x1={a.x} y1={a.y} x2={b.x} y2={b.y} />
        ) : null
      })}
    </>
  )
}

function usePointer(stage: Stage, parts: readonly PartView[], on: boolean): void {
  useEffect(() => {
    if (!on) return
    const { canvas } = stage
    let waiting = 0
    let from: { x: number; y: number } | null = null
    const at = (e: PointerEvent) => {
      const r = canvas.getBoundingClientRect()
      return elementUnder(stage, parts, e.clientX - r.left, e.clientY - r.top)
    }
    const move = (e: PointerEvent) => {
      if (e.buttons || waiting) return
      waiting = requestAnimationFrame(() => {
        waiting = 0
        useMeasuring.getState().set({ hovered: at(e) })
      })
    }
    const down = (e: PointerEvent) => {
      from = e.button === 0 ? { x: e.clientX, y: e.clientY } : null
    }
    const up = (e: PointerEvent) => {
      if (!from || Math.hypot(e.clientX - from.x, e.clientY - from.y) > CLICK) return
      const end = at(e)
      if (end) takeEnd(end)
    }
    const key = (e: KeyboardEvent) => {
      if (e.key !== 'Escape') return
      e.stopPropagation()
      leaveMeasuring()
    }
    canvas.addEventListener('pointermove', move)
    canvas.addEventListener('pointerdown', down)
    canvas.addEventListener('pointerup', up)
    addEventListener('keydown', key, true)
    return () => {
      cancelAnimationFrame(waiting)
      canvas.removeEventListener('pointermove', move)
      canvas.removeEventListener('pointerdown', down)
      canvas.removeEventListener('pointerup', up)
      removeEventListener('keydown', key, true)
    }
  }, [stage, parts, on])
}

const ONE = { points: 'a point', edges: 'an edge', faces: 'a face' }

/** What is read, in words; the reading that is chosen can be kept under a name. */
export function MeasureStrip() {
  const { on, ends, rows, shown, set } = useMeasuring()
  const lengths = useLengths()
  const names = useSession(
    (s) => [...(s.bench?.document.dimensions ?? []), ...(s.bench?.document.measures ?? [])].length,
  )
  if (!on) return null
  return (
    <section className="section-strip" aria-label="Measure" data-testid="measure-strip">
      <p className="prose">
        {ends.length === 0 && 'Measure: click a point, an edge or a face.'}
        {ends.length === 1 && ends[0]?.of === 'points' && (
          <span className="figures" data-testid="measured-place">
            {`${placeText(ends[0].lines[0] ?? [], lengths, 6)}. `}
          </span>
        )}
        {ends.length === 1 && `From ${ONE[ends[0]?.of ?? 'points']}: click another.`}
        {ends.length === 2 &&
          `From ${ONE[ends[0]?.of ?? 'points']} to ${ONE[ends[1]?.of ?? 'points']}. The next click begins anew.`}{' '}
        <button className="plain link" data-testid="measure-leave" onClick={toggleMeasuring}>
          Done
        </button>
      </p>
      {rows.length > 0 && (
        <p className="figures" data-testid="readings">
          {rows.map((r, i) => (
            <button
              key={r.what}
              className="plain reading"
              data-testid={`reading-${r.what}`}
              data-value={r.value}
              aria-pressed={i === shown}
              title="Draw this one"
              onClick={() => set({ shown: i })}
            >
              {r.words} <b>{readingText(r, lengths)}</b>
            </button>
          ))}
        </p>
      )}
      {rows.length > 0 && <KeepField key={`${ends.length}-${shown}-${names}`} />}
    </section>
  )
}

/** A name, and the reading is a number of the drawing. */
function KeepField() {
  const [name, setName] = useState('')
  const [wrong, setWrong] = useState<string | null>(null)
  const { ends, rows, written, shown } = useMeasuring.getState()
  const keep = () => {
    const what = rows[shown]?.what
    if (!what || !name.trim()) return
    const of = ends.map((e, i) => ({ part: e.part, of: e.of, element: written[i] ?? {} }))
    edit({ kind: 'add_measure', measure: { name: name.trim(), what, of } }, { quiet: true })
      .then(() => {
        useMeasuring.getState().set({ ends: [], rows: [], written: [], shown: 0 })
      })
      .catch((e: unknown) => setWrong(e instanceof Error ? e.message : String(e)))
  }
  return (
    <p>
      Keep as{' '}
      <input
        className="field"
        data-testid="measure-name"
        aria-label="Name of the measure"
        placeholder="rim_gap"
        size={14}
        maxLength={40}
        value={name}
        onChange={(e) => setName(e.target.value)}
        onKeyDown={(e) => {
          e.stopPropagation()
          if (e.key === 'Enter') keep()
          if (e.key === 'Escape') e.currentTarget.blur()
        }}
      />{' '}
      <button
        className="plain link"
        data-testid="measure-keep"
        disabled={!name.trim()}
        onClick={keep}
      >
        Keep
      </button>
      {wrong && (
        <span className="chip-wrong" role="alert">
          {wrong}
        </span>
      )}
    </p>
  )
}
