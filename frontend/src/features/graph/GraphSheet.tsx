import { useEffect, useState } from 'react'
import type { BenchView, Step } from '../../shared/api/client'
import {
  addressOf,
  asCorner,
  graphWords,
  readyShapes,
  setting,
  withPoint,
  writtenPoints,
} from '../../shared/graph'
import type { GraphPlace, Written } from '../../shared/graph'
import { graphPoints, otherGraphs, unitOf } from '../../shared/graphPlaces'
import { operatorOf } from '../../shared/operators'
import { doEdit, edit, shownParts, useSession } from '../../shared/session'
import { sizeOf } from '../../shared/targets'
import { WordMenu } from '../../shared/ui/Menu'
import { useSize } from '../../shared/useSize'
import { useView } from '../../shared/viewState'
import { Drawing } from './Drawing'
import { Points } from './Points'

/** A value that varies along a run, drawn: its points are added, dragged, typed and taken away. */
export function GraphSheet({ place }: { place: GraphPlace }) {
  const session = useSession()
  const bench = session.preview ?? session.bench
  const [chosen, setChosen] = useState<string | null>(null)
  const [box, size] = useSize<SVGSVGElement>([600, 220])

  useEffect(() => () => useView.getState().set({ along: null }), [])
  const step = stepOf(bench, place)
  if (!bench || !step) return null
  const parts = shownParts(session)
  const floor = sizeOf(
    parts.find((p) => p.part === place.part),
    bench.document.floor ?? 100,
  )
  const unit = unitOf(bench, place)
  const kept = writtenPoints(step, place.key)
  // what stands there while nothing is written: level
  const written = kept.length ? kept : (readyShapes(unit, floor)[0]?.points ?? [])
  const points = graphPoints(bench, parts, place, written)
  const write = (rows: readonly Written[]) => doEdit(setting(place, rows))
  const add = (at: number, value: number) => {
    const made = withPoint(written, points, at, value)
    if (!made) return
    edit(setting(place, made.points))
      .then(() => setChosen(made.id))
      .catch(() => undefined)
  }
  const remove = (id: string) => {
    write(kept.filter((p) => p.id !== id))
    setChosen(null)
  }
  return (
    <section
      className="board graph-sheet"
      data-testid="graph-sheet"
      data-graph={addressOf(place)}
      tabIndex={-1}
      onKeyDown={(e) => {
        if (e.target instanceof HTMLInputElement) return
        if ((e.key === 'Delete' || e.key === 'Backspace') && chosen) {
          remove(chosen)
          e.stopPropagation()
        }
      }}
    >
      <Header
        bench={bench}
        place={place}
        step={step}
        level={kept.length === 0}
        size={floor}
        choose={(rows) => {
          setChosen(null)
          write(rows)
        }}
      />
      <Drawing
        box={box}
        size={size}
        place={place}
        unit={unit}
        written={written}
        points={points}
        chosen={chosen}
        choose={setChosen}
        add={add}
      />
      <Points
        place={place}
        bench={bench}
        written={kept}
        unit={unit}
        chosen={chosen}
        choose={setChosen}
        remove={remove}
        shape={(id, smooth) => write(asCorner(kept, id, smooth))}
      />
    </section>
  )
}

function stepOf(bench: BenchView | null, place: GraphPlace): Step | undefined {
  return bench?.document.parts
    ?.find((p) => p.id === place.part)
    ?.recipe.find((s) => s.id === place.step)
}

function Header(props: {
  bench: BenchView
  place: GraphPlace
  step: Step
  level: boolean
  size: number
  choose: (points: readonly Written[]) => void
}) {
  const { bench, place, step, choose } = props
  const words = graphWords(place.key)
  const op = operatorOf(step.operator)
  const entry = (id: string, text: string, points: readonly Written[]) => ({
    id,
    words: text,
    act: () => choose(points.map((p) => ({ ...p }))),
  })
  const shapes = readyShapes(unitOf(bench, place), props.size)
  const others = otherGraphs(bench, place)
  return (
    <header>
      <b className="prose" style={{ fontSize: 16 }}>
        {words.charAt(0).toUpperCase() + words.slice(1)} along the {step.name ?? op?.name}
      </b>
      <WordMenu
        trigger={
          <button className="plain link" data-testid="graph-shapes">
            Ready shapes
          </button>
        }
        entries={shapes.map((s) => entry(s.name, s.name, s.points))}
      />
      {others.length > 0 && (
        <WordMenu
          trigger={
            <button className="plain link" data-testid="graph-copy">
              Copy from another
            </button>
          }
          entries={others.map((o, i) => entry(String(i), o.words, o.points))}
        />
      )}
      {!props.level && (
        <button className="plain link" data-testid="graph-level" onClick={() => choose([])}>
          Take it away
        </button>
      )}
      <button
        className="plain link"
        data-testid="close-graph"
        style={{ marginLeft: 'auto' }}
        onClick={() => useView.getState().set({ graph: null, along: null })}
      >
        Close
      </button>
    </header>
  )
}
