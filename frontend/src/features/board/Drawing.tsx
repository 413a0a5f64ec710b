import { useState } from 'react'
import type { PointerEvent as ReactPointerEvent, WheelEvent } from 'react'
import { api } from '../../shared/api/client'
import type { Curve, CurveView } from '../../shared/api/client'
import { inOneLine, pulls } from '../../shared/curveMoves'
import { meantPlace } from '../../shared/curveSnap'
import type { Meant, Nearby } from '../../shared/curveSnap'
import { dragPlane, followPointer, movedPoint } from '../../shared/dragging'
import type { Pair } from '../../shared/dragging'
import { freeId, snapped } from '../../shared/format'
import { inPlane } from '../../shared/planes'
import type { Plane } from '../../shared/planes'
import { edit, say, useSession } from '../../shared/session'
import { useLengths } from '../../shared/shown'
import { lengthText } from '../../shared/units'
import { Handle, Ruling } from './Ruling'
import type { Window } from './Ruling'
import { FilletText, nearestPiece, toPath } from './line'
import { handleSnaps, pointSnaps } from './snaps'
import type { useStanding } from './useStanding'

const NEAR = 9 // px

/** The curve, and what it becomes before it is used, if it goes through steps. */
function Course({ view, px }: { view: CurveView | undefined; px: (p: readonly number[]) => Pair }) {
  const used = toPath(view, px, view?.deformed ?? [])
  return (
    <>
      {used && <path className="used" d={used} pointerEvents="none" data-testid="curve-used" />}
      <path
        className={used ? 'profile before' : 'profile'}
        d={toPath(view, px)}
        pointerEvents="none"
      />
    </>
  )
}

interface DrawingProps {
  box: React.RefObject<SVGSVGElement | null>
  w: Window
  size: Pair
  step: number
  curve: Curve
  standing: ReturnType<typeof useStanding>
  plane: Plane
  view: CurveView | undefined
  chosen: readonly string[]
  setChosen: (points: readonly string[]) => void
  soft: number | null
  setSoft: (reach: number) => void
  setFrame: (w: Window | null) => void
}

export function Drawing(props: DrawingProps) {
  const { w, size, step, curve, plane, view, chosen, setChosen, soft, setFrame, box } = props
  const [i, j] = plane
  const [guide, setGuide] = useState<Meant | null>(null)
  const [net, setNet] = useState<readonly [Pair, Pair] | null>(null)
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
  const local = (e: { clientX: number; clientY: number }): Pair => {
    const r = box.current?.getBoundingClientRect()
    return mm(e.clientX - (r?.left ?? 0), e.clientY - (r?.top ?? 0))
  }
  /** Snaps a dragged place and shows what it goes by; Ctrl lets it go free. */
  const snapping = (nearby: Omit<Nearby, 'near' | 'grid'>) => ({
    meant: (to: Pair, m: PointerEvent): Pair => {
      if (m.ctrlKey || m.metaKey) {
        setGuide(null)
        return [snapped(to[0], step / 100), snapped(to[1], step / 100)]
      }
      const found = meantPlace(to, { ...nearby, near: NEAR / w.scale, grid: step })
      setGuide(found.words ? found : null)
      return found.at
    },
    end: () => setGuide(null),
  })

  const dragPoint = (e: ReactPointerEvent<SVGElement>, id: string) => {
    const was = chosen.includes(id)
    if (e.shiftKey && was) {
      setChosen(chosen.filter((c) => c !== id))
      e.stopPropagation()
      return
    }
    const held = was ? chosen : e.shiftKey ? [...chosen, id] : [id]
    setChosen(held)
    const at = points.find((p) => p.id === id)?.at ?? [0, 0, 0]
    const written = curve.points.find((p) => p.id === id)?.at ?? at
    setFrame(w)
    const from = plane.map((k) => at[k] ?? 0)
    const moving = props.standing(held, soft, plane)
    const nearby = pointSnaps(curve, view, plane, id, [...pulls(points, held, soft).keys()])
    const away = (next: Pair): Pair => [next[0] - (from[0] ?? 0), next[1] - (from[1] ?? 0)]
    let last: Pair | null = null
    const make = (next: Pair) => {
      last = away(next)
      return moving.size === 1
        ? movedPoint(curve.id, id, written, next, plane)
        : {
            kind: 'set_curve' as const,
            curve: curve.id,
            what: 'points',
            points: moving.to(last),
          }
    }
    dragPlane(e, local, step, from, make, {
      ...snapping(nearby),
      kept: () => {
        if (last) moving.keep(last)
      },
      click: () => {
        if (!e.shiftKey) setChosen([id])
      },
    })
  }
  const dragHandle = (e: ReactPointerEvent<SVGElement>, id: string, which: 'out' | 'into') => {
    const p = points.find((q) => q.id === id)
    if (!p) return
    const from: Pair = [(p.at[i] ?? 0) + (p[which][i] ?? 0), (p.at[j] ?? 0) + (p[which][j] ?? 0)]
    setFrame(w)
    const other = which === 'out' ? 'into' : 'out'
    // handles in one line stay so, each as long as it was; Alt breaks it into a corner
    const smooth = !e.altKey && inOneLine(p.out, p.into)
    dragPlane(
      e,
      local,
      step,
      from,
      (next) => {
        const to = inPlane(p[which], plane, [
          snapped(next[0] - (p.at[i] ?? 0), 1e-6),
          snapped(next[1] - (p.at[j] ?? 0), 1e-6),
        ])
        const long = Math.hypot(...to)
        const by = Math.hypot(...p[other]) / (long || 1)
        return {
          kind: 'set_point',
          curve: curve.id,
          point: id,
          [which]: to,
          ...(smooth && long > 0 ? { [other]: to.map((x) => snapped(-x * by, 1e-6)) } : {}),
        }
      },
      snapping(
        smooth ? { spots: [], rays: [], levels: [] } : handleSnaps(curve, view, plane, id, which),
      ),
    )
  }
  const dragReach = (e: ReactPointerEvent<SVGElement>, centre: Pair) => {
    e.stopPropagation()
    const was = soft ?? 0
    followPointer(e, {
      move: (m) => {
        const at = local(m)
        props.setSoft(snapped(Math.hypot(at[0] - centre[0], at[1] - centre[1]), step))
      },
      cancel: () => props.setSoft(was),
    })
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
      .then(() => setChosen([id]))
      .catch(() => undefined)
    e.stopPropagation()
  }
  /** A net drawn over points chooses them. */
  const cast = (e: ReactPointerEvent<SVGSVGElement>) => {
    const start = local(e)
    followPointer(e, {
      move: (m) => {
        const now = local(m)
        setNet([start, now])
        const within = (x: number, a: number, b: number) =>
          x >= Math.min(a, b) && x <= Math.max(a, b)
        setChosen(
          points
            .filter(
              (p) =>
                within(p.at[i] ?? 0, start[0], now[0]) && within(p.at[j] ?? 0, start[1], now[1]),
            )
            .map((p) => p.id),
        )
      },
      up: () => setNet(null),
      cancel: () => {
        setNet(null)
        setChosen([])
      },
    })
  }
  const pan = (e: ReactPointerEvent<SVGSVGElement>) => {
    if (e.target !== e.currentTarget) return
    setChosen([])
    if (e.shiftKey && e.button === 0) {
      cast(e)
      return
    }
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
  const bench = useSession((s) => s.id)
  const lies = view?.traced?.plane
  const here = plane.map((k) => 'xyz'.charAt(k)).join('')
  const traced = view?.traced && (!lies || lies === here) ? view.traced : null
  const path = toPath(view, px)
  const axis = px([0, 0, 0])[0]
  const end = (p: readonly number[], handle: readonly number[]) =>
    px(p.map((x, k) => x + (handle[k] ?? 0)))
  const centre = points.find((p) => p.id === chosen.at(-1))
  const along = soft !== null && chosen.length ? pulls(points, chosen, soft) : null
  return (
    <svg
      ref={box}
      onPointerDownCapture={(e) => {
        // keys that follow are meant for the curve: what is dragged takes no focus by itself
        e.currentTarget.closest<HTMLElement>('.board')?.focus({ preventScroll: true })
      }}
      onPointerDown={pan}
      onWheel={zoom}
      data-testid="board-drawing"
      data-scale={w.scale}
      data-x={w.x}
      data-y={w.y}
    >
      {traced && (
        <image
          className="traced"
          data-testid="traced"
          href={api.pictureAddress(bench ?? '', traced.file)}
          x={flat([traced.at[0] ?? 0, 0])[0]}
          y={flat([0, (traced.at[1] ?? 0) + traced.tall])[1]}
          width={traced.wide * w.scale}
          height={traced.tall * w.scale}
          preserveAspectRatio="none"
          pointerEvents="none"
          onError={() => say(`The picture ${traced.file} is not there any more.`, 'error')}
        />
      )}
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
      <Course view={view} px={px} />
      <path className="hit" d={path} onPointerDown={add} data-testid="board-line" />
      {points.map((p, k) => {
        const next = points[(k + 1) % points.length]
        if (p.join !== 'bezier' || !next) return null
        return (
          <g key={`h${p.id}`}>
            <Handle
              from={px(p.at)}
              to={end(p.at, p.out)}
              testId={`out-${p.id}`}
              down={(e) => dragHandle(e, p.id, 'out')}
            />
            <Handle
              from={px(next.at)}
              to={end(next.at, next.into)}
              testId={`into-${next.id}`}
              down={(e) => dragHandle(e, next.id, 'into')}
            />
          </g>
        )
      })}
      {view?.fillets.map((f) => (
        <FilletText key={f.point} f={f} points={points} px={px} />
      ))}
      {soft !== null && centre && (
        <Reach
          at={px(centre.at)}
          radius={soft * w.scale}
          reach={soft}
          down={(e) => dragReach(e, [centre.at[i] ?? 0, centre.at[j] ?? 0])}
        />
      )}
      {points.map((p) => {
        const at = px(p.at)
        const pull = along?.get(p.id)
        return (
          <rect
            key={p.id}
            className={`dot${chosen.includes(p.id) ? ' chosen' : ''}`}
            data-testid={`point-${p.id}`}
            style={
              pull !== undefined && pull < 1
                ? {
                    fill: `color-mix(in srgb, var(--moss) ${Math.round(80 * pull)}%, var(--panel))`,
                  }
                : undefined
            }
            x={at[0] - 5}
            y={at[1] - 5}
            width={10}
            height={10}
            onPointerDown={(e) => dragPoint(e, p.id)}
          />
        )
      })}
      {net && (
        <rect
          className="net"
          x={Math.min(flat(net[0])[0], flat(net[1])[0])}
          y={Math.min(flat(net[0])[1], flat(net[1])[1])}
          width={Math.abs(flat(net[0])[0] - flat(net[1])[0])}
          height={Math.abs(flat(net[0])[1] - flat(net[1])[1])}
          pointerEvents="none"
        />
      )}
      {guide && <Guide guide={guide} px={flat} />}
      {view?.error && (
        <text x={16} y={24} style={{ fill: 'var(--red)' }}>
          {view.error.message}
        </text>
      )}
    </svg>
  )
}

/** What a dragged place goes by: dashed lines to it and its name. */
function Guide({ guide, px }: { guide: Meant; px: (p: readonly number[]) => Pair }) {
  const [x, y] = px(guide.at)
  return (
    <g data-testid="board-guide" pointerEvents="none">
      {guide.lines.map(([a, b], k) => {
        const [p, q] = [px(a), px(b)]
        return <line key={k} className="guide" x1={p[0]} y1={p[1]} x2={q[0]} y2={q[1]} />
      })}
      <circle className="guide" cx={x} cy={y} r={8} />
      <text x={x + 12} y={y - 12} className="guide">
        {guide.words}
      </text>
    </g>
  )
}

/** How far a soft move reaches: a circle about the point, dragged at its side. */
function Reach(props: {
  at: Pair
  radius: number
  reach: number
  down: (e: ReactPointerEvent<SVGElement>) => void
}) {
  const lengths = useLengths()
  const [x, y] = props.at
  return (
    <g>
      <circle className="guide" cx={x} cy={y} r={props.radius} pointerEvents="none" />
      <circle
        className="handle"
        data-testid="reach-grip"
        cx={x + props.radius}
        cy={y}
        r={5}
        onPointerDown={props.down}
      />
      <text className="guide" x={x + props.radius + 9} y={y + 4} pointerEvents="none">
        {lengthText(props.reach, lengths, 4)}
      </text>
    </g>
  )
}
