import { useEffect } from 'react'
import type { PartView } from '../../shared/api/client'
import { useView } from '../../shared/viewState'
import { chained } from './pieces'
import type { Stage } from './Stage'

/** Edges that the chosen step stopped, as a chain over the body, and lines where it begins and ends; not while another body is shown. */
export function useStopped(stage: Stage, part: PartView | undefined): void {
  const step = useView((s) => ((s.picking ?? s.painting ?? s.lookAt ?? s.compare) ? null : s.step))
  const shown = part?.steps.find((s) => s.id === step)
  const notes = shown?.notes
  const levels = shown?.lines
  const matrix = part?.matrix
  useEffect(() => {
    const lines = (notes ?? []).flatMap((n) => n.lines ?? [])
    stage.marks.show('stopped', lines.length ? chained(lines) : null, matrix ?? [], [0, 0, 0])
  }, [stage, notes, matrix])
  useEffect(() => {
    stage.marks.show('levels', new Float32Array((levels ?? []).flat()), matrix ?? [], [0, 0, 0])
  }, [stage, levels, matrix])
}
