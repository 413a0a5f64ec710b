import { PANES } from './layout'
import type { Box, Leader, Spot } from './layout'

/** Where the words of callouts stand beside a body, and the lines that lead to them. */

const ROW = 24
/** px that the three small views take on the right */
export const BESIDE = 252

const COLUMN = 100 // px that words take, and how far they may be moved to stand on no other body
const LEAST = 110 // px that are left beside the border for words, for longer ones more
const ASIDE = 220
const SOFT = 40

/** From 0 to 1 over `SOFT` px, so that nothing jumps while bodies turn. */
const share = (px: number) => Math.min(1, Math.max(0, px / SOFT))

/** Where a column of words stands beside a body: beyond those other bodies that it would lie on, if they are near. */
function columnBeside(
  x: number,
  way: 1 | -1,
  rows: { top: number; bottom: number },
  limit: number,
  others: readonly Box[],
): number {
  let at = x
  for (let i = 0; i < Math.min(others.length, 3); i += 1)
    at = Math.max(...others.map((o) => way * pastOne(at, x, way, rows, limit, o)), way * at) * way
  return at
}

function pastOne(
  at: number,
  start: number,
  way: 1 | -1,
  rows: { top: number; bottom: number },
  limit: number,
  o: Box,
): number {
  const [near, far] = way > 0 ? [o.left, o.right] : [o.right, o.left]
  const past = far + way * 16
  if (way * (past - at) <= 0) return at
  const room = Math.min(way * (limit - past), ASIDE - Math.abs(past - start))
  const over =
    share(way * (at + way * COLUMN - near)) *
    share(Math.min(o.bottom, rows.bottom) - Math.max(o.top, rows.top)) *
    share(room + SOFT)
  return at + (past - at) * over
}

/**
 * Put labels in a column on each side of the body, in the order of their anchors, none over another.
 * `others` are the boxes of other bodies: words stand beside them where there is room.
 */
export function placeLeaders(
  rows: readonly { key: string; anchor: Spot; arc?: readonly Spot[]; long?: number }[],
  box: Box,
  screen: { width: number; height: number },
  taken: Box,
  beside = 0,
  others: readonly Box[] = [],
): Leader[] {
  const middle = (box.left + box.right) / 2
  // left of the small views where there is room beside the body (its box on the screen is wider than it), else below them
  const wide = Math.max(LEAST, ...rows.map((r) => (r.long ?? 0) + 14))
  const below = beside > 0 && screen.width - wide - beside < box.right - 24
  const most = screen.width - wide - (below ? 0 : beside)
  const crowded = rows.length > 8
  const right = rows.filter((r, i) => !crowded || r.anchor.x >= middle || i % 2 === 0)
  const left = rows.filter((r) => !right.includes(r))
  const out: Leader[] = []
  for (const [side, end, x] of [
    [right, 'start', Math.min(box.right + 40, most)],
    [left, 'end', Math.max(box.left - 96, wide)],
  ] as const) {
    const sorted = [...side].sort((a, b) => a.anchor.y - b.anchor.y)
    const low = x + 90 > taken.left && end === 'start' ? taken.top - 14 : screen.height - 20
    let y = below && end === 'start' ? PANES.height + 10 : 64
    const ys = sorted.map((r) => (y = Math.max(r.anchor.y - 14, y + ROW)))
    for (let i = ys.length - 1, limit = low; i >= 0; i -= 1, limit -= ROW)
      ys[i] = Math.min(ys[i] ?? 0, limit)
    const span = { top: (ys[0] ?? 0) - 14, bottom: (ys.at(-1) ?? 0) + 6 }
    const way = end === 'start' ? 1 : -1
    const column = columnBeside(x, way, span, way > 0 ? most : wide, others)
    sorted.forEach((r, i) => {
      const at = ys[i] ?? 0
      const label = { x: column, y: at }
      const knee = { x: column - 4 * way, y: at + 4 }
      out.push({
        kind: 'leader',
        key: r.key,
        anchor: r.anchor,
        knee,
        label,
        end,
        ...(r.arc ? { arc: r.arc } : {}),
      })
    })
  }
  return out
}
