import { useEffect, useRef } from 'react'
import { api } from '../../shared/api/client'
import type { PartView } from '../../shared/api/client'
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
import type { CutPlane, Three } from '../../shared/section'
import { say, useSession } from '../../shared/session'
import { useLengths } from '../../shared/shown'
import { WordMenu } from '../../shared/ui/Menu'
import { ViewNumber } from '../../shared/ui/ViewNumber'
import { areaText, lengthText, niceLength } from '../../shared/units'
import { useView } from '../../shared/viewState'
import { way } from './camera'
import { shownCorners } from './layout'
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
  const lengths = useLengths()
  if (planes.length === 0) return null
  const put = (i: number, p: CutPlane) => set({ planes: planes.map((q, k) => (k === i ? p : q)) })
  const name = (id: string) => parts.find((p) => p.part === id)?.name ?? id
  const step = niceLength(sizeOf(parts), lengths)
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
            value={placeOf(p) / lengths.per}
            unit={lengths.unit}
            step={step / lengths.per}
            words="Where the plane stands"
            testId={`section-at-${i}`}
            change={(v) => {
              const now = useSection.getState().planes
              set({ planes: now.map((q, k) => (k === i ? movedTo(q, v * lengths.per) : q)) })
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
            {r.area === null ? 'is open here' : areaText(r.area, lengths)}, outline{' '}
            {`${lengthText(r.perimeter, lengths, 5)}. `}
          </span>
        ))}
        {gaps.slice(0, 2).map((g) => (
          <span key={`${g.plane}-${g.other}`} className={g.crossing ? 'amber' : ''}>
            {g.crossing
              ? `Crosses ${name(g.other)}. `
              : g.distance < 1e-6
                ? `Touches ${name(g.other)}. `
                : `${lengthText(g.distance, lengths, 4)} to ${name(g.other)}. `}
          </span>
        ))}
      </p>
    </section>
  )
}

function sizeOf(parts: readonly PartView[]): number {
  const c = shownCorners(parts)
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
