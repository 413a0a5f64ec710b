import type { PartView } from './api/client'
import { signed } from './format'
import { lengthChange, volumeText } from './units'
import type { Lengths } from './units'

/** What a change did, in numbers; that nothing changed is said too. */
export function differenceInWords(a: PartView, b: PartView, lengths: Lengths): string {
  if (b.steps.some((s) => s.state === 'failed') || b.error) return ''
  if (a.mesh === b.mesh) return 'Nothing changed.'
  const words: string[] = []
  if (a.faces !== b.faces) words.push(`${signed(b.faces - a.faces, 9)} faces`)
  if (a.volume !== null && b.volume !== null) {
    const d = b.volume - a.volume
    if (Math.abs(d) > 1e-6 * Math.abs(b.volume))
      words.push((d > 0 ? '+' : '') + volumeText(d, lengths))
  }
  const grown = [0, 1, 2]
    .map((k) => extent(b, k) - extent(a, k))
    .map((d, k) =>
      Math.abs(d) > 1e-6 * Math.max(extent(b, k), 1e-9)
        ? `${lengthChange(d, lengths)} along ${'XYZ'.charAt(k)}`
        : '',
    )
    .filter(Boolean)
  words.push(...grown)
  return words.length ? words.join(', ') : 'Counts and size stay as they were.'
}

function extent(p: PartView, k: number): number {
  return (p.bounds?.[1]?.[k] ?? 0) - (p.bounds?.[0]?.[k] ?? 0)
}
