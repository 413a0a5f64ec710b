import { describe, expect, it } from 'vitest'
import { Words, boxOf, turnedBoxes } from './words'

describe('words over a view', () => {
  const at = (x: number, y: number) => boxOf('14 mm', { x, y })

  it('stand where they are wished while nothing is in their way', () => {
    const words = new Words()
    expect(words.up('a', at(100, 100))).toBe(0)
    expect(words.up('b', at(300, 100))).toBe(0)
    expect(words.up('c', at(100, 160))).toBe(0)
  })

  it('go up over those before them, as far as it takes, one over the other', () => {
    const words = new Words()
    words.lay('callouts', [at(100, 100)])
    const up = ['a', 'b', 'c'].map((key, i) => words.up(key, at(104 + i, 96 + i)))
    const tops = up.map((u, i) => 96 + i - u)
    // each a line of 20 px above the next
    expect(tops).toEqual([80, 60, 40])
    // the first stays where it is when a later one comes nearer
    expect(words.up('a', at(104, 96))).toBe(up[0])
  })

  it('slide as what they stand over comes nearer, and come down when it goes', () => {
    const words = new Words()
    let before = 0
    for (let y = 140; y > 70; y -= 1) {
      words.lay('callouts', [at(100, y)])
      const up = words.up('a', at(100, 100))
      // from below it pushes them a pixel at a time; once past them nothing is in their way
      if (y > 80) expect(up - before).toBeLessThanOrEqual(1)
      else expect(up).toBe(0)
      before = up
    }
    words.lay('callouts', [at(100, 100)])
    expect(words.up('a', at(100, 100))).toBe(20)
    words.drop('callouts')
    expect(words.up('a', at(100, 100))).toBe(0)
  })

  it('go up over words that stand upright or aslant, where these are and not beside them', () => {
    const text = '4.4 mm, stops at 2.629'
    for (const turn of [-90, 90, -45]) {
      const words = new Words()
      const boxes = turnedBoxes(text, { x: 200, y: 300 }, turn)
      // as long as the words are, whichever way they run
      const spans = (['left', 'top'] as const).map((k) => {
        const far = k === 'left' ? 'right' : 'bottom'
        return Math.max(...boxes.map((b) => b[far])) - Math.min(...boxes.map((b) => b[k]))
      })
      expect(Math.hypot(...spans)).toBeGreaterThan(0.9 * text.length * 7.4)
      words.lay('callouts', boxes)
      // through the middle of them
      expect(words.up('a', at(190, 305))).toBeGreaterThan(0)
      expect(words.up('b', at(turn === -45 ? 290 : 230, 305))).toBe(0)
    }
    expect(turnedBoxes(text, { x: 0, y: 0 }, 0)).toEqual([boxOf(text, { x: 0, y: 0 }, 'middle')])
  })
})
