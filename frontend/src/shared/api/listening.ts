import { Hub } from './hub'
import type { Port, ServerEvent, Told } from './hub'

export interface Listening {
  event: (e: ServerEvent) => void
  open: () => void
  lost: () => void
}

/** Listen to a bench, or to all where none is named; returns how to stop. The browser reconnects by itself. */
export function listen(bench: string | null, on: Listening): () => void {
  const tell = (told: Told) => {
    if (told.what === 'open') on.open()
    else if (told.what === 'lost') on.lost()
    else if (concerns(told.event, bench)) on.event(told.event)
  }
  return typeof SharedWorker === 'undefined' ? alone(bench, tell) : together(bench, tell)
}

export function concerns(e: ServerEvent, bench: string | null): boolean {
  return bench === null || e.bench === undefined || e.bench === bench
}

/** Over the stream that all windows share. */
function together(bench: string | null, tell: (told: Told) => void): () => void {
  const worker = new SharedWorker(new URL('./events.worker.ts', import.meta.url), {
    type: 'module',
    name: 'jukai-events',
  })
  const { port } = worker
  let instead: (() => void) | null = null
  // a browser that has no such workers after all
  worker.onerror = () => {
    instead ??= alone(bench, tell)
  }
  port.onmessage = (m) => {
    tell(m.data as Told)
  }
  const join = () => {
    port.postMessage('join')
  }
  const leave = () => {
    port.postMessage('leave')
  }
  // a window that is left may come back as it was
  const back = (e: PageTransitionEvent) => {
    if (e.persisted) join()
  }
  addEventListener('pagehide', leave)
  addEventListener('pageshow', back)
  join()
  return () => {
    removeEventListener('pagehide', leave)
    removeEventListener('pageshow', back)
    instead?.()
    leave()
    port.close()
  }
}

/** Over a stream of its own. */
function alone(bench: string | null, tell: (told: Told) => void): () => void {
  const hub = new Hub(
    () => new EventSource(bench === null ? '/api/events' : `/api/events?bench=${bench}`),
  )
  const port: Port = { postMessage: tell }
  hub.join(port)
  return () => {
    hub.leave(port)
  }
}
