import { useEffect, useState } from 'react'
import { api } from '../../shared/api/client'
import { eye, saveBlob } from '../../shared/eye'
import { useSection } from '../../shared/section'
import { say, useSession } from '../../shared/session'
import { Sheet } from '../../shared/ui/Sheet'
import { useView } from '../../shared/viewState'

const SCALES = [
  ['', 'the largest that fits'],
  ['10', '10 : 1'],
  ['5', '5 : 1'],
  ['2', '2 : 1'],
  ['1', '1 : 1'],
  ['0.5', '1 : 2'],
  ['0.2', '1 : 5'],
  ['0.1', '1 : 10'],
  ['0.05', '1 : 20'],
  ['0.02', '1 : 50'],
] as const

interface Options {
  what: 'shown' | 'chosen'
  paper: string
  scale: string
  angle: string
  lettering: string
  section: 'view' | 'middle' | 'none'
  numbers: boolean
  drawn: string
}

const FIRST: Options = {
  what: 'shown',
  paper: 'A3',
  scale: '',
  angle: 'first',
  lettering: '3.5',
  section: 'middle',
  numbers: true,
  drawn: '',
}

/** A drawing sheet to give away: seen here as it will be, then downloaded. */
export function DrawingSheet() {
  const open = useView((s) => s.sheet)
  const set = useView((s) => s.set)
  return (
    <Sheet
      open={open}
      close={() => set({ sheet: false })}
      title="Drawing sheet"
      testId="sheet"
      wide
    >
      <SheetForm />
    </Sheet>
  )
}

function SheetForm() {
  const bench = useSession((s) => s.bench)
  const id = useSession((s) => s.id)
  const { part, step, leftOut } = useView()
  const planes = useSection((s) => s.planes)
  const [o, setO] = useState<Options>({ ...FIRST, section: planes.length ? 'view' : 'middle' })
  const [shown, setShown] = useState<{ url: string; key: string } | null>(null)
  const [failed, setFailed] = useState<string | null>(null)
  const view = bench?.parts.find((p) => p.part === part)
  const query = asQuery(o, {
    chosen: part,
    shown: (bench?.parts ?? [])
      .filter((p) => p.mesh && !p.hidden && !leftOut.includes(p.part))
      .filter((p) => !bench?.document.parts?.find((q) => q.id === p.part)?.reference)
      .map((p) => p.part),
    plane: planes[0] ?? null,
    middle: view?.stands ? ((view.stands[0]?.[1] ?? 0) + (view.stands[1]?.[1] ?? 0)) / 2 : 0,
    step: part && step ? `${part}/${step}` : null,
  })
  const key = JSON.stringify([query, bench?.revision])
  useEffect(() => {
    if (!id) return
    let on = true
    let url = ''
    const timer = window.setTimeout(() => {
      api
        .sheet(id, query)
        .then(({ data }) => {
          if (!on) return
          url = URL.createObjectURL(data)
          setShown({ url, key })
          setFailed(null)
        })
        .catch((e: unknown) => {
          if (on) setFailed(e instanceof Error ? e.message : String(e))
        })
    }, 150)
    return () => {
      on = false
      clearTimeout(timer)
      if (url) URL.revokeObjectURL(url)
    }
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [id, key])
  const change = (part_: Partial<Options>) => setO({ ...o, ...part_ })
  const download = (format: 'svg' | 'pdf') => {
    if (!id) return
    api
      .sheet(id, { ...query, format })
      .then(({ name, data }) => saveBlob(data, name))
      .catch((e: unknown) => setFailed(e instanceof Error ? e.message : String(e)))
  }
  return (
    <>
      <div
        className="sheet-picture"
        data-testid="sheet-picture"
        data-key={failed ? '' : shown?.key}
      >
        {failed ? (
          <p className="prose" role="alert" style={{ color: 'var(--red)' }}>
            {failed}
          </p>
        ) : shown ? (
          <img src={shown.url} alt="The drawing sheet" />
        ) : (
          <p className="muted">Drawing …</p>
        )}
      </div>
      <div className="sheet-options">
        <Choice
          words="of"
          testId="sheet-what"
          value={o.what}
          rows={[
            ['shown', 'all parts shown'],
            ['chosen', view?.name ?? 'the chosen part'],
          ]}
          change={(what) => change({ what: what as Options['what'] })}
        />
        <Choice
          words="paper"
          testId="sheet-paper"
          value={o.paper}
          rows={['A4', 'A3', 'A2', 'A1'].map((p) => [p, p])}
          change={(paper) => change({ paper })}
        />
        <Choice
          words="scale"
          testId="sheet-scale"
          value={o.scale}
          rows={SCALES}
          change={(scale) => change({ scale })}
        />
        <Choice
          words="views in"
          testId="sheet-angle"
          value={o.angle}
          rows={[
            ['first', 'first angle'],
            ['third', 'third angle'],
          ]}
          change={(angle) => change({ angle })}
        />
        <Choice
          words="lettering"
          testId="sheet-lettering"
          value={o.lettering}
          rows={['2.5', '3.5', '5', '7'].map((h) => [h, `${h} mm`])}
          change={(lettering) => change({ lettering })}
        />
        <Choice
          words="section"
          testId="sheet-section"
          value={o.section}
          rows={[
            ...(planes.length ? ([['view', 'as in the view']] as const) : []),
            ['middle', 'through the middle'],
            ['none', 'none'],
          ]}
          change={(section) => change({ section: section as Options['section'] })}
        />
        <label>
          <input
            type="checkbox"
            checked={o.numbers}
            data-testid="sheet-numbers"
            onChange={(e) => change({ numbers: e.target.checked })}
          />{' '}
          numbers of the chosen step
        </label>
        <label>
          drawn by{' '}
          <input
            className="field"
            size={10}
            maxLength={40}
            value={o.drawn}
            data-testid="sheet-drawn"
            onChange={(e) => change({ drawn: e.target.value })}
            onKeyDown={(e) => e.stopPropagation()}
          />
        </label>
      </div>
      <p className="actions" style={{ marginTop: 14 }}>
        <button
          className="plain boxed first"
          data-testid="sheet-svg"
          disabled={failed !== null}
          onClick={() => download('svg')}
        >
          Download SVG
        </button>
        <button
          className="plain boxed"
          data-testid="sheet-pdf"
          disabled={failed !== null}
          onClick={() => download('pdf')}
        >
          Download PDF
        </button>
      </p>
      <Picture />
    </>
  )
}

function asQuery(
  o: Options,
  now: {
    chosen: string | null
    shown: readonly string[]
    plane: { normal: readonly number[]; offset: number } | null
    middle: number
    step: string | null
  },
): Record<string, string> {
  const parts = o.what === 'chosen' && now.chosen ? [now.chosen] : now.shown
  const plane =
    o.section === 'view' && now.plane
      ? [...now.plane.normal, now.plane.offset].join()
      : o.section === 'middle'
        ? `0,-1,0,${-now.middle}`
        : ''
  return {
    format: 'svg',
    paper: o.paper,
    angle: o.angle,
    lettering: o.lettering,
    parts: parts.join(),
    section: plane,
    ...(o.scale && { scale: o.scale }),
    ...(o.numbers && now.step && { step: now.step }),
    ...(o.drawn && { drawn: o.drawn }),
  }
}

function Choice(props: {
  words: string
  testId: string
  value: string
  rows: readonly (readonly [string, string])[]
  change: (value: string) => void
}) {
  return (
    <label>
      {props.words}{' '}
      <select
        value={props.value}
        data-testid={props.testId}
        onChange={(e) => props.change(e.target.value)}
      >
        {props.rows.map(([value, words]) => (
          <option key={value} value={value}>
            {words}
          </option>
        ))}
      </select>
    </label>
  )
}

const MOST = 8192

/** The view as a picture, at any size. */
function Picture() {
  const now = eye()?.size() ?? { width: 1600, height: 1200 }
  const [width, setWidth] = useState(String(Math.round(now.width * 2)))
  const [paper, setPaper] = useState(true)
  const name = useSession((s) => s.bench?.document.name ?? 'view')
  const wide = Number(width)
  const high = Math.round((wide * now.height) / Math.max(now.width, 1))
  const fits = Number.isInteger(wide) && wide >= 16 && Math.max(wide, high) <= MOST
  return (
    <p className="actions" style={{ marginTop: 14 }}>
      <label>
        or the view as a picture,{' '}
        <input
          className="field"
          size={5}
          inputMode="numeric"
          value={width}
          data-testid="picture-width"
          aria-label="Width of the picture in pixels"
          onChange={(e) => setWidth(e.target.value)}
          onKeyDown={(e) => e.stopPropagation()}
        />{' '}
        {fits ? `× ${high} pixels` : `pixels: 16 to ${MOST}`}
      </label>
      <label>
        <input
          type="checkbox"
          checked={paper}
          data-testid="picture-paper"
          onChange={(e) => setPaper(e.target.checked)}
        />{' '}
        with paper
      </label>
      <button
        className="plain boxed"
        data-testid="picture-download"
        disabled={!fits}
        onClick={() => {
          eye()
            ?.picture(wide, high, paper)
            .then((blob) => saveBlob(blob, `${name}.png`))
            .catch((e: unknown) => say(e instanceof Error ? e.message : String(e)))
        }}
      >
        Download PNG
      </button>
    </p>
  )
}
