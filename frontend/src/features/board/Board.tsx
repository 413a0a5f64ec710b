import { useMemo, useState } from 'react'
import type { PointerEvent as ReactPointerEvent, WheelEvent } from 'react'
import type { Curve, CurveView } from '../../shared/api/client'
import { dragPlane, movedPoint } from '../../shared/dragging'
import type { Pair } from '../../shared/dragging'
import { freeId, snapped } from '../../shared/format'
import { doEdit, edit, useSession } from '../../shared/session'
import { useLengths } from '../../shared/shown'
import { lengthFigure, lengthText, niceLength } from '../../shared/units'
import { useSize } from '../../shared/useSize'
import { useView } from '../../shared/viewState'
import { Handle, Ruling } from './Ruling'
import type { Window } from './Ruling'
import { Rows } from './Rows'

/** The drawing board: a profile in its own plane, across to the right and up. */
export function Board({ curve }: { curve: Curve }) {
  const session = useSession()
  const bench = session.preview ?? session.bench
  const view = bench?.curves.find((c) => c.id === curve.id)
  const [chosen, setChosen] = useState<string | null>(null)
  const [box, size] = useSize<SVGSVGElement>([600, 260])
  const [frame, setFrame] = useState<Window | null>(null)
  const close = () => useView.getState().set({ board: null })

  const fitted = useMemo(() => fit(view, size), [view, size])
  // the window stays put while a point is dragged, and fits again for another curve
  const w = frame ?? fitted
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
        <b className="prose" style={{ fontSize: 16 }}>
          {curve.name}
        </b>
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
        <span className="muted">
          Drag a point; click the line to add one; Shift drags straight.
        </span>
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
      {}
      <Drawing
        box={box}
        w={w}
        size={size}
        curve={curve}
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
function fit(view: CurveView | undefined, [width, height]: Pair): Window {
  const pts = [...(view?.samples ?? []), ...(view?.points.map((p) => p.at) ?? []), [0, 0]]
  const xs = pts.map((p) => p[0] ?? 0)
  const ys = pts.map((p) => p[1] ?? 0)
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
  view: CurveView | undefined
  chosen: string | null
  setChosen: (p: string | null) => void
  setFrame: (w: Window | null) => void
}

function Drawing(props: DrawingProps) {
  const { w, size, curve, view, chosen, setChosen, setFrame, box } = props
  const lengths = useLengths()
  const px = (p: readonly number[]): Pair => [
    size[0] / 2 + ((p[0] ?? 0) - w.x) * w.scale,
    size[1] / 2 - ((p[1] ?? 0) - w.y) * w.scale,
  ]
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
    const at = points.find((p) => p.id === id)?.at ?? [0, 0]
    const written = curve.points.find((p) => p.id === id)?.at ?? at
    setFrame(w)
    dragPlane(e, local, step, at, (next) => movedPoint(curve.id, id, written, next))
  }
  const dragHandle = (e: ReactPointerEvent<SVGElement>, id: string, which: 'out' | 'into') => {
    const p = points.find((q) => q.id === id)
    if (!p) return
    const from: Pair = [(p.at[0] ?? 0) + (p[which][0] ?? 0), (p.at[1] ?? 0) + (p[which][1] ?? 0)]
    setFrame(w)
    dragPlane(e, local, step, from, (next) => ({
      kind: 'set_point',
      curve: curve.id,
      point: id,
      [which]: [snapped(next[0] - (p.at[0] ?? 0), step), snapped(next[1] - (p.at[1] ?? 0), step)],
    }))
  }
  const add = (e: ReactPointerEvent<SVGElement>) => {
    const at = local(e)
    const after = nearestPiece(view, at)
    const id = freeId(
      'p',
      curve.points.map((p) => p.id ?? ''),
    )
    edit({
      kind: 'add_point',
      curve: curve.id,
      point: id,
      after,
      at: [snapped(at[0], step), snapped(at[1], step)],
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
  const axis = px([0, 0])[0]
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
      <Ruling w={w} size={size} px={px} />
      <line className="axis" x1={axis} x2={axis} y1={0} y2={size[1]} pointerEvents="none" />
      {points.length > 1 && (
        <polyline
          className="construction"
          points={points.map((p) => px(p.at).join(',')).join(' ')}
          pointerEvents="none"
        />
      )}
      <path className="profile" d={path} pointerEvents="none" />
      <path className="hit" d={path} onPointerDown={add} data-testid="board-line" />
      {points.map((p, i) => {
        const next = points[(i + 1) % points.length]
        if (p.join !== 'bezier' || !next) return null
        return (
          <g key={`h${p.id}`}>
            <Handle
              from={px(p.at)}
              to={px([(p.at[0] ?? 0) + (p.out[0] ?? 0), (p.at[1] ?? 0) + (p.out[1] ?? 0)])}
              down={(e) => dragHandle(e, p.id, 'out')}
            />
            <Handle
              from={px(next.at)}
              to={px([
                (next.at[0] ?? 0) + (next.into[0] ?? 0),
                (next.at[1] ?? 0) + (next.into[1] ?? 0),
              ])}
              down={(e) => dragHandle(e, next.id, 'into')}
            />
          </g>
        )
      })}
      {view?.fillets.map((f) => {
        const at = px(f.centre)
        return (
          <text key={f.point} x={at[0] + 6} y={at[1] + 4} pointerEvents="none">
            R {lengthText(f.radius, lengths, 4)}
            {f.radius < f.asked * (1 - 1e-9)
              ? ` (room for no more, ${lengthFigure(f.asked, lengths, 4)} asked)`
              : ''}
          </text>
        )
      })}
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

/** The point behind which a new one on the line belongs: the piece whose chord is nearest. */
export function nearestPiece(view: CurveView | undefined, at: Pair): string | null {
  const pts = view?.points ?? []
  let best: string | null = pts.at(-1)?.id ?? null
  let least = Infinity
  const count = view?.closed ? pts.length : pts.length - 1
  for (let i = 0; i < count; i += 1) {
    const a = pts[i]
    const b = pts[(i + 1) % pts.length]
    if (!a || !b) continue
    const [ax = 0, ay = 0] = a.at
    const [bx = 0, by = 0] = b.at
    const l = (bx - ax) ** 2 + (by - ay) ** 2
    const t =
      l > 0
        ? Math.min(1, Math.max(0, ((at[0] - ax) * (bx - ax) + (at[1] - ay) * (by - ay)) / l))
        : 0
    const d = Math.hypot(at[0] - ax - t * (bx - ax), at[1] - ay - t * (by - ay))
    if (d < least) {
      least = d
      best = a.id
    }
  }
  return best
}
