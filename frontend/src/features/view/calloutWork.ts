import { Vector3 } from 'three'
import type { PointerEvent as ReactPointerEvent } from 'react'
import type { Matrix4 } from 'three'
import type { BenchView, CalloutView, PartView, StepView } from '../../shared/api/client'
import { dragNumber } from '../../shared/dragging'
import { figure, withUnit } from '../../shared/format'
import { figureOf } from '../../shared/number'
import { withDecimals } from '../../shared/units'
import { KINDS } from '../../shared/kinds'
import { valueSpec } from '../../shared/operators'
import { numberAt } from '../../shared/targets'
import type { NumberTarget } from '../../shared/number'
import { matrixOf, screenWay } from './layout'
import type { Spot } from './layout'
import type { Sight } from './Sight'

/** A callout and the number it shows. */
export interface Shown {
  callout: CalloutView
  target: NumberTarget
  /** how its kind writes it */
  written?: ((value: number, key: string) => string) | undefined
}

/** The callouts of a step with the numbers they show. */
export function shownCallouts(
  bench: BenchView,
  parts: readonly PartView[],
  part: PartView,
  step: StepView | undefined,
): Shown[] {
  const out: Shown[] = []
  for (const callout of step?.callouts ?? []) {
    const target = numberAt(bench, parts, fullAddress(part.part, step?.id ?? '', callout))
    const written = kindAt(bench, part.part, step, callout)?.callout
    if (target) out.push({ callout, target, written })
  }
  return out
}

/** What the page does with the kind of value that a callout shows. */
function kindAt(bench: BenchView, part: string, step: StepView | undefined, c: CalloutView) {
  const steps = bench.document.parts?.find((p) => p.id === part)?.recipe
  const operator = steps?.find((s) => s.id === step?.id)?.operator ?? ''
  const kind = valueSpec(operator, c.target.split('/')[1] ?? '')?.kind
  return kind && KINDS[kind]
}

/** Callouts address values of their step, or points of curves; of a point the height stands for both. */
function fullAddress(part: string, step: string, c: CalloutView): string {
  if (c.target.startsWith('curves/')) return c.form === 'point' ? `${c.target}/1` : c.target
  return `${part}/${step}/${c.target}`
}

export function textOf({ callout, target, written }: Shown): string {
  const v = target.value ?? 0
  const number =
    target.fraction ?? withUnit(target.value === null ? '0' : figureOf(target, 5), target.unit)
  const key = target.address.split('/').at(-1) ?? ''
  const slope = callout.slope === null ? '' : ` × ${figure(callout.slope, 3)}°`
  const stop =
    callout.stopped === null
      ? ''
      : `, stops at ${withDecimals(callout.stopped / (target.per ?? 1), target.decimals ?? null, 4)}`
  if (callout.label) return callout.label
  switch (callout.form) {
    case 'radius':
      return `R ${number}${stop}`
    case 'count':
    case 'factor':
    case 'share':
      return written?.(v, key) ?? `${key.replace('_', ' ')} ${figure(v, 5)}`
    case 'angle':
      return number
    case 'level':
      return `${key} ${number}`
    default:
      return `${number}${slope}${stop}`
  }
}

export function startDrag(
  e: ReactPointerEvent<SVGElement>,
  stage: Sight,
  part: PartView,
  s: Shown,
  open: (text?: string) => void,
): void {
  // a click and a typed figure both open its field
  const click = () => open()
  const type = open
  const { callout: c, target } = s
  const m = matrixOf(part)
  const at = new Vector3(...(c.form === 'angle' ? c.at : c.to)).applyMatrix4(m)
  const along = new Vector3(...c.along).transformDirection(m)
  const none = () => 0
  const per = target.per ?? 1
  if (c.form === 'count') {
    dragNumber(e, {
      target,
      click,
      type,
      amount: (dx) => dx * stage.mmPerPx() * c.gain,
      pull: (_, dy) => dy,
    })
    return
  }
  if (c.form === 'angle') {
    let angle = (target.value ?? 0) * per
    dragNumber(e, {
      target,
      click,
      type,
      pull: none,
      amount: (dx, dy) => {
        // along the arc as it is seen; where it runs straight away from the eye, sideways
        const t = tangent(stage, m, c, angle)
        const l2 = t.x ** 2 + t.y ** 2
        const change = (l2 > 0.02 ? (dx * t.x + dy * t.y) / l2 : dx * 0.5) * c.gain
        angle += change
        return change / per
      },
    })
    return
  }
  const w = screenWay(stage, at, along)
  const l2 = w.x ** 2 + w.y ** 2
  const usable = l2 * stage.mmPerPx() ** 2 > 0.03
  const share = c.form === 'level' && target.unit === '%' ? 100 / lengthAlong(part, c) : 1 / per
  dragNumber(e, {
    target,
    click,
    type,
    pull: (dx, dy) => (usable ? (dx * w.y - dy * w.x) / Math.sqrt(l2) : dx),
    amount: (dx, dy) =>
      share * c.gain * (usable ? (dx * w.x + dy * w.y) / l2 : -dy * stage.mmPerPx()),
  })
}

function lengthAlong(part: PartView, c: CalloutView): number {
  const [low = [], high = []] = part.bounds ?? []
  return Math.max(
    1e-9,
    [0, 1, 2].reduce((s, k) => s + Math.abs(c.along[k] ?? 0) * ((high[k] ?? 0) - (low[k] ?? 0)), 0),
  )
}

/** How the end of an angle's arc moves on the screen for one degree, px. */
function tangent(stage: Sight, m: Matrix4, c: CalloutView, angle: number): Spot {
  const centre = new Vector3(...c.at)
  const start = new Vector3(...c.to).sub(centre)
  const axis = new Vector3(...c.along).normalize()
  const at = (degrees: number) => {
    const p = start.clone().applyAxisAngle(axis, (degrees * Math.PI) / 180)
    return stage.project(p.add(centre).applyMatrix4(m))
  }
  const [a, b] = [at(angle - 1), at(angle + 1)]
  return { x: (b.x - a.x) / 2, y: (b.y - a.y) / 2 }
}
