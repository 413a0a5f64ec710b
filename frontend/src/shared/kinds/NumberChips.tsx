import { figure } from '../format'
import { addressOf, writtenPoints } from '../graph'
import { doEdit } from '../session'
import { useView } from '../viewState'
import type { ChipProps } from './at'
import { setting } from './chip'

/** A number; one that was typed over what another value gives has a way back beside it. */
export function OneNumber(props: ChipProps) {
  const { spec, step } = props
  const typed = spec.follows !== '' && (step.values?.[spec.key] ?? null) !== null
  return (
    <span style={typed ? { whiteSpace: 'nowrap' } : undefined}>
      {props.number('')}
      {typed && (
        <button
          className="plain link back"
          data-testid={`back-${props.part.id}/${step.id}/values/${spec.key}`}
          title={`Back to ${spec.otherwise || 'what it is by itself'}`}
          aria-label={`${spec.key.replaceAll('_', ' ')}: back to ${spec.otherwise || 'what it is by itself'}`}
          onClick={() => doEdit(setting(props, null))}
        >
          ↶
        </button>
      )}
    </span>
  )
}

/** Numbers along the axes, with a cross between them; the unit stands behind the last. */
export function SeveralNumbers(props: ChipProps) {
  const { spec } = props
  return (
    <span style={{ whiteSpace: 'nowrap' }}>
      {Array.from({ length: spec.axes }, (_, k) => (
        <span key={k}>
          {k > 0 && ' × '}
          {props.number(`/${k}`, k < spec.axes - 1 || !spec.unit)}
        </span>
      ))}
    </span>
  )
}

/** Numbers along or about the axes, each behind the axis' letter. */
export function AlongAxes(props: ChipProps) {
  return (
    <>
      {['X', 'Y', 'Z'].slice(0, props.spec.axes).map((axis, k) => (
        <span key={axis} style={{ whiteSpace: 'nowrap' }}>
          {k > 0 && ', '}
          {axis} {props.number(`/${String(k)}`)}
        </span>
      ))}
    </>
  )
}

/** An angle for each of what another value lists. */
export function EachAngle(props: ChipProps) {
  const listed: unknown = props.step.values?.[props.spec.beside]
  const count = Array.isArray(listed) ? listed.length : 0
  return (
    <>
      turned by{' '}
      {Array.from({ length: count }, (_, k) => (
        <span key={k} style={{ whiteSpace: 'nowrap' }}>
          {k > 0 && ', '}
          {props.number(`/${String(k)}`)}
        </span>
      ))}
    </>
  )
}

/** A graph: what its values run through; a click opens it for editing. */
export function GraphChip(props: ChipProps) {
  const { step, spec } = props
  const place = { part: props.part.id, step: step.id, key: spec.key }
  const open = useView((s) => s.graph !== null && addressOf(s.graph) === addressOf(place))
  const points = writtenPoints(step, spec.key)
  const value = (x: number | string) => (typeof x === 'number' ? figure(x, 4) : x)
  const words = points.length
    ? `${points.map((p) => value(p.value)).join(' → ')}${spec.unit ? `\u2009${spec.unit}` : ''}`
    : spec.otherwise || 'level'
  return (
    <button
      className={`plain chip choice${open ? ' editing' : ''}`}
      data-testid={`chip-${addressOf(place)}`}
      title={`${spec.description} Click to draw it.`}
      onClick={() =>
        useView.getState().set(open ? { graph: null } : { graph: place, board: null, lookAt: null })
      }
    >
      {words}
    </button>
  )
}
