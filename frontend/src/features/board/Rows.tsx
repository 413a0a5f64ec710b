import type { Curve, CurveView } from '../../shared/api/client'
import { cut, split } from '../../shared/curveMoves'
import { freeId } from '../../shared/format'
import { planeName } from '../../shared/planes'
import type { Plane } from '../../shared/planes'
import { doEdit, shownParts, useSession } from '../../shared/session'
import { freeCurve } from '../../shared/startingCurves'
import { useLengths } from '../../shared/shown'
import { numberAt } from '../../shared/targets'
import { ChoiceWord } from '../../shared/ui/ChoiceWord'
import { WordMenu } from '../../shared/ui/Menu'
import type { MenuEntry } from '../../shared/ui/Menu'
import { NumberChip } from '../../shared/ui/NumberChip'

type Join = 'straight' | 'bezier' | 'smooth'
const JOINS: readonly [Join, string][] = [
  ['straight', 'straight'],
  ['bezier', 'Bezier'],
  ['smooth', 'smooth'],
]

/** The points as numbers: typed coordinates, radii, and how each piece runs. */
export function Rows(props: {
  curve: Curve
  plane: Plane
  chosen: readonly string[]
  setChosen: (points: readonly string[]) => void
  remove: (points: readonly string[]) => void
}) {
  const { curve, chosen, setChosen } = props
  const session = useSession()
  const bench = session.preview ?? session.bench
  const lengths = useLengths()
  if (!bench) return null
  const view = bench.curves.find((c) => c.id === curve.id)
  const inSpace = curve.kind === 'path'
  const names = inSpace ? ['X', 'Y', 'Z'] : ['across', 'up']
  const number = (address: string, plain = true) => {
    const target = numberAt(bench, shownParts(session), address)
    return target ? <NumberChip target={target} plain={plain} /> : null
  }
  return (
    <div className="rows">
      <table>
        <thead>
          <tr>
            <th />
            {names.map((name) => (
              <th key={name}>{name}</th>
            ))}
            <th title={`Radius of the corner, ${lengths.unit}`}>R</th>
            <th title={`Chamfer: how far from the point it is cut off, ${lengths.unit}`}>
              C, {lengths.unit}
            </th>
            <th>then</th>
            <th />
          </tr>
        </thead>
        <tbody>
          {curve.points.map((p, i) => (
            <tr
              key={p.id}
              className={chosen.includes(p.id ?? '') ? 'chosen' : ''}
              onClick={(e) => setChosen(e.shiftKey ? [...chosen, p.id ?? ''] : [p.id ?? ''])}
              data-testid={`row-${p.id ?? ''}`}
            >
              <td className="muted figures">{i + 1}</td>
              {names.map((name, k) => (
                <td key={name}>{number(`curves/${curve.id}/${p.id ?? ''}/at/${k}`)}</td>
              ))}
              <td>{number(`curves/${curve.id}/${p.id ?? ''}/fillet`)}</td>
              <td>{number(`curves/${curve.id}/${p.id ?? ''}/chamfer`)}</td>
              <td>
                <ChoiceWord
                  label={`How the piece after point ${i + 1} runs`}
                  testId={`join-${p.id ?? ''}`}
                  now={p.join ?? 'straight'}
                  choices={JOINS}
                  choose={(join) =>
                    doEdit({ kind: 'set_point', curve: curve.id, point: p.id ?? '', join })
                  }
                />
              </td>
              <td>
                <WordMenu
                  testId={`choices-point-${p.id ?? ''}`}
                  trigger={
                    <button
                      className="plain muted"
                      aria-label={`What to do with point ${i + 1}`}
                      data-testid={`point-more-${p.id ?? ''}`}
                    >
                      ⋯
                    </button>
                  }
                  entries={entriesOf(curve, view, i, props.remove)}
                />
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {curve.traced && (
        <p className="figures" style={{ margin: '8px 0 0', fontSize: 14 }} data-testid="traced-row">
          {curve.traced.file}, {number(`curves/${curve.id}/traced/wide`, false)} wide, at{' '}
          {number(`curves/${curve.id}/traced/at/0`)},{' '}
          {number(`curves/${curve.id}/traced/at/1`, false)}
        </p>
      )}
      <Piece curve={curve} plane={props.plane} chosen={chosen} number={number} />
      <p className="muted" style={{ margin: '10px 0 4px', fontSize: 13 }}>
        Click the line to add a point. Shift and drag chooses several, Ctrl drags freely; Delete
        removes the chosen ones, arrow keys move them.
      </p>
    </div>
  )
}

/** Length and angle of the straight piece behind the chosen point. */
function Piece(props: {
  curve: Curve
  plane: Plane
  chosen: readonly string[]
  number: (address: string, plain: boolean) => React.ReactNode
}) {
  const { curve, plane, chosen, number } = props
  const [id] = chosen
  if (chosen.length !== 1 || id === undefined) return null
  const inSpace = curve.kind === 'path'
  const axes = plane.join('')
  const [long, angle] = ['long', 'angle'].map((k) =>
    number(`curves/${curve.id}/${id}/piece/${k}/${axes}`, false),
  )
  if (!long) return null
  const at = curve.points.findIndex((p) => p.id === id)
  const next = ((at + 1) % curve.points.length) + 1
  return (
    <p className="figures" style={{ margin: '8px 0 0', fontSize: 14 }} data-testid="piece">
      From {at + 1} to {next}: {long} {lengthWords(inSpace, plane)} at {angle}
    </p>
  )
}

const lengthWords = (inSpace: boolean, plane: Plane) =>
  inSpace ? `long in ${planeName(plane)},` : 'long,'

function entriesOf(
  curve: Curve,
  view: CurveView | undefined,
  at: number,
  remove: (points: readonly string[]) => void,
): MenuEntry[] {
  const { points } = curve
  const closed = curve.closed ?? false
  const p = points[at]
  const last = at === points.length - 1
  const free = freeId(
    'p',
    points.map((q) => q.id ?? ''),
  )
  const give = (rows: Curve['points'], what: string, more: object = {}) =>
    doEdit({ kind: 'set_curve', curve: curve.id, points: rows, what, ...more })
  const cutHere = () => {
    const [one, two] = cut(points, at, closed)
    if (closed) return give(one, 'cut open', { closed: false })
    if (!two) return
    const known = useSession.getState().bench?.document.curves
    give(one, 'cut in two', {
      others: [{ ...curve, id: freeCurve(known), name: `${curve.name}, rest`, points: two }],
    })
  }
  const out: MenuEntry[] = []
  if (!last || closed)
    out.push({
      id: 'split',
      words: 'Split the piece behind it',
      note: 'runs as before',
      act: () => give(split(points, at, closed, free, midway(view, at)), 'piece split'),
    })
  if (closed || (at > 0 && !last))
    out.push({
      id: 'cut',
      words: closed ? 'Cut the curve open here' : 'Cut the curve in two here',
      act: cutHere,
    })
  if (p?.out || p?.in)
    out.push({
      id: 'level',
      words: 'Lay its handles in one line',
      act: () => give(inLine(points, at), 'handles in line'),
    })
  out.push({ id: 'remove', words: 'Remove', act: () => remove([p?.id ?? '']) })
  return out
}

/** The place half way along the drawn line between a point and the next. */
function midway(view: CurveView | undefined, at: number): number[] {
  const rows = view?.samples ?? []
  const [a, b] = [view?.points[at]?.at, view?.points[(at + 1) % (view.points.length || 1)]?.at]
  if (!a || !b || rows.length < 2) return a ?? []
  const nearest = (p: readonly number[]) => {
    const far = rows.map((r) => Math.hypot(...r.map((x, k) => x - (p[k] ?? 0))))
    return far.indexOf(Math.min(...far))
  }
  const from = nearest(a)
  const to = nearest(b)
  const count = (to - from + rows.length) % rows.length || 1
  const steps = Array.from({ length: count + 1 }, (_, k) => rows[(from + k) % rows.length] ?? a)
  const lengths = steps
    .slice(1)
    .map((r, k) => Math.hypot(...r.map((x, c) => x - (steps[k]?.[c] ?? 0))))
  let left = lengths.reduce((x, y) => x + y, 0) / 2
  for (const [k, l] of lengths.entries()) {
    const [p, q] = [steps[k] ?? a, steps[k + 1] ?? b]
    if (left <= l)
      return p.map((x, c) =>
        Number((x + (l > 0 ? left / l : 0) * ((q[c] ?? x) - x)).toPrecision(10)),
      )
    left -= l
  }
  return [...b]
}

/** Handles of a point turned into one line, each as long as it was; the way is the mean of theirs. */
function inLine(points: Curve['points'], at: number): Curve['points'] {
  const p = points[at]
  if (!p) return points
  const num = (row: readonly (number | string)[] | null | undefined) =>
    row?.every((x) => typeof x === 'number') ? (row as number[]) : null
  const [out, into] = [num(p.out), num(p.in)]
  if (!out || !into) return points
  const size = (v: readonly number[]) => Math.hypot(...v)
  const unit = (v: readonly number[]) => v.map((x) => x / (size(v) || 1))
  const way = unit(unit(out).map((x, k) => x - (unit(into)[k] ?? 0)))
  const scaled = (by: number) => way.map((x) => Number((x * by).toPrecision(10)))
  return points.map((q, k) =>
    k === at ? { ...q, out: scaled(size(out)), in: scaled(-size(into)) } : q,
  )
}
