import { describe, expect, it } from 'vitest'
import type { BenchChanges, BenchView } from './api/client'
import { readPacket } from './api/client'
import { changedDocument, isChanges, partsOf, withChanges } from './changes'

const document = {
  name: 'Bench',
  floor: 100,
  dimensions: [{ name: 'a', value: 1 }],
  curves: [],
  parts: [
    { id: 'p1', name: 'One', recipe: [] },
    { id: 'p2', name: 'Two', recipe: [] },
    { id: 'p3', name: 'Three', recipe: [] },
  ],
} as unknown as BenchView['document']

const bench = {
  id: 'b',
  revision: 4,
  document,
  undo: null,
  redo: null,
  numbers: [{ name: 'a' }],
  curves: [],
  parts: [
    { part: 'p1', mesh: 'm1' },
    { part: 'p2', mesh: 'm2' },
    { part: 'p3', mesh: 'm3' },
  ],
  measures: [],
  waiting: [],
  stopped: [],
  milliseconds: 1,
} as unknown as BenchView

const none = {
  id: 'b',
  base: 4,
  revision: 5,
  document: {},
  undo: { number: 5, label: 'x' },
  redo: null,
  numbers: null,
  curves: [],
  parts: [],
  measures: null,
  waiting: [],
  stopped: [],
  milliseconds: 2,
} as unknown as BenchChanges

describe('an answer that tells only what changed', () => {
  it('is told from one that tells all', () => {
    expect([isChanges(none), isChanges(bench)]).toEqual([true, false])
  })
  it('still asks for bodies of before that became ready meanwhile, and for no others', () => {
    const begun = { ...bench, waiting: ['p1', 'p2', 'p3', 'p4'] }
    const told = {
      ...none,
      parts: [{ part: 'p1', mesh: 'm5' }],
      stopped: ['p2'],
      document: { parts: { rows: [], order: ['p1', 'p2', 'p3'] } },
    } as unknown as BenchChanges
    expect(withChanges(begun, told).waiting).toEqual(['p3'])
    expect(withChanges(begun, { ...told, waiting: ['p3'] }).waiting).toEqual(['p3'])
    expect(withChanges(bench, told).waiting).toEqual([])
  })
  it('leaves what did not change the same objects', () => {
    const now = withChanges(bench, none)
    expect(now.revision).toBe(5)
    expect(now.numbers).toBe(bench.numbers)
    expect(now.parts[1]).toBe(bench.parts[1])
    expect(now.document.parts?.[0]).toBe(document.parts?.[0])
  })
  it('puts changed rows in the place of old ones, new ones behind', () => {
    const two = { id: 'p2', name: 'Second', recipe: [] }
    const four = { id: 'p4', name: 'Four', recipe: [] }
    const now = withChanges(bench, {
      ...none,
      document: { floor: 50, parts: { rows: [two, four], order: null } },
      parts: [{ part: 'p2', mesh: 'm9' }],
    } as unknown as BenchChanges)
    expect(now.document.parts?.map((p) => p.name)).toEqual(['One', 'Second', 'Three', 'Four'])
    expect(now.document.floor).toBe(50)
    expect(now.parts.map((p) => p.mesh)).toEqual(['m1', 'm9', 'm3'])
  })
  it('follows the order of all keys: rows go, come and move', () => {
    const four = { id: 'p4', name: 'Four', recipe: [] }
    const change = { parts: { rows: [four], order: ['p3', 'p4', 'p1'] } }
    const now = withChanges(bench, {
      ...none,
      document: change,
      parts: [{ part: 'p4', mesh: 'm4' }],
    } as unknown as BenchChanges)
    expect(now.document.parts?.map((p) => p.id)).toEqual(['p3', 'p4', 'p1'])
    expect(now.parts.map((p) => p.mesh)).toEqual(['m3', 'm4', 'm1'])
  })
  it('knows named rows by their names', () => {
    const change = { dimensions: { rows: [{ name: 'b', value: 2 }], order: ['b', 'a'] } }
    const now = changedDocument(document, change)
    expect(now.dimensions?.map((d) => d.name)).toEqual(['b', 'a'])
  })
})

describe('an answer with drawing data', () => {
  it('is read back: lengths, the answer, bodies at multiples of 8', () => {
    const bodies: [string, number[]][] = [
      ['aa', [1, 2, 3]],
      ['bb', [4, 5, 6, 7, 8, 9, 10, 11, 12]],
    ]
    const text = new TextEncoder().encode(
      JSON.stringify({ ...none, meshes: bodies.map(([n, b]) => [n, b.length]) }),
    )
    const pad = (n: number) => Array.from({ length: (8 - (n % 8)) % 8 }, () => 0)
    const head = [...new Uint8Array(new BigUint64Array([BigInt(text.length)]).buffer)]
    const all = [...head, ...text, ...pad(text.length)]
    for (const [, b] of bodies) all.push(...b, ...pad(b.length))
    const { changes, meshes } = readPacket(new Uint8Array(all).buffer)
    expect(changes.revision).toBe(5)
    expect([...meshes].map(([n, b]) => [n, [...new Uint8Array(b)]])).toEqual(bodies)
  })
})

describe('parts that arrive one by one', () => {
  it('stand in the order of the bench, and removed ones are gone', () => {
    const of = (part: string, mesh: string) => ({ part, mesh }) as BenchView['parts'][number]
    const doc = { parts: ['a', 'b', 'c'].map((id) => ({ id })) } as BenchView['document']
    const now = partsOf(doc, [of('c', '1'), of('gone', '1')], [of('b', '2'), of('c', '2')])
    expect(now.map((p) => `${p.part}${p.mesh}`)).toEqual(['b2', 'c2'])
    expect(partsOf(doc, now, [of('a', '3')]).map((p) => p.part)).toEqual(['a', 'b', 'c'])
  })
})
