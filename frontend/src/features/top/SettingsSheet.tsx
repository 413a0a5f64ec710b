import { useRef, useState } from 'react'
import { whole } from '../../shared/format'
import { edit, doEdit, useSession } from '../../shared/session'
import { useLengths } from '../../shared/shown'
import { Field } from '../../shared/ui/Field'
import { Select } from '../../shared/ui/Select'
import { Sheet } from '../../shared/ui/Sheet'
import { lengthFigure, lengthTyped } from '../../shared/units'
import type { LengthUnit } from '../../shared/units'
import { useView } from '../../shared/viewState'

const UNITS: readonly { value: LengthUnit; words: string }[] = [
  { value: 'mm', words: 'millimetres' },
  { value: 'cm', words: 'centimetres' },
  { value: 'in', words: 'inches' },
]
const AS_NEEDED = 'as needed'
const DECIMALS = [
  { value: AS_NEEDED, words: 'as many decimals as needed' },
  { value: '0', words: 'no decimals' },
  { value: '1', words: 'one decimal' },
  ...['two', 'three', 'four', 'five', 'six'].map((n, i) => ({
    value: String(i + 2),
    words: `${n} decimals`,
  })),
]

/** What holds for all of a bench: how lengths are shown, its floor, how many faces a part may have. */
export function SettingsSheet() {
  const { settings, set } = useView()
  const bench = useSession((s) => s.bench?.document)
  const lengths = useLengths()
  if (!bench) return null
  const show = (unit: LengthUnit, decimals: number | null) =>
    doEdit({ kind: 'set_bench', shown: { unit, decimals } })
  const { unit, decimals } = lengths
  return (
    <Sheet
      open={settings}
      close={() => set({ settings: false })}
      title="Bench settings"
      testId="settings"
    >
      <p className="prose" style={{ lineHeight: 2.3 }}>
        Lengths are shown and read in{' '}
        <Select
          label="Unit of lengths"
          testId="settings-unit"
          value={unit}
          options={UNITS}
          change={(to) => show(to, decimals)}
        />{' '}
        with{' '}
        <Select
          label="Decimals of lengths"
          testId="settings-decimals"
          value={decimals === null ? AS_NEEDED : String(decimals)}
          options={DECIMALS}
          change={(to) => show(unit, to === AS_NEEDED ? null : Number(to))}
        />
        .
      </p>
      <p className="muted">
        What is typed with a unit of its own keeps it. In a formula a number without one is mm, as
        in the bench file: the bodies stay as they are.
      </p>
      <p className="prose" style={{ lineHeight: 2.3, marginTop: 12 }}>
        The floor is{' '}
        <Setting
          key={`${String(bench.floor)} ${unit}`}
          label={`Side of the floor, ${unit}`}
          testId="settings-floor"
          begin={lengthFigure(bench.floor ?? 100, { ...lengths, decimals: null })}
          wrong="A length over 0 is wanted here: 100, 20 cm, 8 in."
          read={(text) => lengthTyped(text, lengths)}
          keep={(floor) => edit({ kind: 'set_bench', floor }, { quiet: true })}
        />{' '}
        {unit} wide; shapes begin a fifth as large. A part may have{' '}
        <Setting
          key={bench.face_limit}
          label="Faces a part may have"
          testId="settings-faces"
          begin={whole(bench.face_limit ?? 2_000_000)}
          wrong="A whole number from 1 to 20 000 000 is wanted here."
          read={count}
          keep={(face_limit) => edit({ kind: 'set_bench', face_limit }, { quiet: true })}
        />{' '}
        faces.
      </p>
    </Sheet>
  )
}

function count(text: string): number | null {
  const clean = text.replace(/[\s\u2009]/g, '')
  return /^\d+$/.test(clean) ? Number(clean) : null
}

/** A number that is kept with Enter or when its field is left; a wrong one stays there, with the words. */
function Setting(props: {
  label: string
  testId: string
  begin: string
  wrong: string
  read: (text: string) => number | null
  keep: (value: number) => Promise<void>
}) {
  const [text, setText] = useState(props.begin)
  const [wrong, setWrong] = useState<string | null>(null)
  /** it is kept, or left: leaving the field keeps nothing more */
  const done = useRef(false)
  const keep = () => {
    if (done.current || text === props.begin) return
    const value = props.read(text)
    if (value === null || value <= 0) {
      setWrong(props.wrong)
      return
    }
    done.current = true
    props.keep(value).catch((e: unknown) => {
      done.current = false
      setWrong(e instanceof Error ? e.message : String(e))
    })
  }
  return (
    <Field
      label={props.label}
      testId={props.testId}
      className="figures"
      width="7em"
      value={text}
      wrong={wrong}
      leave={() => {
        done.current = true
      }}
      change={(to) => {
        done.current = false
        setText(to)
        setWrong(null)
      }}
      keep={keep}
      onBlur={keep}
    />
  )
}
