/** Numbers as people read them: a true minus, thin groups, a unit. */

const MINUS = '−'

/** A number with at most `digits` significant digits, and no trailing zeros. */
export function figure(x: number, digits = 6): string {
  if (!Number.isFinite(x)) return '–'
  if (x === 0) return '0'
  return minus(Number(x.toPrecision(digits)).toString())
}

/** With a true minus. */
export function minus(text: string): string {
  return text.replace('-', MINUS)
}

/** A whole number in groups of three. */
export function whole(n: number): string {
  return Math.round(n)
    .toString()
    .replace('-', MINUS)
    .replace(/\B(?=(\d{3})+(?!\d))/g, '\u2009')
}

/** A change with its sign. */
export function signed(x: number, digits = 3): string {
  return (x > 0 ? '+' : '') + figure(x, digits)
}

/** The unit as it follows a number: degrees stand close, others after a space. */
export function withUnit(text: string, unit: string): string {
  if (!unit) return text
  return unit === '°' ? `${text}°` : `${text}\u2009${unit}`
}

/** A mass in g or kg. */
export function mass(g: number): string {
  return g >= 1000 ? `${figure(g / 1000, 3)}\u2009kg` : `${figure(g, 3)}\u2009g`
}

/** A step fit for dragging something of this size: about a five-hundredth, as 1, 2 or 5 times a power of ten. */
export function niceStep(size: number): number {
  const raw = size / 500
  if (!(raw > 0)) return 0.1
  const power = 10 ** Math.floor(Math.log10(raw))
  const lead = raw / power
  return power * (lead < 1.5 ? 1 : lead < 3.5 ? 2 : 5)
}

/** The nearest multiple of a step, without the dust of binary fractions. */
export function snapped(x: number, step: number): number {
  return Number((Math.round(x / step) * step).toPrecision(12))
}

/**
 * What was typed, as the file holds it: a number where it is one, else a formula. Typed × and − are
 * understood, and a decimal comma, but for one that could part thousands: 1,000.
 */
export function written(text: string): number | string | null {
  const clean = text.trim().replace(/−|–/g, '-').replace(/×|·/g, '*').replace(/÷/g, '/')
  if (clean === '') return null
  const plain = /^[+-]?[1-9]\d{0,2},\d{3}$/.test(clean)
    ? clean
    : clean.replace(/^([+-]?\d+),(\d+)$/, '$1.$2')
  const number = /^[+-]?(\d+\.?\d*|\.\d+)(e[+-]?\d+)?$/i.test(plain) ? Number(plain) : NaN
  return Number.isFinite(number) ? number : clean
}

/** A short id that is not taken. */
export function freeId(prefix: string, taken: Iterable<string>): string {
  const held = new Set(taken)
  let n = held.size + 1
  while (held.has(`${prefix}${n}`)) n += 1
  return `${prefix}${n}`
}

/** How long ago, in words. */
export function ago(seconds: number, now = Date.now() / 1000): string {
  const d = Math.max(0, now - seconds)
  if (d < 60) return 'just now'
  if (d < 3600) return `${Math.floor(d / 60)} min ago`
  if (d < 86_400) return `${Math.floor(d / 3600)} h ago`
  return new Date(seconds * 1000).toLocaleDateString('en-GB', {
    day: 'numeric',
    month: 'short',
    year: 'numeric',
  })
}
