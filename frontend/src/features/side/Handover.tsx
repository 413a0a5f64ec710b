import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { api } from '../../shared/api/client'
import type { BakedView } from '../../shared/api/client'
import { figure, volume, whole } from '../../shared/format'
import { say, useSession } from '../../shared/session'
import { Sheet } from '../../shared/ui/Sheet'

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
        <button className="plain link" onClick={() => setOpen(0)}>
          Download all
        </button>
      )}
      <HandoverSheet
        open={open !== null}
        close={() => setOpen(null)}
        rows={open ? baked.filter((b) => b.id === open) : baked}
      />
    </section>
  )
}

const FORMATS: readonly [string, string, string][] = [
  ['glb', 'GLB', 'metres, Y up; triangles, normals, materials'],
  ['3mf', '3MF', 'triangles, materials; says its unit'],
  ['off', 'OFF', 'text; polygons, nothing else'],
  ['obj', 'OBJ', 'polygons, groups, finishes in an MTL'],
  ['stl', 'STL', 'triangles, single precision'],
  ['ply', 'PLY', 'polygons, double precision'],
]

/** The report of what was baked, and how to take it away. */
export function HandoverSheet(props: {
  open: boolean
  close: () => void
  rows: readonly BakedView[]
}) {
  const id = useSession((s) => s.id)
  const queries = useQueryClient()
  const [format, setFormat] = useState('glb')
  const [unit, setUnit] = useState('mm')
  const [up, setUp] = useState('z')
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
      <fieldset style={{ marginTop: 16 }}>
        <legend style={{ fontWeight: 600 }}>Take it away as</legend>
        {FORMATS.map(([value, words, note]) => (
          <label key={value} style={{ display: 'block', padding: '2px 0' }}>
            <input
              type="radio"
              name="format"
              value={value}
              checked={format === value}
              data-testid={`format-${value}`}
              onChange={() => setFormat(value)}
            />{' '}
            {words} <span className="muted">{note}</span>
          </label>
        ))}
      </fieldset>
      {(fixed || format === 'obj') && (
        <p className="actions" style={{ marginTop: 8 }}>
          <label>
            <input
              type="checkbox"
              checked={texture}
              data-testid="texture"
              onChange={(e) => setTexture(e.target.checked)}
            />{' '}
            with texture coordinates
          </label>
        </p>
      )}
      {!fixed && (
        <p className="actions" style={{ marginTop: 8 }}>
          <label>
            unit{' '}
            <select value={unit} data-testid="unit" onChange={(e) => setUnit(e.target.value)}>
              {['mm', 'cm', 'm', 'in'].map((u) => (
                <option key={u}>{u}</option>
              ))}
            </select>
          </label>
          <label>
            up{' '}
            <select value={up} data-testid="up" onChange={(e) => setUp(e.target.value)}>
              <option value="z">Z</option>
              <option value="y">Y</option>
            </select>
          </label>
          {format !== 'stl' && (
            <label>
              <input
                type="checkbox"
                checked={triangles}
                onChange={(e) => setTriangles(e.target.checked)}
              />{' '}
              cut into triangles
            </label>
          )}
        </p>
      )}
      {props.rows.length > 1 && (
        <label>
          <input
            type="checkbox"
            checked={together}
            onChange={(e) => setTogether(e.target.checked)}
          />{' '}
          all in one file
        </label>
      )}
      <p className="actions" style={{ marginTop: 14 }}>
        <a className="plain boxed first" data-testid="download" href={address} download>
          Download
        </a>
        {one && (
          <button className="plain link" onClick={() => remove(one)}>
            Take out of the hand-over
          </button>
        )}
      </p>
    </Sheet>
  )
}

function Report({ baked, named }: { baked: BakedView; named: boolean }) {
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
        {whole(baked.faces)} faces, {baked.size.map((x) => figure(x, 5)).join(' × ')} mm
        {baked.volume !== null && `, ${volume(baked.volume)}`}
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
