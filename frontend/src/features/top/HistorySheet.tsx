import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { api } from '../../shared/api/client'
import { ago } from '../../shared/format'
import { move, useSession } from '../../shared/session'
import { Sheet } from '../../shared/ui/Sheet'
import { useView } from '../../shared/viewState'

/** Every revision, other branches too; each can be gone back to and named. */
export function HistorySheet() {
  const { history, set } = useView()
  const id = useSession((s) => s.id)
  const head = useSession((s) => s.bench?.revision ?? 0)
  const rows = useQuery({
    queryKey: ['history', id, head],
    queryFn: () => api.history(id ?? ''),
    enabled: history && id !== null,
  })
  const [naming, setNaming] = useState<number | null>(null)
  const keep = (revision: number, name: string) => {
    setNaming(null)
    if (id) void api.nameRevision(id, revision, name.trim() || null).then(() => rows.refetch())
  }
  return (
    <Sheet open={history} close={() => set({ history: false })} title="History" testId="history">
      {rows.isPending && <p className="muted">Reading the history …</p>}
      {rows.isError && <p role="alert">{rows.error.message}</p>}
      <ol className="history" style={{ listStyle: 'none', padding: 0, margin: 0 }}>
        {rows.data?.revisions.map((r) => (
          <li
            key={r.number}
            data-testid={`revision-${r.number}`}
            style={{ fontWeight: r.number === rows.data.head ? 600 : 400 }}
          >
            <span className="figures muted">{r.number}</span>
            <span>
              <button
                className="plain"
                title={
                  r.number === rows.data.head ? 'This is what is shown' : 'Go to this revision'
                }
                onClick={() => move('go-to', r.number)}
              >
                {r.label}
                {!r.on_branch && <span className="muted"> (other branch)</span>}
              </button>
              {naming === r.number ? (
                <input
                  className="field"
                  autoFocus
                  aria-label="Name of the revision"
                  defaultValue={r.name ?? ''}
                  maxLength={200}
                  onBlur={(e) => keep(r.number, e.target.value)}
                  onKeyDown={(e) => {
                    if (e.key === 'Enter') keep(r.number, e.currentTarget.value)
                  }}
                />
              ) : (
                r.name && <b className="prose"> “{r.name}”</b>
              )}
            </span>
            <span className="muted">
              {ago(r.time)}{' '}
              <button className="plain link" onClick={() => setNaming(r.number)}>
                name
              </button>
            </span>
          </li>
        ))}
      </ol>
    </Sheet>
  )
}
