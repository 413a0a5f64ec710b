import { useEffect, useRef } from 'react'
import { Vector3 } from 'three'
import { api } from '../../shared/api/client'
import type { PartView } from '../../shared/api/client'
import { followPointer } from '../../shared/dragging'
import { figure, niceStep } from '../../shared/format'
import {
  AXES,
  across,
  axisOf,
  flipped,
  movedTo,
  placeOf,
  takenWords,
  unpacked,
  useSection,
} from '../../shared/section'
import type { CutPlane, SectionGap, Three } from '../../shared/section'
import { say, useSession } from '../../shared/session'
import { WordMenu } from '../../shared/ui/Menu'
import { ViewNumber } from '../../shared/ui/ViewNumber'
import { useView } from '../../shared/viewState'
import { way } from './camera'
import { axesOf } from './Cuts'
import { cornersOf, screenWay } from './layout'
import type { Spot } from './layout'
import type { Stage } from './Stage'

/** Keep the caps of the section true to planes and bodies: one question on its way, the newest next. */
export function useSectionCaps(
  stage: Stage,
  parts: readonly PartView[],
  holder: React.RefObject<HTMLDivElement | null>,
): void {
  const planes = useSection((s) => s.planes)
  const chosen = useView((s) => s.part)
  const only = useView((s) => s.only)
  const document_ = useSession((s) => (s.preview ?? s.bench)?.document)
  const waiting = useRef<(() => void) | null>(null)
  const busy = useRef(false)
  useEffect(() => {
    stage.setSection(planes)
    if (planes.length === 0) {
      useSection.getState().set({ rows: [], gaps: [] })
      holder.current?.setAttribute('data-section', '')
      return
    }
    const shown = parts.filter((p) => p.mesh && p.matrix && !p.hidden && (!only || p.part === only))
    const bodies = shown.map((p) => ({ part: p.part, mesh: p.mesh ?? '', matrix: p.matrix ?? [] }))
    const body = {
      planes: planes.map((p) => ({
        point: p.normal.map((x) => x * p.offset),
        normal: [...p.normal],
      })),
      bodies,
      chosen,
    }
    const key = JSON.stringify(body.planes)
    const colourOf = (id: string) => {
      const finish = document_?.parts?.find((q) => q.id === id)?.finish
      return document_?.finishes?.find((f) => f.name === finish)?.colour ?? '#b9b4a8'
    }
    const go = () => {
      waiting.current = null
      busy.current = true
      api
        .section(body)
        .then((found) => {
          if (JSON.stringify(useSection.getState().planes) !== JSON.stringify(planes)) return
          stage.setCaps(
            found.rows.map((r) => ({
              part: r.part,
              plane: r.plane,
              hatch: r.hatch,
              colour: colourOf(r.part),
              triangles: unpacked(r.cap),
              lines: unpacked(r.lines),
            })),
            found.origin,
            new Set(found.rows.filter((r) => r.area === null).map((r) => r.part)),
          )
          useSection.getState().set({ rows: found.rows, gaps: found.gaps })
          holder.current?.setAttribute('data-section', key)
        })
        .catch((e: unknown) => {
          if (e instanceof Error && e.name !== 'AbortError' && !waiting.current) say(e.message)
        })
        .finally(() => {
          busy.current = false
          waiting.current?.()
        })
    }
    if (busy.current) waiting.current = go
    else go()
  }, [stage, planes, parts, chosen, only, document_, holder])
}

/** Take one plane through the chosen body, or put the section away. */
export function toggleSection(stage: Stage, part: PartView | undefined): void {
  const { planes, set } = useSection.getState()
  if (planes.length) {
    set({ planes: [], placing: null })
    return
  }
  const stands = part?.stands
  const middle = [0, 1, 2].map((k) => ((stands?.[0]?.[k] ?? 0) + (stands?.[1]?.[k] ?? 0)) / 2)
  set({ planes: [stage.planeBefore(middle as unknown as Three)] })
}

/** The section in words: where it cuts, what is taken away, its area and gaps. */
export function SectionStrip({ stage, parts }: { stage: Stage; parts: readonly PartView[] }) {
  const { planes, rows, gaps, placing, set } = useSection()
  const chosen = useView((s) => s.part)
  if (planes.length === 0) return null
  const put = (i: number, p: CutPlane) => set({ planes: planes.map((q, k) => (k === i ? p : q)) })
  const name = (id: string) => parts.find((p) => p.part === id)?.name ?? id
  const step = niceStep(sizeOf(parts))
  const mine = rows.filter((r) => r.part === chosen)
  return (
    <section className="section-strip" aria-label="Section" data-testid="section-strip">
      {planes.map((p, i) => (
        <p key={i} className="prose">
          {i === 0 ? 'Cut across ' : 'and across '}
          <WordMenu
            testId={`section-axis-${i}-menu`}
            trigger={
              <button className="plain chip choice" data-testid={`section-axis-${i}`}>
                {axisOf(p)?.axis.toUpperCase() ?? 'a face'}
              </button>
            }
            entries={[
              ...AXES.map((axis) => ({
                id: axis,
                words: axis.toUpperCase(),
                act: () => put(i, across(axis, 1, middleOf(parts, chosen, AXES.indexOf(axis)))),
              })),
              {
                id: 'face',
                words: 'a face',
                note: 'click it next',
                act: () => set({ placing: i }),
              },
            ]}
          />{' '}
          at{' '}
          <ViewNumber
            value={placeOf(p)}
            unit="mm"
            step={step}
            words="Where the plane stands"
            testId={`section-at-${i}`}
            change={(v) => {
              const now = useSection.getState().planes
              set({ planes: now.map((q, k) => (k === i ? movedTo(q, v) : q)) })
            }}
          />
          ,{' '}
          <button
            className="plain chip choice"
            data-testid={`section-flip-${i}`}
            title="Take the other side away"
            onClick={() => put(i, flipped(p))}
          >
            {takenWords(p)}
          </button>{' '}
          taken away
          {i === planes.length - 1 ? '.' : ''}{' '}
          <button
            className="plain link"
            aria-label="Take this plane out"
            data-testid={`section-out-${i}`}
            onClick={() => set({ planes: planes.filter((_, k) => k !== i), placing: null })}
          >
            {planes.length > 1 ? 'Without it' : 'Whole again'}
          </button>
          {i === 0 && planes.length === 1 && (
            <>
              {' · '}
              <button
                className="plain link"
                data-testid="section-second"
                onClick={() => {
                  const axis = AXES.find((a) => a !== axisOf(p)?.axis) ?? 'x'
                  const k = AXES.indexOf(axis)
                  const sign = way(stage.looking).getComponent(k) > 0 ? -1 : 1
                  set({ planes: [p, across(axis, sign, middleOf(parts, chosen, k))] })
                }}
              >
                Second plane
              </button>
            </>
          )}
        </p>
      ))}
      {placing !== null && (
        <p className="moss" data-testid="section-placing">
          Click the face that the plane is to lie on. Escape leaves it.
        </p>
      )}
      <p className="figures" data-testid="section-area">
        {mine.length === 0 && chosen && rows.length > 0 && `${name(chosen)} is not cut.`}
        {rows.length === 0 && 'Nothing is cut here.'}
        {mine.map((r) => (
          <span key={r.plane}>
            {name(r.part)} {planes.length > 1 ? `${r.plane + 1}: ` : ''}
            {r.area === null ? 'is open here' : `${figure(r.area, 5)}\u2009mm²`}, outline{' '}
            {figure(r.perimeter, 5)}
            {'\u2009mm. '}
          </span>
        ))}
        {gaps.slice(0, 2).map((g) => (
          <span key={`${g.plane}-${g.other}`} className={g.crossing ? 'amber' : ''}>
            {g.crossing
              ? `Crosses ${name(g.other)}. `
              : g.distance < 1e-6
                ? `Touches ${name(g.other)}. `
                : `${figure(g.distance, 4)}\u2009mm to ${name(g.other)}. `}
          </span>
        ))}
      </p>
    </section>
  )
}

function sizeOf(parts: readonly PartView[]): number {
  const c = parts.filter((p) => p.mesh && !p.hidden).flatMap(cornersOf)
  const r = [0, 1, 2].map((k) => {
    const v = c.map((x) => x.getComponent(k))
    return Math.max(...v) - Math.min(...v)
  })
  return c.length ? Math.max(...r) : 100
}

function middleOf(parts: readonly PartView[], chosen: string | null, k: number): number {
  const stands = parts.find((p) => p.part === chosen)?.stands
  const at = ((stands?.[0]?.[k] ?? 0) + (stands?.[1]?.[k] ?? 0)) / 2
  return Math.round(at * 1000) / 1000
}

/** The planes as chain lines round the bodies, each with a grip, and the gaps as dimensions. */
export function SectionMarks({ stage, parts }: { stage: Stage; parts: readonly PartView[] }) {
  const { planes, gaps, placing } = useSection()
  useFacePick(stage)
  if (planes.length === 0) return null
  const corners = parts.filter((p) => p.mesh && !p.hidden).flatMap(cornersOf)
  if (corners.length === 0) return null
  return (
    <svg className="callouts" data-testid="section-marks" data-placing={placing ?? ''}>
      {planes.map((p, i) => (
        <PlaneFrame key={i} stage={stage} plane={p} which={i} corners={corners} />
      ))}
      {nearestGaps(gaps).map((g, i) => (
        <GapMark key={`${g.plane}-${g.other}`} stage={stage} gap={g} row={i} />
      ))}
    </svg>
  )
}

const MOST_GAPS = 2

/** The gaps worth drawing: of each other part the least, the nearest first; what touches has none. */
function nearestGaps(gaps: readonly SectionGap[]): SectionGap[] {
  const seen = new Set<string>()
  const out: SectionGap[] = []
  for (const g of [...gaps].sort((a, b) => a.distance - b.distance)) {
    if (seen.has(g.other) || g.crossing || g.distance < 1e-6) continue
    seen.add(g.other)
    out.push(g)
  }
  return out.slice(0, MOST_GAPS)
}

function GapMark({
  stage,
  gap,
  row,
}: {
  stage: Stage
  /** labels of several gaps stand one over the other */
  row: number
  gap: { distance: number; crossing: boolean; places: readonly (readonly number[])[] }
}) {
  const [a, b] = gap.places.map((p) => stage.project(new Vector3(p[0], p[1], p[2])))
  if (!a || !b || gap.crossing || gap.distance < 1e-6) return null
  const label = { x: (a.x + b.x) / 2 + 34, y: (a.y + b.y) / 2 - 26 - 22 * row }
  return (
    <g className="gap" data-testid="section-gap">
      <line className="line" x1={a.x} y1={a.y} x2={b.x} y2={b.y} />
      <circle className="line" cx={a.x} cy={a.y} r={2.5} />
      <circle className="line" cx={b.x} cy={b.y} r={2.5} />
      <polyline
        className="line"
        fill="none"
        points={`${(a.x + b.x) / 2},${(a.y + b.y) / 2} ${label.x - 4},${label.y + 4} ${label.x + 50},${label.y + 4}`}
      />
      <text x={label.x} y={label.y}>{`${figure(gap.distance, 4)}\u2009mm`}</text>
    </g>
  )
}

function PlaneFrame(props: {
  stage: Stage
  plane: CutPlane
  which: number
  corners: readonly Vector3[]
}) {
  const { stage, plane, which, corners } = props
  const [u, v] = axesOf(plane)
  const at = new Vector3(...plane.normal).multiplyScalar(plane.offset)
  const range = (w: Vector3) => {
    const d = corners.map((c) => c.dot(w))
    const [low, high] = [Math.min(...d), Math.max(...d)]
    const room = (high - low) * 0.06 + 1e-6
    return [low - room, high + room] as const
  }
  const [[u0, u1], [v0, v1]] = [range(u), range(v)]
  const put = (a: number, b: number) =>
    stage.project(
      at
        .clone()
        .addScaledVector(u, a - at.dot(u))
        .addScaledVector(v, b - at.dot(v)),
    )
  const frame = [put(u0, v0), put(u1, v0), put(u1, v1), put(u0, v1)]
  const grip = frame.reduce((best, s) => (s.y < best.y ? s : best))
  const words = `${axisOf(plane)?.axis.toUpperCase() ?? 'Face'} ${figure(placeOf(plane), 5)}\u2009mm`
  const n = new Vector3(...plane.normal)
  const way = screenWay(stage, at, n)
  const length = Math.hypot(way.x, way.y) || 1
  const tip = { x: grip.x + (way.x / length) * 26, y: grip.y + (way.y / length) * 26 }
  return (
    <g className="cutting" data-testid={`section-plane-${which}`}>
      <polygon className="axis" points={frame.map((s) => `${s.x},${s.y}`).join(' ')} />
      {length * stage.mmPerPx() > 0.15 && <Arrow from={tip} to={grip} />}
      <g className="value" onPointerDown={(e) => pull(e, stage, which, way)}>
        <rect
          className="grip"
          data-testid={`section-grip-${which}`}
          x={grip.x - 6}
          y={grip.y - 6}
          width={12}
          height={12}
        />
        <text x={grip.x + 12} y={grip.y - 8}>
          {words}
        </text>
      </g>
    </g>
  )
}

/** From where the cut is looked at (ISO 128-3: arrows of a cutting plane). */
function Arrow({ from, to }: { from: Spot; to: Spot }) {
  const l = Math.hypot(to.x - from.x, to.y - from.y) || 1
  const [x, y] = [(to.x - from.x) / l, (to.y - from.y) / l]
  const at = (along: number, side: number) =>
    `${to.x - x * along - y * side},${to.y - y * along + x * side}`
  return (
    <>
      <line className="line heavy" x1={from.x} y1={from.y} x2={to.x - x * 14} y2={to.y - y * 14} />
      <polygon className="head" points={`${at(7, 0)} ${at(17, 3.6)} ${at(17, -3.6)}`} />
    </>
  )
}

function pull(e: React.PointerEvent<SVGElement>, stage: Stage, which: number, way: Spot): void {
  if (e.button !== 0) return
  e.preventDefault()
  e.stopPropagation()
  const first = useSection.getState().planes[which]
  if (!first) return
  const l2 = way.x ** 2 + way.y ** 2
  const usable = l2 * stage.mmPerPx() ** 2 > 0.03
  const step = niceStep(stage.mmPerPx() * 400)
  const put = (offset: number) => {
    const { planes, set } = useSection.getState()
    set({ planes: planes.map((p, k) => (k === which ? { ...first, offset } : p)) })
  }
  followPointer(e, {
    move: (m) => {
      const [dx, dy] = [m.clientX - e.clientX, m.clientY - e.clientY]
      const d = usable ? (dx * way.x + dy * way.y) / l2 : -dy * stage.mmPerPx()
      put(Number((Math.round((first.offset + d) / step) * step).toPrecision(12)))
    },
    cancel: () => put(first.offset),
  })
}

/** While a face is asked for, the next click on one lays the plane on it. */
function useFacePick(stage: Stage): void {
  const placing = useSection((s) => s.placing)
  useEffect(() => {
    if (placing === null) return
    const click = (e: PointerEvent) => {
      if (e.button !== 0) return
      const r = stage.canvas.getBoundingClientRect()
      const found = stage.pointing.faceUnder(e.clientX - r.left, e.clientY - r.top)
      if (!found) {
        say('No face is there. Click on a body.')
        return
      }
      e.stopPropagation()
      const n = found.normal
      // straight along an axis within rounding: then it is that axis
      const clean = n
        .toArray()
        .map((x) => (Math.abs(x) < 1e-6 ? 0 : Math.abs(x) > 1 - 1e-9 ? Math.sign(x) : x))
      const offset = Number(found.at.dot(n).toPrecision(9))
      const { planes, set } = useSection.getState()
      const plane = { normal: clean as unknown as Three, offset }
      set({ planes: planes.map((p, k) => (k === placing ? plane : p)), placing: null })
    }
    const key = (e: KeyboardEvent) => {
      if (e.key !== 'Escape') return
      e.stopPropagation()
      useSection.getState().set({ placing: null })
    }
    const canvas = stage.canvas
    canvas.addEventListener('pointerdown', click, true)
    addEventListener('keydown', key, true)
    return () => {
      canvas.removeEventListener('pointerdown', click, true)
      removeEventListener('keydown', key, true)
    }
  }, [stage, placing])
}
