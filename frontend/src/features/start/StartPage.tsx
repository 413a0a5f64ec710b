import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useEffect, useRef, useState } from 'react'
import { api } from '../../shared/api/client'
import type { BenchItem } from '../../shared/api/client'
import { goTo } from '../../shared/address'
import { ago } from '../../shared/format'
import { say } from '../../shared/session'

/** The benches: new, open a file, duplicate, rename, download, remove with a way back. */
export function StartPage() {
  const queries = useQueryClient()
  const list = useQuery({ queryKey: ['benches'], queryFn: api.benches })
  const file = useRef<HTMLInputElement>(null)
  useEffect(() => {
    document.title = 'Jukai'
    return api.listen(null, {
      event: (e) => {
        if (e.kind === 'benches') void queries.invalidateQueries({ queryKey: ['benches'] })
      },
      open: () => void queries.invalidateQueries({ queryKey: ['benches'] }),
      lost: () => undefined,
    })
  }, [queries])
  const make = useMutation({
    mutationFn: (how: () => Promise<{ id: string }>) => how(),
    onSuccess: ({ id }) => goTo(`/bench/${id}`),
    onError: (e) => say(e.message, 'error'),
  })
  const benches = list.data?.benches ?? []
  const standing = benches.filter((b) => b.removed === null)
  const removed = benches.filter((b) => b.removed !== null)
  return (
    <main className="start" data-testid="start">
      <h1>Jukai</h1>
      <p className="lead">
        Parts from a few strong operations with exact numbers, every number live. All you do is
        saved as you do it, and can be undone.
      </p>
      <div className="actions">
        <button
          className="plain boxed first"
          data-testid="new-bench"
          onClick={() => make.mutate(() => api.newBench('New bench'))}
        >
          New bench
        </button>
        <button
          className="plain boxed"
          data-testid="open-file"
          onClick={() => file.current?.click()}
        >
          Open a bench file
        </button>
        <button
          className="plain boxed"
          data-testid="new-demo"
          onClick={() => make.mutate(api.newDemo)}
        >
          Demo bench
        </button>
        <input
          ref={file}
          type="file"
          hidden
          data-testid="file-input"
          accept=".json,.zip"
          onChange={(e) => {
            const chosen = e.target.files?.[0]
            if (chosen) make.mutate(() => api.openFile(chosen))
            e.target.value = ''
          }}
        />
      </div>
      <section style={{ marginTop: 28 }}>
        {list.isPending && <p className="muted">Looking for benches …</p>}
        {list.isError && (
          <p role="alert" style={{ color: 'var(--red)' }}>
            {list.error.message}{' '}
            <button className="plain link" onClick={() => void list.refetch()}>
              Try again
            </button>
          </p>
        )}
        {list.isSuccess && standing.length === 0 && (
          <p className="prose muted" data-testid="no-benches">
            No bench yet. A new one is empty; the demo shows a turned brass pedestal to try things
            on.
          </p>
        )}
        {standing.map((b) => (
          <Row key={b.id} bench={b} />
        ))}
      </section>
      {removed.length > 0 && (
        <section style={{ marginTop: 28 }} data-testid="removed">
          <h2 className="prose" style={{ fontSize: 16, fontWeight: 600 }}>
            Removed
          </h2>
          {removed.map((b) => (
            <div className="row" key={b.id} data-testid={`removed-${b.id}`}>
              <span className="muted prose">{b.name}</span>
              <span className="muted">{ago(b.removed ?? 0)}</span>
              <span />
              <button
                className="plain link"
                data-testid="restore"
                onClick={() =>
                  void api
                    .restore(b.id)
                    .then(() => queries.invalidateQueries({ queryKey: ['benches'] }))
                }
              >
                Put back
              </button>
            </div>
          ))}
        </section>
      )}
    </main>
  )
}

function Row({ bench }: { bench: BenchItem }) {
  const queries = useQueryClient()
  const [name, setName] = useState<string | null>(null)
  const again = () => queries.invalidateQueries({ queryKey: ['benches'] })
  const act = (work: Promise<unknown>) => {
    work.then(again).catch((e: unknown) => say(e instanceof Error ? e.message : String(e), 'error'))
  }
  const rename = () => {
    const wanted = name?.trim()
    setName(null)
    if (wanted && wanted !== bench.name)
      act(
        api.edit(bench.id, {
          base: bench.revision,
          edit: { kind: 'set_bench', name: wanted },
          author: '',
          join: false,
        }),
      )
  }
  return (
    <div className="row" data-testid={`bench-${bench.id}`}>
      {name === null ? (
        <a
          href={`/bench/${bench.id}`}
          data-testid="bench-link"
          onClick={(e) => {
            e.preventDefault()
            goTo(`/bench/${bench.id}`)
          }}
        >
          {bench.name}
        </a>
      ) : (
        <input
          className="field prose"
          style={{ fontSize: 18 }}
          autoFocus
          aria-label="Name of the bench"
          value={name}
          maxLength={200}
          onChange={(e) => setName(e.target.value)}
          onBlur={rename}
          onKeyDown={(e) => {
            if (e.key === 'Enter') rename()
            if (e.key === 'Escape') setName(null)
          }}
        />
      )}
      <span className="muted" title="All changes are saved">
        saved {ago(bench.changed)}
      </span>
      <span className="muted figures">{bench.parts === 1 ? '1 part' : `${bench.parts} parts`}</span>
      <span className="actions">
        <button className="plain link" data-testid="rename" onClick={() => setName(bench.name)}>
          Rename
        </button>
        <button
          className="plain link"
          data-testid="duplicate"
          onClick={() => act(api.duplicate(bench.id))}
        >
          Duplicate
        </button>
        <a
          className="link"
          style={{ font: 'inherit' }}
          data-testid="download"
          href={api.fileAddress(bench.id)}
          download
        >
          Download
        </a>
        <button
          className="plain link"
          data-testid="remove"
          onClick={() => act(api.remove(bench.id))}
        >
          Remove
        </button>
      </span>
    </div>
  )
}
