import { Matrix4 } from 'three'
import type { PartView } from '../../shared/api/client'
import { tidy } from '../../shared/placement'
import { doEdit } from '../../shared/session'
import { useView } from '../../shared/viewState'
import type { Stage } from './Stage'
import { useAim } from './useAim'

const leave = () => useView.getState().set({ zeroing: false })

/** A point of the chosen body is clicked: it becomes its zero point, and the body stays where it is. */
export function ZeroPick({ stage, view }: { stage: Stage; view: PartView }) {
  const { meant, aim } = useAim(stage, view.part, leave)
  const take = () => {
    const at = meant.current?.at
    if (!at || !view.matrix) return
    const own = new Matrix4().set(...(view.matrix as Parameters<Matrix4['set']>)).invert()
    const zero = at.clone().applyMatrix4(own)
    doEdit({
      kind: 'set_zero',
      part: view.part,
      at: [tidy(zero.x, 6), tidy(zero.y, 6), tidy(zero.z, 6)],
    })
    leave()
  }
  const spot = meant.current && stage.project(meant.current.at)
  return (
    <>
      <div className="placing" data-testid="zero-pick" onPointerMove={aim} onPointerUp={take} />
      {spot && (
        <svg className="callouts">
          <g className="value guide">
            <circle className="line" cx={spot.x} cy={spot.y} r={7} />
            <text x={spot.x + 12} y={spot.y - 10}>
              {meant.current?.words}
            </text>
          </g>
        </svg>
      )}
      <div className="placing-bar">
        <span className="prose">Click the point of it that is to be its zero point.</span>
        <span>
          <button className="plain link" onClick={leave}>
            Leave it (Escape)
          </button>
        </span>
      </div>
    </>
  )
}
