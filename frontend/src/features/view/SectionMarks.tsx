import { useEffect } from 'react'
import { Vector3 } from 'three'
import type { PartView } from '../../shared/api/client'
import { followPointer } from '../../shared/dragging'
import { niceStep } from '../../shared/format'
import { axisOf, placeOf, useSection } from '../../shared/section'
import type { CutPlane, SectionGap, Three } from '../../shared/section'
import { say } from '../../shared/session'
import { useLengths } from '../../shared/shown'
import { lengthText } from '../../shared/units'
import { useView } from '../../shared/viewState'
import { PANES, screenWay, shownCorners } from './layout'
import type { Spot } from './layout'
import { planeFrame } from './planeFrame'
import type { Stage } from './Stage'
import { boxOf, useUp } from './words'

/** The planes as chain lines round the bodies, each with a grip, and the gaps as dimensions. */
export function SectionMarks({ stage, parts }: { stage: Stage; parts: readonly PartView[] }) {
  const { planes, gaps, placing } = useSection()
  useFacePick(stage)
  if (planes.length === 0) return null
  const corners = shownCorners(parts)
  if (corners.length === 0) return null
  return (
    <svg className="callouts" data-testid="section-marks" data-placing={placing ?? ''}>
      {planes.map((p, i) => (
        <PlaneFrame key={i} stage={stage} plane={p} which={i} corners={corners} />
      ))}
      {nearestGaps(gaps).map((g) => (
        <GapMark key={`${g.plane}-${g.other}`} stage={stage} gap={g} />
      ))}
    </svg>
  )
}

const MOST_GAPS = 2
const NOWHERE = { x: 0, y: 0 }

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

function GapMark({ stage, gap }: { stage: Stage; gap: SectionGap }) {
  const lengths = useLengths()
  const [a = NOWHERE, b = NOWHERE] = gap.places.map((p) =>
    stage.project(new Vector3(p[0], p[1], p[2])),
  )
  const text = lengthText(gap.distance, lengths, 4)
  const wish = { x: (a.x + b.x) / 2 + 34, y: (a.y + b.y) / 2 - 26 }
  const up = useUp(stage, `gap ${gap.plane} ${gap.other}`, boxOf(text, wish))
  const label = { x: wish.x, y: wish.y - up }
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
      <text x={label.x} y={label.y}>
        {text}
      </text>
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
  const lengths = useLengths()
  const at = new Vector3(...plane.normal).multiplyScalar(plane.offset)
  const frame = planeFrame(stage, plane, corners)
  // the highest corner that no small view covers
  const beside = useView((v) => v.beside)
  const free = frame.filter((s) => !beside || s.x < stage.width - PANES.width || s.y > PANES.height)
  const grip = (free.length ? free : frame).reduce((best, s) => (s.y < best.y ? s : best))
  const words = `${axisOf(plane)?.axis.toUpperCase() ?? 'Face'} ${lengthText(placeOf(plane), lengths, 5)}`
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
      const offset = found.at.dot(n)
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
