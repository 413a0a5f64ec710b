import { BufferGeometry } from 'three'
import { describe, expect, it } from 'vitest'
import { fillGeometry, markChanged, moveGeometry, readBody } from './buffers'

const HASH = Uint8Array.from({ length: 16 }, (_, k) => k)
const FORM = 64 + 12 + 4 + 4 * 3 * 3 + 8 + 4 + 4 * 3

/** A triangle: where it stands alone, or with its form. */
function bytes(shift: number, whole: boolean): ArrayBuffer {
  const from = whole ? FORM + (-FORM & 7) : 0
  const buffer = new ArrayBuffer(from + 32 + 24 + 3 * 12 + 4 + 4)
  if (whole) {
    new Uint32Array(buffer, 0, 12).set([0x32564b4a, 3, 1, 1, 3, 1, 0, 0])
    new Uint8Array(buffer, 48, 16).set(HASH)
    const numbers = [2, 1, 0, 0, 0, 0, 0, 0, 1, 2, 0, 0, 0, 1, 2, 0xffffffff]
    new Uint32Array(buffer, 64, numbers.length).set(numbers)
    new Uint8Array(buffer, 64 + 4 * numbers.length, 12).set([
      255, 0, 0, 0, 0, 255, 0, 0, 0, 0, 9, 7,
    ])
  }
  new Uint32Array(buffer, from, 4).set([0x32504b4a, 3, 1, 0])
  new Uint8Array(buffer, from + 16, 16).set(HASH)
  new Float64Array(buffer, from + 32, 3).set([5, 6, 7])
  new Float32Array(buffer, from + 56, 9).set([0, 0, shift, 1, 0, 0, 0, 1, 0])
  new Int8Array(buffer, from + 56 + 36, 4).set([0, 0, 127, 0])
  return buffer
}

describe('drawing data', () => {
  const whole = readBody('a', bytes(0, true))
  const known = (hash: string) => (hash === whole.form?.hash ? whole.form : undefined)

  it('gives each vertex the place of its point and the normal of its fan', () => {
    expect([...whole.index]).toEqual([2, 1, 0])
    expect([...whole.position]).toEqual([0, 0, 0, 1, 0, 0, 0, 1, 0])
    expect([...whole.sharp]).toEqual([1, 0, 0, 0, 1, 0])
    // the fourth of a normal is the finish of the face
    expect([...whole.normal]).toEqual([0, 0, 127, 0, 0, 0, 127, 0, 0, 0, 127, 7])
    expect([...whole.faceLineage]).toEqual([-1])
    expect([whole.origin, whole.closed, whole.faces]).toEqual([[5, 6, 7], false, 1])
  })

  it('comes without its form where that is here', () => {
    const moved = readBody('b', bytes(2, false), known)
    expect(moved.form).toBe(whole.form)
    expect(moved.index).toBe(whole.index)
    expect(moved.position[2]).toBe(2)
    expect([...markChanged(moved, whole)]).toEqual([255, 255, 255])
    expect([...markChanged(readBody('c', bytes(0, false), known), whole)]).toEqual([0, 0, 0])
    // and has the form that is here when both came
    expect(readBody('d', bytes(1, true), known).form).toBe(whole.form)
  })

  it('of another version, or of a form that is not here, is refused', () => {
    expect(() => readBody('x', new ArrayBuffer(80))).toThrow('another version')
    expect(() => readBody('b', bytes(2, false))).toThrow('not here')
  })

  it('moves a geometry without giving it new arrays of what has not changed', () => {
    const g = new BufferGeometry()
    fillGeometry(g, whole)
    const before = { ...g.attributes, index: g.index }
    const moved = readBody('b', bytes(2, false), known)
    moveGeometry(g, moved)
    expect({ ...g.attributes, index: g.index }).toEqual(before)
    expect(g.getAttribute('position').array).toBe(moved.position)
    expect(g.getAttribute('normal').array).toBe(moved.normal)
    expect(g.getAttribute('edge').array).toBe(whole.edge)
  })
})
