import { useView } from '../../shared/viewState'
import { ClearanceList } from './Clearance'
import { HandoverList } from './Handover'
import { NamedNumbers } from './NamedNumbers'
import { Parts } from './Parts'
import { SolveSheet } from './SolveSheet'
import { Views } from './Views'

/** Parts, clearance, named numbers and hand-over; the column folds. */
export function SideColumn() {
  const { side, set } = useView()
  if (!side)
    return (
      <aside className="side" style={{ padding: 6 }}>
        <button
          className="plain muted"
          aria-label="Show parts, numbers and hand-over"
          title="Parts, numbers, hand-over"
          onClick={() => set({ side: true })}
        >
          ‹
        </button>
      </aside>
    )
  return (
    <aside className="side" data-testid="side">
      <Parts />
      <ClearanceList />
      <NamedNumbers />
      <Views />
      <HandoverList />
      <SolveSheet />
    </aside>
  )
}
