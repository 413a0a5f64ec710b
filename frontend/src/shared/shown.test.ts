// @vitest-environment jsdom
import { act, createElement } from 'react'
import { createRoot } from 'react-dom/client'
import type { Root } from 'react-dom/client'
import { afterEach, beforeEach, expect, test, vi } from 'vitest'
import type { BenchView, OperatorView, PartView } from './api/client'
import { setOperators } from './operators'
import { useSession } from './session'
import { shownPart, useSame, useTarget } from './shown'

vi.stubGlobal('IS_REACT_ACT_ENVIRONMENT', true)

const value = { kind: 'angle', relevant: [], choices: [], unit: '°', description: 'Turn.' }
setOperators([
  { id: 'twist', name: 'Twist', values: [{ ...value, key: 'turn' }] } as unknown as OperatorView,
])

const part = (faces: number, used: number, turned = 0) =>
  ({
    part: 'p1',
    faces,
    bounds: [
      [0, 0, 0],
      [1, 1, 1],
    ],
    steps: [
      { id: 's1', used: { turn: used }, shown: { turn: used }, callouts: [{ at: [turned, 0, 0] }] },
    ],
  }) as unknown as PartView

const bench = (raw: number, view: PartView) =>
  ({
    revision: 1,
    document: {
      parts: [
        { id: 'p1', name: 'P', recipe: [{ id: 's1', operator: 'twist', values: { turn: raw } }] },
      ],
    },
    parts: [view],
    numbers: [],
    curves: [],
  }) as unknown as BenchView

const roots: Root[] = []
afterEach(() => {
  for (const root of roots.splice(0)) act(() => root.unmount())
})

/** How often a component that reads something is rendered, and what it read last. */
function reading<T>(read: () => T) {
  const seen: T[] = []
  const root = createRoot(document.createElement('div'))
  roots.push(root)
  const Reader = () => {
    seen.push(read())
    return null
  }
  act(() => root.render(createElement(Reader)))
  return seen
}

beforeEach(() => useSession.setState({ bench: bench(30, part(10, 30)), preview: null }))

test('a part is that of the preview, where there is one', () => {
  expect(shownPart(useSession.getState(), 'p1')?.faces).toBe(10)
  useSession.setState({ preview: bench(30, part(12, 30)) })
  expect(shownPart(useSession.getState(), 'p1')?.faces).toBe(12)
  expect(shownPart(useSession.getState(), 'p2')).toBeUndefined()
})

test('what says the same is the same object, and is not rendered again', () => {
  const seen = reading(() => useSame((s) => shownPart(s, 'p1')?.steps[0]?.used))
  for (const turned of [1, 2, 3])
    act(() => useSession.setState({ preview: bench(30, part(10, 30, turned)) }))
  expect(seen.length).toBe(1)
  act(() => useSession.setState({ preview: bench(30, part(10, 31)) }))
  expect(seen.length).toBe(2)
  expect(seen[1]).toEqual({ turn: 31 })
})

test('a number follows the preview, and its edit is made from the bench as it stands then', () => {
  const seen = reading(() => useTarget('p1/s1/values/turn'))
  expect(seen[0]).toMatchObject({ value: 30, raw: 30, unit: '°', part: 'p1' })
  act(() => useSession.setState({ preview: bench(40, part(10, 40)) }))
  expect(seen.at(-1)).toMatchObject({ value: 40, raw: 40 })
  expect(seen.at(-1)?.edit(45)).toEqual({
    kind: 'set_value',
    part: 'p1',
    step: 's1',
    key: 'turn',
    value: 45,
  })
  const last = seen.at(-1)
  act(() => useSession.setState({ bench: null, preview: null }))
  expect(seen.at(-1)).toBeNull()
  // it went while it was held: letting go breaks nothing, and the server refuses the edit in words
  expect(last?.edit(1)).toMatchObject({ step: 's1', key: 'turn', value: 1 })
})

test('an address that leads nowhere gives no number', () => {
  expect(reading(() => useTarget('p1/s9/values/turn'))).toEqual([null])
})
