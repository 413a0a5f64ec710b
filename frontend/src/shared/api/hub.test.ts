import { describe, expect, it } from 'vitest'
import { Hub } from './hub'
import type { Told } from './hub'
import { concerns } from './listening'

class Source {
  static all: Source[] = []
  onmessage: ((m: MessageEvent) => void) | null = null
  onerror: (() => void) | null = null
  hello: () => void = () => undefined
  closed = false
  constructor() {
    Source.all.push(this)
  }
  addEventListener(_: string, act: () => void) {
    this.hello = act
  }
  close() {
    this.closed = true
  }
}

function hubOf() {
  Source.all = []
  return new Hub(() => new Source() as never)
}

function windowOf() {
  const told: Told[] = []
  return { told, postMessage: (t: Told) => told.push(t), words: () => told.map((t) => t.what) }
}

describe('one stream for all windows', () => {
  it('tells all of them, and those that come later that it is open', () => {
    const hub = hubOf()
    const [one, two] = [windowOf(), windowOf()]
    hub.join(one)
    expect(one.words()).toEqual([])
    Source.all[0]?.hello()
    hub.join(two)
    hub.join(two) // once more, coming back: it is told once all the same
    Source.all[0]?.onmessage?.({ data: '{"kind": "benches"}' } as MessageEvent)
    Source.all[0]?.onerror?.()
    expect(one.words()).toEqual(['open', 'event', 'lost'])
    expect(two.words()).toEqual(['open', 'open', 'event', 'lost'])
    expect(Source.all).toHaveLength(1)
    const late = windowOf()
    hub.join(late)
    expect(late.words()).toEqual([]) // it is not open just now
  })

  it('ends with the last window and begins again with the next', () => {
    const hub = hubOf()
    const [one, two] = [windowOf(), windowOf()]
    hub.join(one)
    hub.join(two)
    hub.leave(one)
    hub.leave(one)
    expect(Source.all[0]?.closed).toBe(false)
    Source.all[0]?.hello()
    expect(one.words()).toEqual([])
    hub.leave(two)
    expect(Source.all[0]?.closed).toBe(true)
    hub.join(one)
    expect(Source.all).toHaveLength(2)
    expect(one.words()).toEqual([]) // the new one has not said yet that it is open
  })
})

it.each<[string | undefined, string | null, boolean]>([
  ['a', 'a', true],
  ['a', 'b', false],
  ['a', null, true],
  [undefined, 'b', true],
])('what is told of bench %s concerns a window of %s: %s', (of, window, whether) => {
  const e = { kind: 'benches' as const, ...(of !== undefined && { bench: of }) }
  expect(concerns(e, window)).toBe(whether)
})
