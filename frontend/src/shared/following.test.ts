import { beforeAll, describe as group, expect, it } from 'vitest'
import type { Edit } from './api/client'
import { targetOf, withFollowers } from './following'
import { setOperators } from './operators'

type Parts = Parameters<typeof withFollowers>[0]

const step = (id: string, operator: string, values: Record<string, unknown>) => ({
  id,
  operator,
  on: true,
  values,
})
const part = (id: string, name: string, of?: string) => ({
  id,
  name,
  recipe: [of ? step('s1', 'copy_of', { part: of }) : step('s1', 'revolve', { profile: 'c1' })],
})

const taking = (id: string, key: string, refers: string) => ({ id, values: [{ key, refers }] })

beforeAll(() => {
  setOperators([
    taking('copy_of', 'part', 'part'),
    taking('revolve', 'profile', 'curve'),
  ] as unknown as Parameters<typeof setOperators>[0])
})

group('what follows', () => {
  it('goes on through copies of copies, by id and by name, and ends where they go in a circle', () => {
    const parts = [
      part('p1', 'Base'),
      part('p2', 'Left', 'p1'),
      part('p3', 'Right', 'Left'),
      part('p4', 'Other'),
      part('p5', 'Round', 'p6'),
      part('p6', 'About', 'p5'),
    ] as unknown as Parts
    expect(withFollowers(parts, ['p1'])).toEqual(['p1', 'p2', 'p3'])
    expect(withFollowers(parts, ['p4'])).toEqual(['p4'])
    expect(withFollowers(parts, ['p5'])).toEqual(['p5', 'p6'])
    expect(withFollowers(parts, ['p9'])).toEqual(['p9'])
  })

  it('tells of the step that was changed, or of the first that takes the curve', () => {
    const parts = [part('p1', 'Base'), part('p2', 'Left')] as unknown as Parts
    const target = (e: object) => targetOf(parts, e as Edit)
    expect(target({ kind: 'set-value', part: 'p2', step: 's1' })).toEqual({
      part: 'p2',
      step: 's1',
    })
    expect(target({ kind: 'set-point', curve: 'c1' })).toEqual({ part: 'p1', step: 's1' })
    expect(target({ kind: 'set-point', curve: 'c7' })).toBeNull()
    expect(target({ kind: 'rename', name: 'Column' })).toBeNull()
  })
})
