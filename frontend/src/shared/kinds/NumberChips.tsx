import { figure } from '../format'
import { addressOf, writtenPoints } from '../graph'
import { useView } from '../viewState'
import type { ChipProps } from './at'

export function OneNumber(props: ChipProps) {
  return <>{props.number('')}</>
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
