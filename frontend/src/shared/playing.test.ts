// @vitest-environment jsdom
import { beforeEach, describe, expect, it, vi } from 'vitest'

const asked: unknown[] = []
let comes = false
const ended = vi.fn()
const hear: ((s: { waiting: number; connection: string }) => void)[] = []
vi.mock('./session', () => ({
  beginPreview: vi.fn(),
  endPreview: () => {
    ended()
  },
  preview: (e: unknown) => asked.push(e),
  previewComes: () => comes,
  useSession: {
    subscribe: (f: (s: { waiting: number; connection: string }) => void) => {
      hear.push(f)
      return () => undefined
    },
  },
}))

const { phaseAt, play, stopPlaying, usePlaying } = await import('./playing')
const { useView } = await import('./viewState')

describe('playing a value', () => {
  let frame: (() => void) | null = null
  beforeEach(() => {
    asked.length = 0
    hear.length = 0
    comes = false
    ended.mockClear()
    vi.stubGlobal('requestAnimationFrame', (f: () => void) => {
      frame = f
      return 1
    })
    vi.stubGlobal('cancelAnimationFrame', () => {
      frame = null
    })
    useView.setState({ part: 'p1', step: 's2', picking: null, painting: null, lookAt: null })
    play({
      address: 'a',
      part: 'p1',
      step: 's2',
      from: 0.25,
      edit: (value) => ({ value }) as never,
    })
  })

  it('goes round from where the value stands', () => {
    expect(phaseAt(0)).toBe(0)
    expect(phaseAt(3600)).toBeCloseTo(0.5)
    frame?.()
    expect((asked[0] as { value: number }).value).toBeGreaterThanOrEqual(0.25)
    expect((asked[0] as { value: number }).value).toBeLessThan(1.25)
    expect(usePlaying.getState().now?.address).toBe('a')
  })

  it('asks for the next place when the last one has come', () => {
    comes = true
    frame?.()
    expect(asked).toHaveLength(0)
    comes = false
    frame?.()
    expect(asked).toHaveLength(1)
  })

  it.each([
    ['it is told to', () => stopPlaying()],
    ['another step is chosen', () => useView.setState({ step: 's1' })],
    ['an edit is made', () => hear[0]?.({ waiting: 1, connection: 'here' })],
    ['the server is away', () => hear[0]?.({ waiting: 0, connection: 'lost' })],
    ['Escape is pressed', () => dispatchEvent(new KeyboardEvent('keydown', { key: 'Escape' }))],
    [
      'something is pressed',
      () => document.body.dispatchEvent(new Event('pointerdown', { bubbles: true })),
    ],
  ])('ends when %s', (_, act) => {
    act()
    expect(usePlaying.getState().now).toBeNull()
    expect(ended).toHaveBeenCalled()
    expect(frame).toBeNull()
  })
})
