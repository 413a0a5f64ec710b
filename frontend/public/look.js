// before the first paint, so that dusk does not flash as paper
try {
  const look = localStorage.getItem('jukai.look')
  if (look === 'dusk' || look === 'paper') document.documentElement.dataset.look = look
} catch {
  // no storage: paper it is
}

// on a bench's address what it is asked for first is on its way while the page's own code is still being read
const bench = /^\/bench\/(\w+)$/.exec(location.pathname)
if (bench) {
  globalThis.early = new Map([
    ['/api/operators', fetch('/api/operators')],
    [
      `/api/benches/${bench[1]}`,
      fetch(`/api/benches/${bench[1]}`, { headers: { Prefer: 'wait=1' } }),
    ],
  ])
  // who takes the answer says what went wrong
  for (const answer of globalThis.early.values()) answer.catch(() => undefined)
}
