/** The step behind which something lands that is taken from one place and dropped on another. */
export function placeAfter(ids: readonly string[], from: number, to: number): string | null {
  const rest = ids.filter((_, i) => i !== from)
  return to === 0 ? null : (rest[to - 1] ?? null)
}
