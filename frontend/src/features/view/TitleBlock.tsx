import { useQuery } from '@tanstack/react-query'
import { api } from '../../shared/api/client'
import { mass, whole } from '../../shared/format'
import { useSession } from '../../shared/session'
import { isStale, shownPart, useLengths } from '../../shared/shown'
import { lengthFigure, placeText, volumeText } from '../../shared/units'
import { useView } from '../../shared/viewState'

/** Part, finish, size, volume, mass, faces, revision, soundness. */
export function TitleBlock() {
  const partId = useView((s) => s.part)
  const part = useSession((s) => shownPart(s, partId))
  const doc = useSession((s) => s.bench?.document.parts?.find((p) => p.id === partId))
  const revision = useSession((s) => s.bench?.revision)
  const stale = useSession((s) => isStale(s, partId))
  const lengths = useLengths()
  if (!part || !doc) return null
  const size = part.bounds
    ? [0, 1, 2]
        .map((k) =>
          lengthFigure((part.bounds?.[1]?.[k] ?? 0) - (part.bounds?.[0]?.[k] ?? 0), lengths, 4),
        )
        .join('\u2009×\u2009')
    : '–'
  const four = part.faces ? `${Math.floor((100 * part.four_sided) / part.faces)}\u2009%` : '–'
  return (
    <div
      className={`title-block${stale ? ' stale' : ''}`}
      data-testid="title-block"
      data-stale={stale}
      title={stale ? 'As it was before the last change, which is being worked out' : undefined}
    >
      <div>
        <span className="name">{part.name}</span>
      </div>
      <Cell label="Finish" value={doc.finish ?? 'none'} />
      <Cell label="Revision" value={String(revision)} testId="revision" last />
      <Cell label={`Size, ${lengths.unit}`} value={size} testId="size" />
      <Cell
        label="Volume"
        value={part.volume === null ? '–' : volumeText(part.volume, lengths)}
        testId="volume"
      />
      <Cell label="Mass" value={part.mass === null ? '–' : mass(part.mass)} last />
      <Cell label="Faces" value={whole(part.faces)} testId="faces" />
      <Cell label="Four-sided" value={four} />
      <Cell label="Points" value={whole(part.points)} last />
      <Soundness digest={part.mesh} stale={stale} />
    </div>
  )
}

function Cell(props: { label: string; value: string; testId?: string; last?: boolean }) {
  return (
    <div className={props.last ? 'last' : ''}>
      <span className="label">{props.label}</span>
      <span className="value" data-testid={props.testId} title={props.value}>
        {props.value}
      </span>
    </div>
  )
}

/** It follows the picture by itself, and stands as checking until then. */
function Soundness({ digest, stale }: { digest: string | null; stale: boolean }) {
  const dragging = useSession((s) => s.preview !== null)
  const lengths = useLengths()
  const report = useQuery({
    queryKey: ['soundness', digest],
    queryFn: () => api.soundness(digest ?? ''),
    enabled: digest !== null && !dragging && !stale,
    staleTime: Infinity,
  })
  if (!digest) return <div className="whole muted">No body</div>
  if (dragging || stale || report.isPending)
    return (
      <div className="whole muted" data-testid="soundness" data-state="checking">
        Checking …
      </div>
    )
  if (report.isError)
    return (
      <div className="whole" data-testid="soundness" data-state="unknown">
        Not checked: {report.error.message}
      </div>
    )
  const r = report.data
  const failures = r.findings.filter((f) => f.level === 'failure')
  if (r.sound)
    return (
      <div
        className="whole"
        data-testid="soundness"
        data-state="sound"
        style={{ color: 'var(--moss)', fontWeight: 600 }}
      >
        {r.summary}
      </div>
    )
  return (
    <div
      className="whole"
      data-testid="soundness"
      data-state="failed"
      style={{ color: 'var(--red)', fontWeight: 600 }}
    >
      {failures.map((f) => (
        <button
          key={f.kind}
          className="plain"
          style={{ display: 'block', fontWeight: 600 }}
          title={f.places.length ? 'Show where' : ''}
          data-testid={`finding-${f.kind}`}
          onClick={() => useView.getState().set({ spots: f.places })}
        >
          {f.text}{' '}
          {f.places[0] && (
            <span className="figures muted link">at {placeText(f.places[0], lengths)}</span>
          )}
        </button>
      ))}
    </div>
  )
}
