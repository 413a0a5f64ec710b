// @vitest-environment jsdom
import type { PointerEvent as ReactPointerEvent } from 'react'
import { beforeEach, expect, test, vi } from 'vitest'
import { dragNumber, followPointer, movedPoint } from './dragging'
import type { NumberTarget } from './number'

const said = vi.hoisted(() => [] as string[])

vi.mock('./session', () => ({
  beginPreview: () => said.push('begin'),
  preview: (e: { value: number }) => said.push(`shows ${e.value}`),
  endPreview: () => said.push('back'),
  edit: (e: { value: number }) => {
    said.push(`keeps ${e.value}`)
    return Promise.resolve()
  },
  doEdit: () => undefined,
  say: (text: string) => said.push(text),
}))

const target = (more: Partial<NumberTarget> = {}): NumberTarget => ({
  address: 'p1/s1/values/turn',
  words: '',
  value: 10,
  raw: 10,
  unit: '°',
  whole: false,
  least: 0,
  most: 50,
  step: 1,
  part: 'p1',
  edit: (value) => ({ kind: 'set_value', part: 'p1', step: 's1', key: 'turn', value }),
  ...more,
})

let grip: HTMLElement
const pointer = (kind: string, x = 0, y = 0) =>
  new PointerEvent(kind, { clientX: x, clientY: y, bubbles: true, pointerId: 1, button: 0 })
const start = () => {
  const down = pointer('pointerdown')
  Object.defineProperties(down, { currentTarget: { value: grip }, nativeEvent: { value: down } })
  return down as unknown as ReactPointerEvent
}

beforeEach(() => {
  said.length = 0
  document.body.replaceChildren()
  grip = document.body.appendChild(document.createElement('span'))
  grip.setPointerCapture = () => undefined
  grip.releasePointerCapture = () => undefined
  grip.hasPointerCapture = () => false
})

function hold(more: Partial<NumberTarget> = {}) {
  dragNumber(start(), {
    target: target(more),
    amount: (dx) => dx,
    pull: (_, dy) => dy,
    click: () => said.push('click'),
    type: (text) => said.push(`types ${text}`),
  })
}
const move = (x: number, y = 0) => grip.dispatchEvent(pointer('pointermove', x, y))
const key = (name: string, more: KeyboardEventInit = {}) =>
  dispatchEvent(new KeyboardEvent('keydown', { key: name, cancelable: true, ...more }))
const letGo = () => grip.dispatchEvent(pointer('pointerup'))

test.each<[string, () => void, string[]]>([
  ['a click', letGo, ['click']],
  ['a shake of the hand', () => [move(2), letGo()], ['click']],
  ['a drag', () => [move(5), letGo()], ['begin', 'shows 15', 'keeps 15']],
  ['one over its limit', () => [move(99), letGo()], ['begin', 'shows 50', 'keeps 50']],
  ['one to and fro', () => [move(5), move(0), letGo()], ['begin', 'shows 15', 'shows 10', 'back']],
  ['Escape', () => [move(5), key('Escape'), move(8), letGo()], ['begin', 'shows 15', 'back']],
  ['Enter', () => [move(5), key('Enter'), move(8)], ['begin', 'shows 15', 'keeps 15']],
  ['a figure', () => [move(5), key('4'), move(8)], ['begin', 'shows 15', 'back', 'types 4']],
  ['a shortcut', () => [move(5), key('m'), letGo()], ['begin', 'shows 15', 'keeps 15']],
  [
    'undo in the middle',
    () => [move(5), key('z', { ctrlKey: true }), letGo()],
    ['begin', 'shows 15', 'keeps 15'],
  ],
  [
    'a handle that vanishes',
    () => [move(5), grip.remove(), dispatchEvent(pointer('lostpointercapture')), letGo()],
    ['begin', 'shows 15', 'back'],
  ],
  [
    'one of which no more is heard',
    () => [move(5), grip.remove(), dispatchEvent(pointer('pointerup'))],
    ['begin', 'shows 15', 'back'],
  ],
])('%s', (_, act, expected) => {
  const others = vi.fn()
  addEventListener('keydown', others)
  hold()
  act()
  removeEventListener('keydown', others)
  expect(said).toEqual(expected)
  expect(others).not.toHaveBeenCalled() // no shortcut of the page acts meanwhile
})

test('keys are the page’s own again once it is let go', () => {
  const others = vi.fn()
  hold()
  move(5)
  letGo()
  addEventListener('keydown', others)
  key('m')
  removeEventListener('keydown', others)
  expect(others).toHaveBeenCalledTimes(1)
})

test('a formula is not dragged, and says so', () => {
  hold({ raw: 'flutes / 2' })
  move(5)
  letGo()
  expect(said).toHaveLength(1)
  expect(said[0]).toContain('flutes / 2')
})

test('what follows the pointer is told when it vanishes', () => {
  const cancel = vi.fn()
  const up = vi.fn()
  followPointer(start(), { move: () => undefined, up, cancel })
  grip.remove()
  dispatchEvent(pointer('lostpointercapture'))
  expect([cancel.mock.calls.length, up.mock.calls.length]).toEqual([1, 0])
})

test('a point that is dragged keeps the units it was typed in, and formulas', () => {
  const at = (written: (number | string)[]) => movedPoint('c1', 'p1', written, [25.4, 12])
  expect(at([3, 4])).toMatchObject({ at: [25.4, 12] })
  expect(at(['2 in', '1.5 cm'])).toMatchObject({ at: ['1 in', '1.2 cm'] })
  expect(at(['foot / 2', '4 mm'])).toMatchObject({ at: ['foot / 2', 12] })
})
