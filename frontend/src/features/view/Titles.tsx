import { toggleMeasuring, useMeasuring } from '../../shared/measuring'
import { useView } from '../../shared/viewState'
import { ANGLE, TITLES, titleOf, wordsOf } from './camera'
import type { Title } from './camera'
import type { Stage } from './Stage'

/** From where it is looked, and how; the titles are the axis control too. */
export function Titles(props: {
  stage: Stage
  turn: (name: Exclude<Title, 'free'>) => void
  all: () => void
}) {
  const view = useView()
  const measuring = useMeasuring((s) => s.on)
  const title = titleOf(props.stage.looking)
  return (
    <nav className="titles" aria-label="Where from">
      <button
        className="plain"
        aria-pressed={title === 'turned' || title === 'free'}
        data-testid="see-turned"
        onClick={() => props.turn('turned')}
      >
        {title === 'turned' || title === 'free' ? wordsOf(props.stage.looking) : 'Turned'}
      </button>
      {(['front', 'side', 'top'] as const).map((t) => (
        <button
          key={t}
          className="plain"
          aria-pressed={title === t}
          data-testid={`see-${t}`}
          onClick={() => props.turn(t)}
        >
          {TITLES[t].words}
        </button>
      ))}
      <button
        className="plain"
        aria-pressed={view.beside}
        data-testid="beside"
        title="Front, side and top beside the large view (V)"
        onClick={() => view.set({ beside: !view.beside })}
      >
        {view.beside ? 'Beside ›' : '‹ Beside'}
      </button>
      <span>·</span>
      <button
        className="plain"
        data-testid="perspective"
        title="Perspective or parallel"
        onClick={() => view.set({ perspective: !view.perspective })}
      >
        {view.perspective ? `Perspective ${ANGLE}°` : 'Parallel'}
      </button>
      <button className="plain" data-testid="see-all" onClick={props.all}>
        See all
      </button>
      <button
        className="plain"
        data-testid="measure"
        aria-pressed={measuring}
        title="Read distances, angles, radii and lengths off the bodies (M)"
        onClick={toggleMeasuring}
      >
        Measure
      </button>
    </nav>
  )
}
