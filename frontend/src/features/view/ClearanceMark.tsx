import { Vector3 } from 'three'
import type { ClearanceRow, PartView } from '../../shared/api/client'
import { inWords, useClearance } from '../../shared/clearances'
import { PLACE } from '../../shared/placement'
import { useSession } from '../../shared/session'
import { useLengths } from '../../shared/shown'
import { useView } from '../../shared/viewState'
import type { Stage } from './Stage'
import { boxOf, useUp, wordsOf } from './words'

const NOWHERE = { x: 0, y: 0 }

/** The pair that stands nearest, or the one that is looked at: a line between the two places, and how long it is. */
export function ClearanceMark({ stage, parts }: { stage: Stage; parts: readonly PartView[] }) {
  const { part, rows } = useClearance()
  const pair = useView((s) => s.pair)
  const placing = useView((s) => s.step === PLACE)
  const dragging = useSession((s) => s.preview !== null)
  const row = pair ? rows.find((r) => r.part === pair) : placing || dragging ? rows[0] : undefined
  if (!row || row.places.length < 2 || !parts.some((p) => p.part === part)) return null
  return <Mark stage={stage} row={row} />
}

function Mark({ stage, row }: { stage: Stage; row: ClearanceRow }) {
  const [a = NOWHERE, b = NOWHERE] = row.places.map((p) =>
    stage.project(new Vector3(p[0], p[1], p[2])),
  )
  const tone = row.state === 'crossing' || row.state === 'inside' ? ' amber' : ''
  const right = a.x < b.x ? b : a
  const lengths = useLengths()
  const text =
    row.state === 'apart'
      ? `${inWords(row, lengths)} to ${row.name}`
      : inWords(row, lengths, ` ${row.name}`)
  const at = { x: right.x + 10, y: right.y + 20 }
  wordsOf(stage).lay(
    'clearance',
    [a, b].map(({ x, y }) => ({ left: x - 5, right: x + 5, top: y - 5, bottom: y + 5 })),
  )
  const up = useUp(stage, 'clearance', boxOf(text, at))
  return (
    <svg className="callouts" data-testid="clearance-mark" data-part={row.part}>
      <g className={`clear${tone}`}>
        <line className="line" x1={a.x} y1={a.y} x2={b.x} y2={b.y} />
        <circle className="line" cx={a.x} cy={a.y} r={3.5} />
        <circle className="line" cx={b.x} cy={b.y} r={3.5} />
        <text x={at.x} y={at.y - up}>
          {text}
        </text>
      </g>
    </svg>
  )
}
