import { beforeEach, describe, expect, it } from 'vitest'
import type { OperatorView, Step, ValueView } from './api/client'
import { isRelevant, setOperators } from './operators'

const condition = (key: string, among: unknown[], negated: boolean) => ({ key, among, negated })
const value = (key: string, default_: unknown, relevant: unknown[] = []) =>
  ({ key, default: default_, relevant }) as unknown as ValueView

const width = value('width', null, [
  condition('drive', ['none'], true),
  condition(
    'head,drive',
    [
      ['hexagon', 'usual'],
      ['knurled', 'usual'],
    ],
    true,
  ),
])
const distance = value('distance', null, [condition('screw', [null], true)])
const step = (values: Record<string, unknown>) =>
  ({ id: 's1', operator: 'screw', values }) as unknown as Step

describe('when a value counts', () => {
  beforeEach(() => {
    const values = [
      value('head', 'hexagon'),
      value('drive', 'usual'),
      value('screw', null),
      width,
      distance,
    ]
    setOperators([{ id: 'screw', values } as unknown as OperatorView])
  })

  it('goes by defaults where nothing is written', () => {
    expect(isRelevant(width, step({}))).toBe(false)
    expect(isRelevant(width, step({ head: 'pan' }))).toBe(true)
  })

  it('may depend on two values together', () => {
    expect(isRelevant(width, step({ drive: 'slot' }))).toBe(true)
    expect(isRelevant(width, step({ head: 'knurled' }))).toBe(false)
    expect(isRelevant(width, step({ head: 'pan', drive: 'none' }))).toBe(false)
  })

  it('may depend on whether another one is there', () => {
    expect(isRelevant(distance, step({}))).toBe(false)
    expect(isRelevant(distance, step({ screw: 'p1' }))).toBe(true)
  })
})
