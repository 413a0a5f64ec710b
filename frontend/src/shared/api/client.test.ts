import { afterEach, expect, it, vi } from 'vitest'
import { asked } from './client'

const request = (path: string) => new Request(`http://localhost${path}`)

afterEach(() => {
  vi.unstubAllGlobals()
})

it('takes what was asked for early once, and asks anew after that', async () => {
  const anew = vi.fn(() => Promise.resolve(new Response('anew')))
  vi.stubGlobal('fetch', anew)
  vi.stubGlobal('early', new Map([['/api/operators', Promise.resolve(new Response('early'))]]))
  const words = async (path: string) => (await asked(request(path))).text()
  expect(await words('/api/benches')).toBe('anew')
  expect(await words('/api/operators?chapter=1')).toBe('anew') // which is something else
  expect(await words('/api/operators')).toBe('early')
  expect(await words('/api/operators')).toBe('anew')
  expect(anew).toHaveBeenCalledTimes(3)
})
