import { memo, useEffect, useMemo, useRef, useState } from 'react'
import type { PointerEvent as ReactPointerEvent } from 'react'
import { Vector3 } from 'three'
import { api } from '../../shared/api/client'
import type { BenchView, PartView, StepView } from '../../shared/api/client'
import { choosePart } from '../../shared/parts'
import { clickedKind, usePick } from '../../shared/picking'
import type { Elements, Kind } from '../../shared/picking'
import { unpacked } from '../../shared/section'
import { useLengths } from '../../shared/shown'
import { lengthText } from '../../shared/units'
import { useView } from '../../shared/viewState'
import { LengthCallout, PointGrip, SmallGrip } from './Callouts'
import type { Typing } from './Callouts'
import { shownCallouts } from './calloutWork'
import type { Shown } from './calloutWork'
import { screenAxes, titleOf } from './camera'
import type { Looking } from './camera'
import { DimensionLines, Label } from './Dimensions'
import { anchorOf, apartFromEachOther, cornersOf, matrixOf } from './layout'
import type { Dimension, Spot } from './layout'
import { inFile } from '../../shared/number'
import type { NumberTarget } from '../../shared/number'
import { NumberField } from '../../shared/ui/NumberChip'
import { Pane } from './Pane'
import type { PaneTitle } from './Pane'
import { armOf, linesOf, usePickPointer } from './picks'
import type { Stage } from './Stage'

export const PANE = { width: 118, height: 112 }
const WAIT = 120

const WORDS: Record<PaneTitle, string> = {
  turned: 'Turned',
  front: 'Front',
  side: 'Side',
  top: 'Top',
}

interface Props {
  stage: Stage
  bench: BenchView
  parts: readonly PartView[]
  here: PartView | undefined
  step: StepView | undefined
  turn: (name: PaneTitle) => void
}

/** Front, side and top beside the large view, in first-angle order: the side from the left stands right, the top below. */
export function SideViews(props: Props) {
  const large = titleOf(props.stage.looking)
  const order: PaneTitle[] = ['front', 'side', 'top']
  // the large one is not shown twice: in its place stands the view that was large before
  const titles = order.map((t) => (t === large ? 'turned' : t))
  return (
    <aside className="side-views" aria-label="Front, side and top" data-testid="side-views">
      {titles.map((t, i) => (
        <PaneView key={order[i]} {...props} title={t} place={order[i] ?? 'front'} />
      ))}
    </aside>
  )
}

function PaneView(props: Props & { title: PaneTitle; place: PaneTitle }) {
  const { stage, bench, parts, here, step, title, place, turn } = props
  const canvas = useRef<HTMLCanvasElement>(null)
  const [element, setElement] = useState<HTMLCanvasElement | null>(null)
  const pane = useMemo(() => new Pane(stage, title, PANE.width, PANE.height), [stage, title])
  const picking = useView((s) => s.picking)
  const [drawn, setDrawn] = useState<Looking | null>(null)
  const changes = stage.changes
  useEffect(() => () => pane.dispose(), [pane])
  usePickPointer(pane, element)
  useEffect(() => {
    const timer = window.setTimeout(() => {
      if (!canvas.current) return
      pane.fit(parts, title)
      pane.draw(canvas.current)
      setDrawn(pane.looking)
      canvas.current.dataset['changes'] = String(changes)
    }, WAIT)
    return () => clearTimeout(timer)
  }, [pane, title, parts, changes])
  const outline = useOutline(title, parts, changes)
  const point = (e: ReactPointerEvent<HTMLCanvasElement>) => {
    const r = e.currentTarget.getBoundingClientRect()
    const [x, y] = [e.clientX - r.left, e.clientY - r.top]
    if (picking) return
    const hit = pane.faceAt(x, y)
    if (hit) choosePart(hit.part, e.ctrlKey || e.metaKey || e.shiftKey)
    else turn(title)
  }
  return (
    <figure className={`pane at-${place}`} data-testid={`pane-${title}`}>
      <figcaption>
        <button
          className="plain"
          data-testid={`swap-${title}`}
          title="Make it the large view"
          onClick={() => turn(title)}
        >
          {WORDS[title]}
        </button>
      </figcaption>
      <canvas
        ref={(c) => {
          canvas.current = c
          setElement(c)
        }}
        style={{ width: PANE.width, height: PANE.height, opacity: outline ? 0 : 1 }}
        onPointerUp={point}
        aria-label={`${WORDS[title]} view`}
      />
      {drawn && outline && <OutlineLines pane={pane} looking={drawn} outline={outline} />}
      {drawn && picking && <PaneMarks pane={pane} looking={drawn} />}
      {drawn && here && (
        <Over
          pane={pane}
          looking={drawn}
          bench={bench}
          parts={parts}
          part={here}
          step={step}
          title={title}
        />
      )}
    </figure>
  )
}

interface Outline {
  outline: Float32Array
  edge: Float32Array
}

/** The lines that are seen from a side, worked out by the server once the bodies rest. */
function useOutline(title: PaneTitle, parts: readonly PartView[], changes: number): Outline | null {
  const only = useView((s) => s.only)
  const [held, setHeld] = useState<{ key: string; lines: Outline } | null>(null)
  const shown = parts.filter((p) => p.mesh && p.matrix && !p.hidden && (!only || p.part === only))
  const key = title + shown.map((p) => `${p.mesh ?? ''} ${(p.matrix ?? []).join()}`).join('|')
  const asked = useRef('')
  useEffect(() => {
    if (asked.current === key || shown.length === 0) return
    const timer = window.setTimeout(() => {
      asked.current = key
      const view = title === 'side' ? 'left' : title
      const bodies = shown.map((p) => ({
        part: p.part,
        mesh: p.mesh ?? '',
        matrix: p.matrix ?? [],
      }))
      api
        .outlines({ bodies, views: [view] })
        .then((found) => {
          const row = found.views[0]
          if (row && asked.current === key)
            setHeld({ key, lines: { outline: unpacked(row.outline), edge: unpacked(row.edge) } })
        })
        .catch(() => undefined) // the picture stays
    }, WAIT)
    return () => clearTimeout(timer)
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [key, title, changes])
  return held?.key === key ? held.lines : null
}

const OutlineLines = memo(function OutlineLines(props: {
  pane: Pane
  looking: Looking
  outline: Outline
}) {
  const { pane, looking, outline } = props
  const [right, up] = screenAxes(looking)
  const target = new Vector3(...looking.target)
  const mm = pane.mmPerPx()
  const [x0, y0] = [target.dot(right), target.dot(up)]
  const path = (rows: Float32Array) => {
    const out: string[] = []
    for (let i = 0; i < rows.length; i += 4) {
      const at = (k: number) =>
        `${(((rows[i + k] ?? 0) - x0) / mm + PANE.width / 2).toFixed(2)} ${(PANE.height / 2 - ((rows[i + k + 1] ?? 0) - y0) / mm).toFixed(2)}`
      out.push(`M${at(0)}L${at(2)}`)
    }
    return out.join('')
  }
  return (
    <svg className="callouts small outline" data-testid="pane-outline">
      <path className="line strong" d={path(outline.outline)} />
      <path className="line" d={path(outline.edge)} />
    </svg>
  )
})

const MOST_MARKED = 4000

/** What is picked and what is pointed at, over the outline. */
const PaneMarks = memo(function PaneMarks({ pane, looking }: { pane: Pane; looking: Looking }) {
  const { view, elements, hovered, fresh } = usePick()
  const e = elements && elements.digest === view?.mesh ? elements : null
  const picked = useMemo(
    () => (view && e ? pathOf(pane, e, view.matrix, view.kind, view.picked) : ''),
    // the pane projects otherwise when it looks otherwise
    // eslint-disable-next-line react-hooks/exhaustive-deps
    [pane, looking, e, view],
  )
  if (!view || !e) return null
  const pointed = hovered === null ? fresh : [hovered, ...fresh]
  return (
    <svg className="callouts small" data-testid="pane-picked" data-pointed={pointed.length}>
      <path className="meant" d={picked} />
      {pointed.length > 0 && (
        <path
          className="meant hover"
          d={pathOf(pane, e, view.matrix, clickedKind(view), pointed)}
        />
      )}
    </svg>
  )
})

/** Lines that show elements as a small view looks at them. */
function pathOf(
  pane: Pane,
  e: Elements,
  matrix: number[],
  kind: Kind,
  which: readonly number[],
): string {
  const world = matrixOf({ matrix })
  const rows = linesOf(e, kind, which.slice(0, MOST_MARKED), armOf(e))
  const out: string[] = []
  for (let i = 0; i < rows.length; i += 3) {
    const p = new Vector3(...[0, 1, 2].map((k) => (rows[i + k] ?? 0) + (e.origin[k] ?? 0)))
    const s = pane.project(p.applyMatrix4(world))
    out.push(`${i % 6 ? 'L' : 'M'}${s.x.toFixed(1)} ${s.y.toFixed(1)}`)
  }
  return out.join('')
}

/** Sizes of the chosen part, and what of its step can be pulled in this view. */
const Over = memo(function Over(props: {
  pane: Pane
  looking: Looking
  bench: BenchView
  parts: readonly PartView[]
  part: PartView
  step: StepView | undefined
  title: PaneTitle
}) {
  const { pane, bench, parts, part, step, title } = props
  const [typing, setTyping] = useState<Typing | null>(null)
  const open = (target: NumberTarget, at: Spot, begin?: string) => setTyping({ target, at, begin })
  const shown = title === 'turned' ? [] : shownCallouts(bench, parts, part, step)
  const points = title === 'top' ? [] : shown.filter((s) => s.callout.form === 'point')
  const lengths = shown.filter((s) => isLength(s) && alongPane(title, s.callout.along))
  const others = shown
    .filter((s) => !isLength(s) && s.callout.form !== 'point')
    .map((s) => ({ s, ...anchorOf(pane, part, s.callout, inFile(s.target)) }))
  const spots = apartFromEachOther(
    others.map((o) => o.anchor),
    8,
  )
  return (
    <>
      <svg className="callouts small">
        {title !== 'turned' && lengths.length === 0 && (
          <Sizes pane={pane} part={part} title={title} />
        )}
        {lengths.map((s) => (
          <LengthCallout
            key={s.callout.target}
            stage={pane}
            part={part}
            bench={bench}
            s={s}
            open={open}
            small
          />
        ))}
        {others.map(({ s, arc }, i) => (
          <SmallGrip
            key={s.callout.target}
            stage={pane}
            part={part}
            bench={bench}
            s={s}
            at={spots[i] ?? { x: 0, y: 0 }}
            arc={arc}
            open={open}
          />
        ))}
        {points.map((s) => (
          <PointGrip key={s.callout.target} stage={pane} part={part} bench={bench} s={s} small />
        ))}
      </svg>
      {typing && (
        <div className="callout-field" style={{ left: -12, top: Math.max(typing.at.y - 4, 0) }}>
          <NumberField target={typing.target} begin={typing.begin} close={() => setTyping(null)} />
        </div>
      )}
    </>
  )
})

function isLength(s: Shown): boolean {
  return s.callout.form === 'length' || s.callout.form === 'diameter'
}

/** Whether a direction lies in the plane of a view. */
function alongPane(title: PaneTitle, along: readonly number[]): boolean {
  const away = { front: 1, side: 0, top: 2, turned: 0 }[title]
  return Math.abs(along[away] ?? 0) < 0.2
}

/** Overall sizes: width and height in front, depth from the side; the top repeats none. */
function Sizes({ pane, part, title }: { pane: Pane; part: PartView; title: PaneTitle }) {
  const lengths = useLengths()
  if (!part.bounds || title === 'top') return null
  const spots = cornersOf(part).map((c) => pane.project(c))
  const xs = spots.map((s) => s.x)
  const ys = spots.map((s) => s.y)
  const [left, right] = [Math.min(...xs), Math.max(...xs)]
  const [top, bottom] = [Math.min(...ys), Math.max(...ys)]
  const mm = (px: number) => lengthText(Number((px * pane.mmPerPx()).toPrecision(4)), lengths, 4)
  const wide: Dimension = {
    kind: 'dimension',
    key: 'wide',
    a: { x: left, y: bottom },
    b: { x: right, y: bottom },
    p: { x: left, y: PANE.height - 6 },
    q: { x: right, y: PANE.height - 6 },
    label: { x: (left + right) / 2, y: PANE.height - 10 },
    turn: 0,
  }
  const high: Dimension = {
    kind: 'dimension',
    key: 'high',
    a: { x: left, y: bottom },
    b: { x: left, y: top },
    p: { x: 14, y: bottom },
    q: { x: 14, y: top },
    label: { x: 10, y: (top + bottom) / 2 },
    turn: -90,
  }
  return (
    <>
      <DimensionLines d={wide} />
      <Label d={wide} text={mm(right - left)} sign={null} />
      {title === 'front' && <DimensionLines d={high} />}
      {title === 'front' && <Label d={high} text={mm(bottom - top)} sign={null} />}
    </>
  )
}
