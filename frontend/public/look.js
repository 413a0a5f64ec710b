// before the first paint, so that dusk does not flash as paper
try {
  const look = localStorage.getItem('jukai.look')
  if (look === 'dusk' || look === 'paper') document.documentElement.dataset.look = look
} catch {
  // no storage: paper it is
}
