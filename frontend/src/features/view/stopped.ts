import { useEffect } from 'react'
import type { PartView } from '../../shared/api/client'
import { useView } from '../../shared/viewState'
import { chained } from './pieces'
import type { Stage } from './Stage'

/** Edges that the chosen step stopped, as a chain over the body; not while another body is shown. */
export function useStopped(stage: Stage, part: PartView | undefined): void {
  const step = useView((s) => (s.picking || s.lookAt ? null : s.step))
  const notes = part?.steps.find((s) => s.id === step)?.notes
  const matrix = part?.matrix
  useEffect(() => {
    const lines = (notes ?? []).flatMap((n) => n.lines ?? [])
    stage.marks.show('stopped', lines.length ? chained(lines) : null, matrix ?? [], [0, 0, 0])
  }, [stage, notes, matrix])
}
