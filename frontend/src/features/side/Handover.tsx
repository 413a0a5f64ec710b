import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { api } from '../../shared/api/client'
import type { BakedView } from '../../shared/api/client'
import { whole } from '../../shared/format'
import { say, useSession } from '../../shared/session'
import { useLengths } from '../../shared/shown'
import { Button } from '../../shared/ui/Button'
import { Checkbox } from '../../shared/ui/Checkbox'
import { RadioGroup } from '../../shared/ui/RadioGroup'
import { Select } from '../../shared/ui/Select'
import { Sheet } from '../../shared/ui/Sheet'
import { lengthFigure, volumeText } from '../../shared/units'

export function useHandover() {
  const id = useSession((s) => s.id)
  const revision = useSession((s) => s.bench?.revision ?? 0)
  return useQuery({
    queryKey: ['handover', id, revision],
    queryFn: () => api.handover(id ?? ''),
    enabled: id !== null && revision > 0,
    placeholderData: (before) => before,
  })
}

/** Where baked results stand. */
export function HandoverList() {
  const rows = useHandover()
  const [open, setOpen] = useState<number | null>(null)
  const baked = rows.data?.baked ?? []
  return (
    <section data-testid="handover">
      <h2>Hand-over</h2>
      {baked.map((b) => (
        <div className="row" key={b.id} data-testid={`baked-${b.part}`}>
          <button className="plain grow" title="Report and download" onClick={() => setOpen(b.id)}>
            {b.part_name}
          </button>
          <span
            className="figures"
            style={{ color: b.older ? 'var(--amber)' : 'inherit' }}
            title={b.older ? 'The part has changed since' : ''}
          >
            rev {b.revision}
            {b.older && ', older'}
          </span>
        </div>
      ))}
      {baked.length === 0 && <p className="muted">Bake a part to put its plain result here.</p>}
      {baked.length > 1 && (
        <Button tone="link" onClick={() => setOpen(0)}>
          Download all
        </Button>
      )}
      <HandoverSheet
        open={open !== null}
        close={() => setOpen(null)}
        rows={open ? baked.filter((b) => b.id === open) : baked}
      />
    </section>
  )
}

const FORMATS = [
  { value: 'glb', words: 'GLB', note: 'metres, Y up; triangles, normals, materials' },
  { value: '3mf', words: '3MF', note: 'triangles, materials; says its unit' },
  { value: 'off', words: 'OFF', note: 'text; polygons, nothing else' },
  { value: 'obj', words: 'OBJ', note: 'polygons, groups, finishes in an MTL' },
  { value: 'stl', words: 'STL', note: 'triangles, single precision' },
  { value: 'ply', words: 'PLY', note: 'polygons, double precision, texture' },
] as const
const UNITS = (['mm', 'cm', 'm', 'in'] as const).map((value) => ({ value, words: value }))
const AXES = [
  { value: 'z', words: 'Z' },
  { value: 'y', words: 'Y' },
] as const

/** The report of what was baked, and how to take it away. */
export function HandoverSheet(props: {
  open: boolean
  close: () => void
  rows: readonly BakedView[]
}) {
  const id = useSession((s) => s.id)
  const queries = useQueryClient()
  const [format, setFormat] = useState<(typeof FORMATS)[number]['value']>('glb')
  const [unit, setUnit] = useState<(typeof UNITS)[number]['value']>(useLengths().unit)
  const [up, setUp] = useState<(typeof AXES)[number]['value']>('z')
  const [triangles, setTriangles] = useState(false)
  const [together, setTogether] = useState(true)
  const [texture, setTexture] = useState(true)
  if (!id) return null
  const one = props.rows.length === 1 ? props.rows[0] : undefined
  const fixed = format === 'glb'
  const address = api.downloadAddress(
    id,
    props.rows.map((b) => b.id),
    {
      format,
      together: String(together),
      texture: String(texture),
      ...(fixed ? {} : { unit, up, triangles: String(triangles) }),
    },
  )
  const remove = (b: BakedView) => {
    api
      .unbake(id, b.id)
      .then(() => queries.invalidateQueries({ queryKey: ['handover'] }))
      .then(props.close)
      .catch((e: unknown) => say(e instanceof Error ? e.message : String(e), 'error'))
  }
  return (
    <Sheet
      open={props.open}
      close={props.close}
      title={one ? `${one.part_name}, revision ${one.revision}` : 'Hand-over'}
      testId="handover-sheet"
    >
      {props.rows.map((b) => (
        <Report key={b.id} baked={b} named={!one} />
      ))}
      <div style={{ marginTop: 16 }}>
        <RadioGroup
          label="Take it away as"
          testId="format"
          value={format}
          change={setFormat}
          options={FORMATS}
        />
      </div>
      <p className="actions" style={{ marginTop: 8 }}>
        {(fixed || format === 'obj' || format === 'ply') && (
          <Checkbox checked={texture} change={setTexture} testId="texture">
            with texture coordinates
          </Checkbox>
        )}
        {!fixed && (
          <>
            <span>
              unit{' '}
              <Select label="Unit" testId="unit" value={unit} change={setUnit} options={UNITS} />
            </span>
            <span>
              up <Select label="Up" testId="up" value={up} change={setUp} options={AXES} />
            </span>
            {format !== 'stl' && (
              <Checkbox checked={triangles} change={setTriangles}>
                cut into triangles
              </Checkbox>
            )}
          </>
        )}
        {props.rows.length > 1 && (
          <Checkbox checked={together} change={setTogether}>
            all in one file
          </Checkbox>
        )}
      </p>
      <p className="actions" style={{ marginTop: 14 }}>
        <Button tone="first" asChild>
          <a data-testid="download" href={address} download>
            Download
          </a>
        </Button>
        {one && (
          <Button tone="link" onClick={() => remove(one)}>
            Take out of the hand-over
          </Button>
        )}
      </p>
    </Sheet>
  )
}

function Report({ baked, named }: { baked: BakedView; named: boolean }) {
  const lengths = useLengths()
  return (
    <div data-testid="report" style={{ marginBottom: 10 }}>
      {named && <h3 style={{ fontWeight: 600 }}>{baked.part_name}</h3>}
      <p
        style={{ color: baked.sound ? 'var(--moss)' : 'var(--red)', fontWeight: 600 }}
        data-testid="report-summary"
      >
        {baked.sound ? baked.summary : 'Not sound.'}
      </p>
      <p className="figures">
        {whole(baked.faces)} faces, {baked.size.map((x) => lengthFigure(x, lengths, 5)).join(' × ')}{' '}
        {lengths.unit}
        {baked.volume !== null && `, ${volumeText(baked.volume, lengths)}`}
      </p>
      <ul style={{ margin: '4px 0 0', paddingLeft: 16, listStyle: 'square' }}>
        {baked.findings.map((f) => (
          <li
            key={f.kind}
            style={{
              color:
                f.level === 'failure'
                  ? 'var(--red)'
                  : f.level === 'warning'
                    ? 'var(--amber)'
                    : 'inherit',
            }}
          >
            {f.text}
          </li>
        ))}
      </ul>
      {baked.older && (
        <p style={{ color: 'var(--amber)' }}>
          The part has changed since revision {baked.revision}: bake it again for the newest.
        </p>
      )}
    </div>
  )
}
