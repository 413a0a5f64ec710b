import { beforeAll, describe, expect, it } from 'vitest'
import type { OperatorView, Step } from './api/client'
import { setOperators } from './operators'
import { curveAskedFor, startingCurve } from './startingCurves'

beforeAll(() => {
  const values = [
    { key: 'section', kind: 'choice', default: 'round', relevant: [] },
    {
      key: 'profile',
      kind: 'curve',
      of: ['profile', 'closed'],
      relevant: [{ key: 'section', among: ['profile'], negated: false }],
    },
  ]
  setOperators([{ id: 'helix', values }] as unknown as OperatorView[])
})

const step = (values: Record<string, unknown>) => ({ id: 's1', operator: 'helix', values }) as Step

describe('a curve to begin with', () => {
  it('is asked for by a choice that needs one, as long as there is none', () => {
    expect(curveAskedFor(step({}), 'section', 'profile')?.key).toBe('profile')
    expect(curveAskedFor(step({}), 'section', 'square')).toBeUndefined()
    expect(curveAskedFor(step({ profile: 'c1' }), 'section', 'profile')).toBeUndefined()
    expect(curveAskedFor(step({ section: 'profile' }), 'turns', 3)).toBeUndefined()
  })

  it('is closed where it must be, and as large as the bench asks for', () => {
    for (const [of, closed] of [
      [['profile', 'closed'], true],
      [['profile'], false],
    ] as const)
      for (const floor of [0.1, 100, 1e5]) {
        const curve = startingCurve({ of: [...of] }, 'c1', floor)
        expect(curve.closed).toBe(closed)
        const most = Math.max(...curve.points.flatMap((p) => p.at.map((x) => Math.abs(Number(x)))))
        expect(most / floor).toBeGreaterThan(0.01)
        expect(most / floor).toBeLessThan(0.5)
      }
  })
})
