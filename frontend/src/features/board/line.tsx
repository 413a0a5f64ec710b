import type { CurveView } from '../../shared/api/client'
import type { Pair } from '../../shared/dragging'
import type { Plane } from '../../shared/planes'
import { useLengths } from '../../shared/shown'
import { lengthFigure, lengthText } from '../../shared/units'

/** The radius of a corner, beside it, on the side of its arc. */
export function FilletText(props: {
  f: CurveView['fillets'][number]
  points: CurveView['points']
  px: (p: readonly number[]) => Pair
}) {
  const { f, points, px } = props
  const lengths = useLengths()
  const corner = points.find((p) => p.id === f.point)
  if (!corner) return null
  const [x, y] = px(corner.at)
  const [cx, cy] = px(f.centre)
  // of a chamfer there is no centre: it stands on the side that has room
  const left = !f.cut && cx < x
  const room =
    f.radius < f.asked * (1 - 1e-9)
      ? ` (room for no more, ${lengthFigure(f.asked, lengths, 4)} asked)`
      : ''
  return (
    <text
      x={x + (left ? -8 : 8)}
      y={y + (cy < y ? 20 : -11)}
      textAnchor={left ? 'end' : 'start'}
      pointerEvents="none"
    >
      {f.cut ? 'C' : 'R'} {lengthText(f.radius, lengths, 4)}
      {room}
    </text>
  )
}

export function toPath(
  view: CurveView | undefined,
  px: (p: readonly number[]) => Pair,
  rows = view?.samples ?? [],
): string {
  if (!view || !rows.length) return ''
  return (
    rows
      .map(
        (p, i) =>
          `${i ? 'L' : 'M'}${px(p)
            .map((v) => v.toFixed(2))
            .join(' ')}`,
      )
      .join('') + (view.closed ? 'Z' : '')
  )
}

/** The point behind which a new one on the line belongs, the piece whose chord is nearest as it is drawn; and the place on that chord. */
export function nearestPiece(
  view: CurveView | undefined,
  at: Pair,
  [across, up]: Plane,
): { after: string | null; place: number[] } {
  const pts = view?.points ?? []
  const last = pts.at(-1)
  let best = { after: last?.id ?? null, place: [...(last?.at ?? [...at])] }
  let least = Infinity
  const count = view?.closed ? pts.length : pts.length - 1
  for (let i = 0; i < count; i += 1) {
    const a = pts[i]
    const b = pts[(i + 1) % pts.length]
    if (!a || !b) continue
    const [ax, ay] = [a.at[across] ?? 0, a.at[up] ?? 0]
    const [bx, by] = [b.at[across] ?? 0, b.at[up] ?? 0]
    const l = (bx - ax) ** 2 + (by - ay) ** 2
    const t =
      l > 0
        ? Math.min(1, Math.max(0, ((at[0] - ax) * (bx - ax) + (at[1] - ay) * (by - ay)) / l))
        : 0
    const d = Math.hypot(at[0] - ax - t * (bx - ax), at[1] - ay - t * (by - ay))
    if (d < least) {
      least = d
      best = { after: a.id, place: a.at.map((x, k) => x + t * ((b.at[k] ?? x) - x)) }
    }
  }
  return best
}
