import { useEffect } from 'react'
import type { Box } from './layout'
import type { Sight } from './Sight'

const LINE = 20 // px, of words
const GLYPH = 7.4

/**
 * Words over a view that keep clear of one another: those of callouts stand where they are laid out, others move up by as much as
 * it takes, and each gives way to those that came before it.
 */
export class Words {
  private readonly laid = new Map<string, readonly Box[]>()
  private readonly held = new Map<string, Box>()

  /** These stand where they are. */
  lay(key: string, boxes: readonly Box[]): void {
    this.laid.set(key, boxes)
  }

  /** How far words go up, px, that would stand in a box. */
  up(key: string, wish: Box): number {
    const before: Box[] = [...this.laid.values()].flat()
    for (const [k, b] of this.held) {
      if (k === key) break
      before.push(b)
    }
    let box = wish
    for (let tries = 0; tries < 12; tries += 1) {
      const over = before.find((b) => meet(b, box))
      if (!over) break
      box = raised(wish, wish.bottom - over.top)
    }
    this.held.set(key, box)
    return wish.top - box.top
  }

  drop(key: string): void {
    this.held.delete(key)
    this.laid.delete(key)
  }
}

const meet = (a: Box, b: Box) =>
  a.left < b.right && b.left < a.right && a.top < b.bottom && b.top < a.bottom

const raised = (b: Box, by: number): Box => ({ ...b, top: b.top - by, bottom: b.bottom - by })

const words = new WeakMap<Sight, Words>()

/** The words over a view. */
export function wordsOf(sight: Sight): Words {
  const held = words.get(sight) ?? new Words()
  words.set(sight, held)
  return held
}

/** The box of words that begin, end or have their middle at a place on their base line. */
export function boxOf(
  text: string,
  at: { x: number; y: number },
  anchor: 'start' | 'middle' | 'end' = 'start',
): Box {
  const width = text.length * GLYPH
  const left = at.x - (anchor === 'start' ? 0 : anchor === 'end' ? width : width / 2)
  return { left, right: left + width, top: at.y - LINE * 0.8, bottom: at.y + LINE * 0.2 }
}

/** The boxes of words that have their middle at a place and are turned there by so many degrees: one a line's height, along them. */
export function turnedBoxes(text: string, at: { x: number; y: number }, turn: number): Box[] {
  const level = boxOf(text, at, 'middle')
  if (turn === 0) return [level]
  const many = Math.max(1, Math.ceil((level.right - level.left) / LINE))
  const [cos, sin] = [Math.cos((turn * Math.PI) / 180), Math.sin((turn * Math.PI) / 180)]
  // the middle of a line lies above its base, across the way it runs
  const rise = (level.top + level.bottom) / 2 - at.y
  return Array.from({ length: many }, (_, i) => {
    const along = ((i + 0.5) / many - 0.5) * (level.right - level.left)
    const [x, y] = [at.x + along * cos - rise * sin, at.y + along * sin + rise * cos]
    return { left: x - LINE / 2, right: x + LINE / 2, top: y - LINE / 2, bottom: y + LINE / 2 }
  })
}

/** How far up words stand so that they lie over no others; asked anew at each picture. */
export function useUp(sight: Sight, key: string, wish: Box | null): number {
  const held = wordsOf(sight)
  useEffect(() => () => held.drop(key), [held, key])
  return wish ? held.up(key, wish) : 0
}
