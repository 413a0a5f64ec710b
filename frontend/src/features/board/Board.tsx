import { useEffect, useMemo, useRef, useState } from 'react'
import type { PointerEvent as ReactPointerEvent, WheelEvent } from 'react'
import type { Curve, CurveView } from '../../shared/api/client'
import { dragPlane, movedPoint } from '../../shared/dragging'
import type { Pair } from '../../shared/dragging'
import { freeId, snapped } from '../../shared/format'
import { PLANES, inPlane, planeName, widest } from '../../shared/planes'
import type { Plane } from '../../shared/planes'
import { doEdit, edit, useSession } from '../../shared/session'
import { useLengths } from '../../shared/shown'
import { lengthFigure, lengthText, niceLength } from '../../shared/units'
import { useSize } from '../../shared/useSize'
import { useView } from '../../shared/viewState'
import { Handle, Ruling } from './Ruling'
import type { Window } from './Ruling'
import { CurveFacts, CurveMenu } from './CurveMenu'
import { EditableName } from '../../shared/ui/EditableName'
import { Rows } from './Rows'

const FLAT: Plane = [0, 1]

/** The drawing board: a profile in its own plane, across to the right and up; a path as it is seen along an axis. */
export function Board({ curve }: { curve: Curve }) {
  const session = useSession()
  const bench = session.preview ?? session.bench
  const view = bench?.curves.find((c) => c.id === curve.id)
  const [chosen, setChosen] = useState<string | null>(null)
  const [box, size] = useSize<SVGSVGElement>([600, 260])
  const [frame, setFrame] = useState<Window | null>(null)
  const close = () => useView.getState().set({ board: null })

  const [turned, setTurned] = useState<Plane | null>(null)
  // a path is seen along the axis that shows most of it until another is asked for
  const first = useRef(widest(view?.points.map((p) => p.at) ?? []))
  const plane: Plane = curve.kind === 'path' ? (turned ?? first.current) : FLAT
  const fitted = useMemo(() => fit(view, size, plane), [view, size, plane])
  // the window stays put while a point is dragged, and fits again for another curve
  const w = frame ?? fitted
  const inSpace = curve.kind === 'path'
  useEffect(() => {
    useView.getState().set({ plane: inSpace ? plane : null })
    return () => useView.getState().set({ plane: null })
  }, [inSpace, plane])
  const remove = (point: string) => {
    doEdit({ kind: 'remove_point', curve: curve.id, point })
    setChosen(null)
  }
  return (
    <section
      className="board"
      data-testid="board"
      tabIndex={-1}
      onKeyDown={(e) => {
        if (e.key === 'Escape') close()
        if ((e.key === 'Delete' || e.key === 'Backspace') && chosen) {
          remove(chosen)
          e.stopPropagation()
        }
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
        <CurveMenu curve={curve} view={view} />
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
        curve={curve}
        plane={plane}
        view={view}
        chosen={chosen}
        setChosen={setChosen}
        setFrame={setFrame}
      />
      <Rows curve={curve} chosen={chosen} setChosen={setChosen} remove={remove} />
    </section>
  )
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

interface DrawingProps {
  box: React.RefObject<SVGSVGElement | null>
  w: Window
  size: Pair
  curve: Curve
  plane: Plane
  view: CurveView | undefined
  chosen: string | null
  setChosen: (p: string | null) => void
  setFrame: (w: Window | null) => void
}

function Drawing(props: DrawingProps) {
  const { w, size, curve, plane, view, chosen, setChosen, setFrame, box } = props
  const [i, j] = plane
  const lengths = useLengths()
  const flat = (p: readonly number[]): Pair => [
    size[0] / 2 + ((p[0] ?? 0) - w.x) * w.scale,
    size[1] / 2 - ((p[1] ?? 0) - w.y) * w.scale,
  ]
  const px = (p: readonly number[]): Pair => flat([p[i] ?? 0, p[j] ?? 0])
  const mm = (x: number, y: number): Pair => [
    w.x + (x - size[0] / 2) / w.scale,
    w.y - (y - size[1] / 2) / w.scale,
  ]
  const points = view?.points ?? []
  const step = niceLength(Math.max(size[0], size[1]) / w.scale, lengths)
  const local = (e: { clientX: number; clientY: number }): Pair => {
    const r = box.current?.getBoundingClientRect()
    return mm(e.clientX - (r?.left ?? 0), e.clientY - (r?.top ?? 0))
  }

  const dragPoint = (e: ReactPointerEvent<SVGElement>, id: string) => {
    setChosen(id)
    const at = points.find((p) => p.id === id)?.at ?? [0, 0, 0]
    const written = curve.points.find((p) => p.id === id)?.at ?? at
    setFrame(w)
    const from = plane.map((k) => at[k] ?? 0)
    dragPlane(e, local, step, from, (next) => movedPoint(curve.id, id, written, next, plane))
  }
  const dragHandle = (e: ReactPointerEvent<SVGElement>, id: string, which: 'out' | 'into') => {
    const p = points.find((q) => q.id === id)
    if (!p) return
    const from: Pair = [(p.at[i] ?? 0) + (p[which][i] ?? 0), (p.at[j] ?? 0) + (p[which][j] ?? 0)]
    setFrame(w)
    dragPlane(e, local, step, from, (next) => ({
      kind: 'set_point',
      curve: curve.id,
      point: id,
      [which]: inPlane(p[which], plane, [
        snapped(next[0] - (p.at[i] ?? 0), step),
        snapped(next[1] - (p.at[j] ?? 0), step),
      ]),
    }))
  }
  const add = (e: ReactPointerEvent<SVGElement>) => {
    const at = local(e)
    const { after, place } = nearestPiece(view, at, plane)
    const id = freeId(
      'p',
      curve.points.map((p) => p.id ?? ''),
    )
    edit({
      kind: 'add_point',
      curve: curve.id,
      point: id,
      after,
      at: inPlane(place, plane, [snapped(at[0], step), snapped(at[1], step)]),
    })
      .then(() => setChosen(id))
      .catch(() => undefined)
    e.stopPropagation()
  }
  const pan = (e: ReactPointerEvent<SVGSVGElement>) => {
    if (e.target !== e.currentTarget) return
    setChosen(null)
    const start = { x: e.clientX, y: e.clientY }
    const element = e.currentTarget
    element.setPointerCapture(e.pointerId)
    const onMove = (m: PointerEvent) =>
      setFrame({
        ...w,
        x: w.x - (m.clientX - start.x) / w.scale,
        y: w.y + (m.clientY - start.y) / w.scale,
      })
    const onUp = () => {
      element.removeEventListener('pointermove', onMove)
      element.removeEventListener('pointerup', onUp)
    }
    element.addEventListener('pointermove', onMove)
    element.addEventListener('pointerup', onUp)
  }
  const zoom = (e: WheelEvent) => {
    const at = local(e)
    const factor = Math.exp(-e.deltaY * 0.0015)
    setFrame({
      scale: w.scale * factor,
      x: at[0] + (w.x - at[0]) / factor,
      y: at[1] + (w.y - at[1]) / factor,
    })
  }
  const path = toPath(view, px)
  const axis = px([0, 0, 0])[0]
  const end = (p: readonly number[], handle: readonly number[]) =>
    px(p.map((x, k) => x + (handle[k] ?? 0)))
  return (
    <svg
      ref={box}
      onPointerDown={pan}
      onWheel={zoom}
      data-testid="board-drawing"
      data-scale={w.scale}
      data-x={w.x}
      data-y={w.y}
    >
      <Ruling w={w} size={size} px={flat} />
      {curve.kind !== 'path' && (
        <line className="axis" x1={axis} x2={axis} y1={0} y2={size[1]} pointerEvents="none" />
      )}
      {points.length > 1 && (
        <polyline
          className="construction"
          points={points.map((p) => px(p.at).join(',')).join(' ')}
          pointerEvents="none"
        />
      )}
      <path className="profile" d={path} pointerEvents="none" />
      <path className="hit" d={path} onPointerDown={add} data-testid="board-line" />
      {points.map((p, k) => {
        const next = points[(k + 1) % points.length]
        if (p.join !== 'bezier' || !next) return null
        return (
          <g key={`h${p.id}`}>
            <Handle
              from={px(p.at)}
              to={end(p.at, p.out)}
              down={(e) => dragHandle(e, p.id, 'out')}
            />
            <Handle
              from={px(next.at)}
              to={end(next.at, next.into)}
              down={(e) => dragHandle(e, next.id, 'into')}
            />
          </g>
        )
      })}
      {view?.fillets.map((f) => (
        <FilletText key={f.point} f={f} points={points} px={px} />
      ))}
      {points.map((p) => {
        const at = px(p.at)
        return (
          <rect
            key={p.id}
            className={`dot${chosen === p.id ? ' chosen' : ''}`}
            data-testid={`point-${p.id}`}
            x={at[0] - 5}
            y={at[1] - 5}
            width={10}
            height={10}
            onPointerDown={(e) => dragPoint(e, p.id)}
          />
        )
      })}
      {view?.error && (
        <text x={16} y={24} style={{ fill: 'var(--red)' }}>
          {view.error.message}
        </text>
      )}
    </svg>
  )
}

/** The radius of a corner, beside it, on the side of its arc. */
function FilletText(props: {
  f: CurveView['fillets'][number]
  points: CurveView['points']
  px: (p: readonly number[]) => Pair
}) {
  const { f, points, px } = props
  const lengths = useLengths()
  const corner = points.find((p) => p.id === f.point)
  if (!corner) return null
  const [x, y] = px(corner.at)
  const [cx, cy] = px(f.centre)
  // of a chamfer there is no centre: it stands on the side that has room
  const left = !f.cut && cx < x
  const room =
    f.radius < f.asked * (1 - 1e-9)
      ? ` (room for no more, ${lengthFigure(f.asked, lengths, 4)} asked)`
      : ''
  return (
    <text
      x={x + (left ? -8 : 8)}
      y={y + (cy < y ? 20 : -11)}
      textAnchor={left ? 'end' : 'start'}
      pointerEvents="none"
    >
      {f.cut ? 'C' : 'R'} {lengthText(f.radius, lengths, 4)}
      {room}
    </text>
  )
}

function toPath(view: CurveView | undefined, px: (p: readonly number[]) => Pair): string {
  if (!view?.samples.length) return ''
  return (
    view.samples
      .map(
        (p, i) =>
          `${i ? 'L' : 'M'}${px(p)
            .map((v) => v.toFixed(2))
            .join(' ')}`,
      )
      .join('') + (view.closed ? 'Z' : '')
  )
}

/** The point behind which a new one on the line belongs, the piece whose chord is nearest as it is drawn; and the place on that chord. */
export function nearestPiece(
  view: CurveView | undefined,
  at: Pair,
  [across, up]: Plane,
): { after: string | null; place: number[] } {
  const pts = view?.points ?? []
  const last = pts.at(-1)
  let best = { after: last?.id ?? null, place: [...(last?.at ?? [...at])] }
  let least = Infinity
  const count = view?.closed ? pts.length : pts.length - 1
  for (let i = 0; i < count; i += 1) {
    const a = pts[i]
    const b = pts[(i + 1) % pts.length]
    if (!a || !b) continue
    const [ax, ay] = [a.at[across] ?? 0, a.at[up] ?? 0]
    const [bx, by] = [b.at[across] ?? 0, b.at[up] ?? 0]
    const l = (bx - ax) ** 2 + (by - ay) ** 2
    const t =
      l > 0
        ? Math.min(1, Math.max(0, ((at[0] - ax) * (bx - ax) + (at[1] - ay) * (by - ay)) / l))
        : 0
    const d = Math.hypot(at[0] - ax - t * (bx - ax), at[1] - ay - t * (by - ay))
    if (d < least) {
      least = d
      best = { after: a.id, place: a.at.map((x, k) => x + t * ((b.at[k] ?? x) - x)) }
    }
  }
  return best
}
