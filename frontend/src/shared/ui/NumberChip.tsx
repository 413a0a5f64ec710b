import { useEffect, useRef, useState } from 'react'
import type { KeyboardEvent } from 'react'
import { BEGINS, dragNumber, within } from '../dragging'
import { figure, withUnit, whole, written } from '../format'
import { ApiError, api } from '../api/client'
import { author, edit, useSession } from '../session'
import { figureOf, isFormula } from '../number'
import type { NumberTarget } from '../number'
import { useView } from '../viewState'

/** px of sideways drag for one step of the number */
const PX_PER_STEP = 4
/** ms within which a second click is a double click */
const TWICE = 350

/** A number in a sentence: drag it sideways, click and type, arrow keys, a formula, double click for its default. */
export function NumberChip(props: { target: NumberTarget; off?: boolean; plain?: boolean }) {
  const t = props.target
  /** whether its field is open, or what that begins with */
  const [typing, setTyping] = useState<string | boolean>(false)
  const lit = useView((s) => s.hovered === t.address)
  const set = useView((s) => s.set)
  const clicked = useRef(false)
  const formula = isFormula(t.raw)
  if (typing !== false)
    return (
      <NumberField
        target={t}
        begin={typing === true ? undefined : typing}
        again={clicked.current}
        close={() => setTyping(false)}
      />
    )

  const open = (begin: string | true, byClick = false) => {
    clicked.current = byClick
    setTyping(begin)
  }
  const key = (e: KeyboardEvent) => {
    const steps = {
      ArrowUp: 1,
      ArrowRight: 1,
      ArrowDown: -1,
      ArrowLeft: -1,
      PageUp: 10,
      PageDown: -10,
    }[e.key]
    if (e.key === 'Enter') open(true)
    else if (e.altKey || e.ctrlKey || e.metaKey) return
    else if (BEGINS.test(e.key)) open(e.key)
    else if (steps !== undefined && !formula && t.value !== null)
      edit(t.edit(within(t, t.value + steps * t.step, t.step)), { join: true }).catch(
        () => undefined,
      )
    else return
    e.preventDefault()
    e.stopPropagation()
  }
  const shown = t.whole && t.value !== null ? whole(t.value) : figureOf(t)
  const number = t.fraction ?? (props.plain && !t.own ? shown : withUnit(shown, t.unit))
  return (
    <span
      className={`chip number${formula ? ' formula' : ''}${t.raw === null ? ' self' : ''}${lit ? ' lit' : ''}`}
      role="spinbutton"
      tabIndex={0}
      aria-valuenow={t.value ?? undefined}
      aria-label={t.words}
      data-testid={`chip-${t.address}`}
      title={titleOf(t, formula)}
      onPointerEnter={() => set({ hovered: t.address })}
      onPointerLeave={() => set({ hovered: null })}
      onPointerDown={(e) =>
        dragNumber(e, {
          target: t,
          amount: (dx) => (dx / PX_PER_STEP) * t.step,
          pull: (_, dy) => dy,
          click: () => open(true, true),
          type: open,
        })
      }
      onKeyDown={key}
    >
      {formula ? <span className="written">{t.raw}</span> : number}
      {formula && <span style={{ color: 'var(--ink)' }}> = {number}</span>}
    </span>
  )
}

/** What is told of a number under the pointer: of a formula, which may be folded, all of it. */
function titleOf(t: NumberTarget, formula: boolean): string {
  if (t.raw === null) return `${t.words} Chosen by itself; drag or type to set it.`
  if (formula) return `${t.raw}\n${t.words}`
  // more than the decimals that are shown
  const exact = t.value === null || t.decimals === undefined ? '' : figure(t.value, 10)
  return exact && exact !== figureOf(t) ? `${withUnit(exact, t.unit)}\n${t.words}` : t.words
}

const SOLVABLE = /^(dimensions\/|[^/]+\/(placement\/(move|turn|scale)|[^/]+\/values)\/)/
const MANY = 200_000

/** How many faces a count would make, and what that takes where it is long, before the work. */
function Estimate({ target, text }: { target: NumberTarget; text: string }) {
  const [told, setTold] = useState<{ text: string; much: boolean } | null>(null)
  useEffect(() => {
    const { id, bench } = useSession.getState()
    const value = written(text)
    if (!target.whole || !id || !bench || value === null || value === target.raw) return
    let on = true
    const timer = window.setTimeout(() => {
      api
        .estimate(id, { base: bench.revision, edit: target.edit(value), author, join: false })
        .then(({ faces, seconds }) => {
          if (!on || faces === null) return
          const long = seconds !== null && seconds >= 1
          const takes = long ? ` in about ${figure(seconds, 2)}\u2009s` : ''
          setTold({ text: `makes ${whole(faces)} faces${takes}`, much: faces > MANY || long })
        })
        .catch((e: unknown) => {
          // that the server can't be reached is told elsewhere
          if (on) setTold(e instanceof ApiError ? { text: e.message, much: true } : null)
        })
    }, 120)
    return () => {
      on = false
      clearTimeout(timer)
      setTold(null)
    }
  }, [target, text])
  return told ? (
    <span className={`chip-estimate${told.much ? ' amber' : ''}`} data-testid="estimate">
      {told.text}
    </span>
  ) : null
}

/** The field in which a number is typed. Enter accepts, Escape puts back what was there. */
export function NumberField(props: {
  target: NumberTarget
  close: () => void
  /** what was typed already; else it begins with what stands there */
  begin?: string | undefined
  /** opened by a click: a second one takes the number back to its default */
  again?: boolean
  className?: string
}) {
  const t = props.target
  const { begin } = props
  const [text, setText] = useState(begin ?? (t.raw === null ? '' : String(t.raw)))
  const [wrong, setWrong] = useState<string | null>(null)
  /** it is on its way to the server, or waits for it */
  const [sent, setSent] = useState(false)
  const field = useRef<HTMLInputElement>(null)
  const done = useRef(false)
  const opened = useRef(0)
  useEffect(() => {
    opened.current = performance.now()
    field.current?.focus()
    if (begin === undefined) field.current?.select()
  }, [begin])
  const keep = () => {
    if (done.current) return
    const value = written(text)
    if (value === t.raw || (value === null && t.raw === null)) {
      done.current = true
      props.close()
      return
    }
    done.current = true
    setSent(true)
    edit(t.edit(value), { quiet: true })
      .then(props.close)
      .catch((e: unknown) => {
        done.current = false
        setSent(false)
        setWrong(e instanceof Error ? e.message : String(e))
        field.current?.focus()
      })
  }
  return (
    <span className={props.className}>
      <input
        ref={field}
        className="chip-field"
        data-testid={`field-${t.address}`}
        aria-label={t.words}
        aria-invalid={wrong !== null}
        aria-busy={sent}
        readOnly={sent}
        size={Math.max(5, text.length + 1)}
        placeholder={t.value === null ? '' : figureOf(t)}
        value={text}
        onChange={(e) => {
          setText(e.target.value)
          setWrong(null)
        }}
        onBlur={() => {
          if (wrong === null) keep()
          else props.close()
        }}
        onPointerDown={(e) => {
          e.stopPropagation()
          if (!props.again || performance.now() - opened.current > TWICE) return
          e.preventDefault()
          done.current = true
          props.close()
          if (t.raw !== null) edit(t.edit(null)).catch(() => undefined)
        }}
        onKeyDown={(e) => {
          e.stopPropagation()
          if (e.key === 'Enter') {
            e.preventDefault()
            keep()
          } else if (e.key === 'Escape') {
            done.current = true
            props.close()
          } else if (e.key === 'Tab') keep()
        }}
      />
      {wrong === null && !sent && <Estimate target={t} text={text} />}
      {SOLVABLE.test(t.address) && wrong === null && !sent && (
        <button
          className="plain link solve-link"
          data-testid={`solve-${t.address}`}
          tabIndex={-1}
          title="Find the number that leaves a gap"
          onPointerDown={(e) => {
            // before the field loses the focus and keeps what is typed
            e.preventDefault()
            e.stopPropagation()
            done.current = true
            useView.getState().set({ solving: t.address })
            props.close()
          }}
        >
          so that …
        </button>
      )}
      {wrong && (
        <span className="chip-wrong" role="alert">
          {wrong}
        </span>
      )}
    </span>
  )
}
