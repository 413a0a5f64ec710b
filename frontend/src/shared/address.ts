/** The address bar: the start page at /, a bench at /bench/ID. */

const listeners = new Set<() => void>()

export function benchInAddress(): string | null {
  return /^\/bench\/([A-Za-z0-9_-]+)$/.exec(location.pathname)?.[1] ?? null
}

export function onAddress(listener: () => void): () => void {
  listeners.add(listener)
  addEventListener('popstate', listener)
  return () => {
    listeners.delete(listener)
    removeEventListener('popstate', listener)
  }
}

export function goTo(path: string): void {
  history.pushState(null, '', path)
  listeners.forEach((l) => {
    l()
  })
}
