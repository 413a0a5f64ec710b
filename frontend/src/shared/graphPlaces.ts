import type { BenchView, PartView } from './api/client'
import { addressOf, graphWords, pairOf, writtenPoints } from './graph'
import type { GraphPlace, GraphPoint, Written } from './graph'
import { valueSpec } from './operators'
import { numberAt } from './targets'

/** The points worked out: formulas as the server has them. */
export function graphPoints(
  bench: BenchView,
  parts: readonly PartView[],
  place: GraphPlace,
  written: readonly Written[],
): GraphPoint[] {
  const number = (below: string, raw: number | string) =>
    typeof raw === 'number' ? raw : numberAt(bench, parts, `${addressOf(place)}/${below}`)?.value
  return written.map((p) => {
    // places are told in per cent
    const at = typeof p.at === 'number' ? p.at : (number(`${p.id}/at`, p.at) ?? 0) / 100
    return {
      id: p.id,
      at,
      value: number(`${p.id}/value`, p.value) ?? 0,
      smooth: p.smooth ?? false,
      into: pairOf(p.in),
      out: pairOf(p.out),
    }
  })
}

/** All other graphs of a bench that measure the same, to be copied from. */
export function otherGraphs(
  bench: BenchView,
  place: GraphPlace,
): { words: string; points: Written[] }[] {
  const out: { words: string; points: Written[] }[] = []
  const unit = unitOf(bench, place)
  for (const part of bench.document.parts ?? [])
    for (const step of part.recipe)
      for (const [key, raw] of Object.entries(step.values ?? {})) {
        const spec = valueSpec(step.operator, key)
        if (spec?.kind !== 'graph' || !Array.isArray(raw) || spec.unit !== unit) continue
        if (part.id === place.part && step.id === place.step && key === place.key) continue
        out.push({
          words: `${part.name}, ${graphWords(key)}`,
          points: writtenPoints(step, key),
        })
      }
  return out
}

/** The unit that a graph's values are in. */
export function unitOf(bench: BenchView, place: GraphPlace): string {
  const step = bench.document.parts
    ?.find((p) => p.id === place.part)
    ?.recipe.find((s) => s.id === place.step)
  return (step && valueSpec(step.operator, place.key)?.unit) ?? ''
}
