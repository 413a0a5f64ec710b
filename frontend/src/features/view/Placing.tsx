import { useEffect, useMemo, useReducer, useRef, useState } from 'react'
import type { PointerEvent as ReactPointerEvent } from 'react'
import type { Vector3 } from 'three'
import { operatorOf } from '../../shared/operators'
import { useLengths } from '../../shared/shown'
import { lengthText, lengthTyped } from '../../shared/units'
import type { Lengths } from '../../shared/units'
import { moved } from './camera'
import type { Spot } from './layout'
import { PlacingWork, sizeWords } from './placingWork'
import type { Size } from './placingWork'
import type { Stage } from './Stage'

/** A shape is being set down: the sheet over the view takes the pointer until it stands or Escape is pressed. */
export function Placing({ stage, operator }: { stage: Stage; operator: string }) {
  const [, tick] = useReducer((n: number) => n + 1, 0)
  const op = operatorOf(operator)
  const work = useMemo(() => (op ? new PlacingWork(stage, op, tick) : null), [stage, op])
  const [typing, setTyping] = useState<{ size: Size; text: string } | null>(null)
  const at = useRef({ x: 0, y: 0 })
  const lengths = useLengths()

  useEffect(() => {
    if (!work) return
    const key = (e: KeyboardEvent) => {
      if (e.key === 'Escape') work.cancel()
      else if (e.key === 'Tab') work.toggleCorner()
      else if (e.key === 'Enter') work.enter(at.current.y)
      else if (/^[\d.]$/.test(e.key) && !e.ctrlKey && !e.altKey) {
        const size = work.open.find((s) => !work.typed.has(s)) ?? work.open[0]
        if (size) setTyping({ size, text: e.key })
      } else return
      e.preventDefault()
      e.stopPropagation()
    }
    const open = (e: KeyboardEvent) => {
      const t = e.target
      if (t instanceof HTMLInputElement) return
      key(e)
    }
    addEventListener('keydown', open, true)
    return () => removeEventListener('keydown', open, true)
  }, [work])
  if (!work || !op) return null

  const here = (e: ReactPointerEvent): [number, number, { even: boolean; free: boolean }] => {
    const r = stage.canvas.getBoundingClientRect()
    at.current = { x: e.clientX - r.left, y: e.clientY - r.top }
    return [at.current.x, at.current.y, { even: e.shiftKey, free: e.ctrlKey }]
  }
  const take = (size: Size, text: string) => {
    const value = measured(text, lengths)
    if (value === null) return
    work.type(size, value)
    const next = work.next()
    setTyping(next ? { size: next, text: '' } : null)
  }
  return (
    <>
      <div
        className="placing"
        data-testid="placing"
        data-phase={work.phase}
        data-ground={work.ground?.part ?? ''}
        onContextMenu={(e) => e.preventDefault()}
        onPointerMove={(e) => {
          if (e.buttons & 6) {
            stage.looking = moved(stage.looking, e.movementX, e.movementY, stage.mmPerPx())
            stage.invalidate()
          } else if (!typing) work.aim(...here(e))
        }}
        onPointerDown={(e) => {
          if (e.button !== 0) return
          e.preventDefault()
          e.currentTarget.setPointerCapture(e.pointerId)
          setTyping(null)
          work.press(...here(e))
        }}
        onPointerUp={(e) => {
          if (e.button === 0) work.release(...here(e))
        }}
      />
      <svg className="callouts" data-testid="placing-guide">
        <Guide stage={stage} work={work} typing={typing?.size ?? null} />
      </svg>
      {typing && (
        <Typed
          key={typing.size}
          size={typing.size}
          text={typing.text}
          at={at.current}
          take={(text) => take(typing.size, text)}
          leave={() => setTyping(null)}
        />
      )}
      <div className="placing-bar" data-testid="placing-bar">
        <span className="prose">
          <b>{op.name}.</b> {work.words()}
        </span>
        <span>
          <button
            className="plain link"
            data-testid="placing-corner"
            title="Tab"
            onClick={() => work.toggleCorner()}
          >
            {work.corner ? 'From a corner' : 'From the centre'}
          </button>
          {' · '}
          <button
            className="plain link"
            data-testid="placing-last"
            disabled={Object.keys(work.last()).length === 0}
            onClick={() => {
              work.asLast = !work.asLast
              tick()
            }}
          >
            {work.asLast ? 'Numbers as last time' : 'Numbers as always'}
          </button>
          {' · '}
          <button className="plain link" data-testid="placing-leave" onClick={() => work.cancel()}>
            Leave it (Escape)
          </button>
        </span>
        <span className="muted small">
          Shift even · Ctrl no snapping · right drag moves the view
        </span>
      </div>
    </>
  )
}

/** A length typed while placing: a number with a unit or without; null when it is none. */
function measured(text: string, lengths: Lengths): number | null {
  const value = lengthTyped(text, lengths)
  return value !== null && value > 0 ? value : null
}

function Typed(props: {
  size: Size
  text: string
  at: Spot
  take: (text: string) => void
  leave: () => void
}) {
  const [text, setText] = useState(props.text)
  const lengths = useLengths()
  const wrong = text !== '' && measured(text, lengths) === null
  return (
    <div className="callout-field" style={{ left: props.at.x + 14, top: props.at.y - 26 }}>
      <label className="figures">
        {sizeWords(props.size)}{' '}
        <input
          className="chip-field"
          autoFocus
          data-testid={`placing-${props.size}`}
          aria-invalid={wrong}
          size={Math.max(5, text.length + 1)}
          value={text}
          onChange={(e) => setText(e.target.value)}
          onKeyDown={(e) => {
            e.stopPropagation()
            if (e.key === 'Enter' || e.key === 'Tab') {
              e.preventDefault()
              props.take(text)
            }
            if (e.key === 'Escape') props.leave()
          }}
        />{' '}
        {lengths.unit}
      </label>
      {wrong && <span className="chip-wrong">A length over 0: 12, 3.5 cm, 1/2 in.</span>}
    </div>
  )
}

/** The footprint and the height as hairlines with their sizes, before anything is accepted. */
function Guide({ stage, work, typing }: { stage: Stage; work: PlacingWork; typing: Size | null }) {
  const at = (p: Vector3) => stage.project(p)
  const lengths = useLengths()
  const path = (points: readonly Vector3[], closed = true) =>
    points.map((p, i) => `${i ? 'L' : 'M'}${at(p).x} ${at(p).y}`).join('') + (closed ? 'Z' : '')
  if (work.phase === 'aim' || !work.base) {
    const g = work.ground
    if (!g) return null
    const arm = stage.mmPerPx() * 16
    const side = g.normal.clone().cross(g.along).normalize()
    const from = at(g.at)
    const lines = [g.along, side].map((d) =>
      path([g.at.clone().addScaledVector(d, -arm), g.at.clone().addScaledVector(d, arm)], false),
    )
    const up = path([g.at, g.at.clone().addScaledVector(g.normal, arm * 1.6)], false)
    return (
      <g className="value guide">
        <path className="line" d={lines.join('')} />
        <path className="axis" d={up} />
        <circle className="line" cx={from.x} cy={from.y} r={work.snapWords ? 7 : 3} />
        <text className="hint" x={from.x + 12} y={from.y + 24}>
          {work.corner ? 'from a corner' : 'from the centre'} · Tab
        </text>
        {work.snapWords && (
          <text x={from.x + 12} y={from.y - 10}>
            {work.snapWords}
          </text>
        )}
      </g>
    )
  }
  const b = work.base
  const { wide = 0, deep = 0, radius = 0, up = 0 } = work.sizes
  const ring = (height: number) => {
    const middle = work.middle(height)
    const n = work.round ? 48 : 4
    return Array.from({ length: n }, (_, i) => {
      const a = (2 * Math.PI * (work.round ? i : i + 0.5)) / n
      const [u, v] = work.round
        ? [radius * Math.cos(a), radius * Math.sin(a)]
        : [(wide / 2) * Math.sign(Math.cos(a)), (deep / 2) * Math.sign(Math.sin(a))]
      return middle.clone().addScaledVector(b.x, u).addScaledVector(b.y, v)
    })
  }
  const foot = ring(0)
  const sizes: [Size, Vector3, Vector3][] = work.round
    ? [['radius', work.middle(0), work.middle(0).addScaledVector(b.x, radius)]]
    : [
        ['wide', foot[2] ?? b.at, foot[3] ?? b.at],
        ['deep', foot[3] ?? b.at, foot[0] ?? b.at],
      ]
  if (work.phase === 'height') {
    const edge = work.round ? work.middle(0).addScaledVector(b.x, radius) : (foot[3] ?? b.at)
    sizes.push(['up', edge, edge.clone().addScaledVector(b.n, up)])
  }
  return (
    <g className="value guide">
      <path className="line" d={path(foot)} />
      {work.phase === 'height' && <path className="line" d={path(ring(up))} />}
      <path
        className="axis"
        d={path([work.middle(0), work.middle(Math.max(up, stage.mmPerPx() * 30) * 1.15)], false)}
      />
      {sizes.map(([size, p, q]) => {
        if (!work.operator.placing?.[size]) return null
        if (size === 'up' && !(work.sizes.up ?? 0)) return null // not pulled yet: as high as always
        const [s, t] = [at(p), at(q)]
        return (
          <g key={size} data-testid={`placing-size-${size}`}>
            <line className="line strong" x1={s.x} y1={s.y} x2={t.x} y2={t.y} />
            {typing !== size && (
              <text x={(s.x + t.x) / 2 + 10} y={(s.y + t.y) / 2 - 6}>
                {size === 'radius' ? 'R ' : ''}
                {lengthText(work.sizes[size] ?? 0, lengths, 5)}
                {work.typed.has(size) ? ' ·' : ''}
              </text>
            )}
          </g>
        )
      })}
      {work.snapWords && (
        <text x={at(work.middle(0)).x + 14} y={at(work.middle(0)).y + 22}>
          to a {work.snapWords}
        </text>
      )}
    </g>
  )
}
