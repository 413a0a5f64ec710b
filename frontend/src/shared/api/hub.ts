/** What the server tells of a bench, or of the list. */
export type ServerEvent = { bench?: string } & (
  | { kind: 'head'; revision: number; author: string }
  | { kind: 'bodies'; revision: number; parts: readonly string[] }
  | { kind: 'benches' }
  | { kind: 'handover' }
  | { kind: 'progress'; part: string; step: string; fraction: number }
)

/** What a window is told. */
export type Told = { what: 'event'; event: ServerEvent } | { what: 'open' } | { what: 'lost' }

/** A way to tell a window something. */
export interface Port {
  postMessage: (told: Told) => void
}

type Source = Pick<EventSource, 'addEventListener' | 'onmessage' | 'onerror' | 'close'>

/**
 * One stream from the server for all windows of a browser. A browser opens six connections to a server
 * and no more: with a stream for each window, the seventh could ask for nothing.
 */
export class Hub {
  private readonly ports = new Set<Port>()
  private source: Source | null = null
  private up = false
  private readonly make: () => Source

  constructor(make: () => Source) {
    this.make = make
  }

  join(port: Port): void {
    this.ports.add(port)
    if (this.up) port.postMessage({ what: 'open' })
    if (this.source) return
    const source = (this.source = this.make())
    source.onmessage = (m) => {
      this.tell({ what: 'event', event: JSON.parse(m.data as string) as ServerEvent })
    }
    source.addEventListener('hello', () => {
      this.up = true
      this.tell({ what: 'open' })
    })
    source.onerror = () => {
      this.up = false
      this.tell({ what: 'lost' })
    }
  }

  /** A window is gone; with the last one the stream ends. */
  leave(port: Port): void {
    this.ports.delete(port)
    if (this.ports.size > 0) return
    this.source?.close()
    this.source = null
    this.up = false
  }

  private tell(told: Told): void {
    for (const port of this.ports) port.postMessage(told)
  }
}
