import { useEffect, useMemo, useRef, useState } from 'react'
import type { Curve, CurveView, Edit } from '../../shared/api/client'
import { firstReach } from '../../shared/curveMoves'
import type { Pair } from '../../shared/dragging'
import { PLANES, planeName, widest } from '../../shared/planes'
import type { Plane } from '../../shared/planes'
import { beginPreview, doEdit, preview, say, useSession } from '../../shared/session'
import { useLengths } from '../../shared/shown'
import { EditableName } from '../../shared/ui/EditableName'
import { ViewNumber } from '../../shared/ui/ViewNumber'
import { niceLength } from '../../shared/units'
import { useSize } from '../../shared/useSize'
import { useView } from '../../shared/viewState'
import { CurveFacts, CurveMenu } from './CurveMenu'
import { Drawing } from './Drawing'
import { CurveSteps } from './CurveSteps'
import { Rows } from './Rows'
import type { Window } from './Ruling'
import { useStanding } from './useStanding'
import type { Moving } from './useStanding'

const FLAT: Plane = [0, 1]

/** The drawing board: a profile in its own plane, across to the right and up; a path as it is seen along an axis. */
export function Board({ curve }: { curve: Curve }) {
  const session = useSession()
  const bench = session.preview ?? session.bench
  const view = bench?.curves.find((c) => c.id === curve.id)
  const [chosen, setChosen] = useState<readonly string[]>([])
  const [soft, setSoft] = useState<number | null>(null)
  const [box, size] = useSize<SVGSVGElement>([600, 260])
  const [kept, setKept] = useState<{ w: Window; size: Pair } | null>(null)
  const setFrame = (w: Window | null) => setKept(w && { w, size })
  const lengths = useLengths()
  const close = () => useView.getState().set({ board: null })

  const [turned, setTurned] = useState<Plane | null>(null)
  // a path is seen along the axis that shows most of it until another is asked for
  const first = useRef(widest(view?.points.map((p) => p.at) ?? []))
  const plane: Plane = curve.kind === 'path' ? (turned ?? first.current) : FLAT
  const fitted = useMemo(() => fit(view, size, plane), [view, size, plane])
  // the window stays put while a point is dragged, and fits again for another curve or on a board of another size
  const w = kept?.size[0] === size[0] && kept.size[1] === size[1] ? kept.w : fitted
  const inSpace = curve.kind === 'path'
  useEffect(() => {
    useView.getState().set({ plane: inSpace ? plane : null })
    return () => useView.getState().set({ plane: null })
  }, [inSpace, plane])
  const step = niceLength(Math.max(size[0], size[1]) / w.scale, lengths)
  const remove = (points: readonly string[]) => {
    const [point] = points
    const left = curve.points.filter((p) => !points.includes(p.id ?? ''))
    if (point === undefined) return
    if (points.length === 1) doEdit({ kind: 'remove_point', curve: curve.id, point })
    else if (left.length < 2) return say('A curve keeps two points at least.')
    else doEdit({ kind: 'set_curve', curve: curve.id, points: left, what: 'points removed' })
    setChosen([])
  }
  const standing = useStanding(curve, view)
  const [nudge, keepNudge] = useNudge(curve.id, () => standing(chosen, soft, plane))
  return (
    <section
      className="board"
      data-testid="board"
      tabIndex={-1}
      onPointerDownCapture={keepNudge}
      onKeyDown={(e) => {
        const arrow = ARROWS[e.key]
        if (!arrow) keepNudge() // what comes next, such as undo, comes after it
        if (e.key === 'Escape') {
          if (chosen.length > 1) setChosen([])
          else close()
        } else if ((e.key === 'Delete' || e.key === 'Backspace') && chosen.length) remove(chosen)
        else if (e.key === 'a' && (e.ctrlKey || e.metaKey))
          setChosen(curve.points.map((p) => p.id ?? ''))
        else if (arrow && chosen.length && e.target === e.currentTarget) {
          const by = step * (e.shiftKey ? 10 : 1)
          nudge([arrow[0] * by, arrow[1] * by])
        } else return
        e.preventDefault()
        e.stopPropagation()
      }}
    >
      <header>
        <EditableName
          name={curve.name}
          label="Name of the curve"
          className="prose curve-name"
          testId="curve-name"
          keep={(name) => doEdit({ kind: 'set_curve', curve: curve.id, name })}
        />
        <CurveMenu curve={curve} view={view} plane={plane} />
        {inSpace &&
          PLANES.map((p) => (
            <button
              key={planeName(p)}
              className="plain link"
              aria-pressed={p === plane}
              style={{ fontWeight: p === plane ? 600 : 400 }}
              data-testid={`plane-${p.map((k) => 'xyz'.charAt(k)).join('')}`}
              title={`Draw it as it is seen along ${'XYZ'.charAt(3 - p[0] - p[1])}`}
              onClick={() => {
                setTurned(p)
                setFrame(null)
              }}
            >
              {planeName(p)}
            </button>
          ))}
        <label>
          <input
            type="checkbox"
            checked={curve.closed ?? false}
            data-testid="closed"
            onChange={(e) =>
              doEdit({ kind: 'set_curve', curve: curve.id, closed: e.target.checked })
            }
          />{' '}
          closed
        </label>
        <label title="Points near those that are moved go along, less and less up to the reach">
          <input
            type="checkbox"
            checked={soft !== null}
            data-testid="soft"
            onChange={(e) => setSoft(e.target.checked ? firstReach(view?.points ?? []) : null)}
          />{' '}
          soft
        </label>
        {soft !== null && (
          <ViewNumber
            value={soft / lengths.per}
            unit={lengths.unit}
            step={step / lengths.per}
            least={0}
            words="How far from a point that is moved others go along"
            testId="reach"
            change={(v) => setSoft(v * lengths.per)}
          />
        )}
        <CurveFacts curve={curve} view={view} />
        <button className="plain link" onClick={() => setFrame(null)}>
          See all
        </button>
        <button
          className="plain link"
          data-testid="close-board"
          style={{ marginLeft: 'auto' }}
          onClick={close}
        >
          Close
        </button>
      </header>
      <Drawing
        box={box}
        w={w}
        size={size}
        step={step}
        curve={curve}
        standing={standing}
        plane={plane}
        view={view}
        chosen={chosen}
        setChosen={setChosen}
        soft={soft}
        setSoft={setSoft}
        setFrame={setFrame}
      />
      <div className="board-side">
        <Rows curve={curve} plane={plane} chosen={chosen} setChosen={setChosen} remove={remove} />
        <CurveSteps curve={curve} view={view} />
      </div>
    </section>
  )
}

const PAUSE = 350 // ms without a key after which a burst of them is kept as one edit

/** Moves the chosen points by arrow keys: shown with each, kept as one edit when they pause. */
function useNudge(curve: string, begin: () => Moving): [(by: Pair) => void, () => void] {
  const burst = useRef<{ at: Pair; moving: Moving; timer: number } | null>(null)
  const make = (points: Curve['points']): Edit => ({
    kind: 'set_curve',
    curve,
    what: 'points',
    points,
  })
  const keep = () => {
    const b = burst.current
    burst.current = null
    if (!b) return
    clearTimeout(b.timer)
    doEdit(make(b.moving.to(b.at)))
    b.moving.keep(b.at)
  }
  // eslint-disable-next-line react-hooks/exhaustive-deps -- what is left of a burst is kept when another curve comes
  useEffect(() => keep, [curve])
  const nudge = (by: Pair) => {
    if (!burst.current) {
      beginPreview()
      burst.current = { at: [0, 0], timer: 0, moving: begin() }
    }
    const b = burst.current
    clearTimeout(b.timer)
    b.at = [b.at[0] + by[0], b.at[1] + by[1]]
    b.timer = window.setTimeout(keep, PAUSE)
    preview(make(b.moving.to(b.at)), null)
  }
  return [nudge, keep]
}

const ARROWS: Record<string, Pair | undefined> = {
  ArrowLeft: [-1, 0],
  ArrowRight: [1, 0],
  ArrowUp: [0, 1],
  ArrowDown: [0, -1],
}

/** A window that shows the whole curve and the axis. */
function fit(view: CurveView | undefined, [width, height]: Pair, [i, j]: Plane): Window {
  const pts = [...(view?.samples ?? []), ...(view?.points.map((p) => p.at) ?? []), [0, 0, 0]]
  const xs = pts.map((p) => p[i] ?? 0)
  const ys = pts.map((p) => p[j] ?? 0)
  const low: Pair = [Math.min(...xs), Math.min(...ys)]
  const high: Pair = [Math.max(...xs), Math.max(...ys)]
  const scale = Math.min(
    (width - 90) / Math.max(high[0] - low[0], 1e-6),
    (height - 56) / Math.max(high[1] - low[1], 1e-6),
  )
  return {
    x: (low[0] + high[0]) / 2,
    y: (low[1] + high[1]) / 2,
    scale: Number.isFinite(scale) && scale > 0 ? scale : 1,
  }
}
