import { Hub } from './hub'

/** Runs once for all windows of a browser and holds their one stream. */

const hub = new Hub(() => new EventSource('/api/events'))

addEventListener('connect', (e) => {
  const port = (e as MessageEvent).ports[0]
  if (!port) return
  port.onmessage = (m) => {
    if (m.data === 'join') hub.join(port)
    else hub.leave(port)
  }
})
