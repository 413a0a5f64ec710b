import { useEffect, useRef, useState } from 'react'
import type { PointerEvent as ReactPointerEvent } from 'react'
import { BEGINS, followPointer } from '../dragging'
import { figure, snapped, withUnit } from '../format'

interface Props {
  value: number
  unit: string
  step: number
  words: string
  testId: string
  change: (value: number) => void
  least?: number
  most?: number
}

/** A number of the view, which is no part of the bench: drag it, type it, step it with the arrow keys. */
export function ViewNumber(p: Props) {
  const [typing, setTyping] = useState<string | null>(null)
  const [wrong, setWrong] = useState(false)
  const field = useRef<HTMLInputElement>(null)
  const open = typing !== null
  const typed = useRef(false)
  useEffect(() => {
    // what was typed already is gone on with, what stands there is typed over
    if (open && !typed.current) field.current?.select()
    if (!open) typed.current = false
  }, [open])
  const begin = (text: string) => {
    typed.current = true
    setTyping(text)
  }
  const put = (v: number) =>
    p.change(Math.min(p.most ?? Infinity, Math.max(p.least ?? -Infinity, v)))
  const keep = () => {
    const text = (typing ?? '').trim().replace(/−/g, '-').replace(',', '.')
    const value = Number(text)
    if (text === '' || !Number.isFinite(value)) {
      setWrong(text !== '')
      if (text === '') setTyping(null)
      return
    }
    put(value)
    setTyping(null)
    setWrong(false)
  }
  if (open)
    return (
      <span>
        <input
          ref={field}
          className="chip-field"
          autoFocus
          size={Math.max(5, typing.length + 1)}
          data-testid={`field-${p.testId}`}
          aria-label={p.words}
          aria-invalid={wrong}
          value={typing}
          onChange={(e) => setTyping(e.target.value)}
          onBlur={() => {
            keep()
            setTyping(null)
            setWrong(false)
          }}
          onKeyDown={(e) => {
            e.stopPropagation()
            if (e.key === 'Enter') keep()
            if (e.key === 'Escape') {
              setTyping(null)
              setWrong(false)
            }
          }}
        />
        {wrong && (
          <span className="chip-wrong" role="alert">
            A number{p.unit && ` in ${p.unit}`} is wanted here.
          </span>
        )}
      </span>
    )
  return (
    <span
      className="chip number"
      role="spinbutton"
      tabIndex={0}
      aria-valuenow={p.value}
      aria-label={p.words}
      title={p.words}
      data-testid={p.testId}
      onPointerDown={(e) =>
        drag(e, p, put, () => setTyping(figure(p.value).replace('−', '-')), begin)
      }
      onKeyDown={(e) => {
        const steps = { ArrowUp: 1, ArrowRight: 1, ArrowDown: -1, ArrowLeft: -1 }[e.key]
        const tens = { PageUp: 10, PageDown: -10 }[e.key]
        const n = steps ?? tens
        if (e.ctrlKey || e.metaKey || e.altKey) return
        if (e.key === 'Enter') setTyping(figure(p.value).replace('−', '-'))
        else if (BEGINS.test(e.key)) begin(e.key)
        else if (n !== undefined) put(snapped(p.value + n * p.step, p.step))
        else return
        e.preventDefault()
        e.stopPropagation()
      }}
    >
      {withUnit(figure(p.value), p.unit)}
    </span>
  )
}

function drag(
  start: ReactPointerEvent<HTMLElement>,
  p: Props,
  put: (v: number) => void,
  click: () => void,
  type: (text: string) => void,
): void {
  if (start.button !== 0) return
  start.preventDefault()
  const element = start.currentTarget
  let exact = p.value
  let last = start.clientX
  let moved = false
  followPointer(start, {
    move: (e) => {
      if (!moved && Math.abs(e.clientX - start.clientX) < 3) return
      moved = true
      const finer = 2 ** (-Math.max(0, Math.abs(e.clientY - start.clientY) - 12) / 60)
      exact += ((e.clientX - last) / 4) * p.step * finer
      last = e.clientX
      put(snapped(exact, finer < 0.4 ? p.step / 10 : p.step))
    },
    up: () => {
      if (moved) return
      element.focus()
      click()
    },
    cancel: () => put(p.value),
    type,
  })
}
