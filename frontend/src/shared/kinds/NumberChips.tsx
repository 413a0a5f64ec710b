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

/** The points of a graph: each its value and its place. */
export function GraphChip(props: ChipProps) {
  const raw = props.step.values?.[props.spec.key]
  if (!Array.isArray(raw)) return <>{props.spec.otherwise || 'level'}</>
  const points = raw as { id?: string }[]
  return (
    <>
      {points.map((p, i) => (
        <span key={p.id ?? i}>
          {i > 0 && ', '}
          {props.number(`/${p.id ?? i}/value`)} at {props.number(`/${p.id ?? i}/at`)}
        </span>
      ))}
    </>
  )
}
