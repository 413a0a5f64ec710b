import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useEffect, useRef, useState } from 'react'
import { api } from '../../shared/api/client'
import type { BenchItem } from '../../shared/api/client'
import { goTo } from '../../shared/address'
import { ago } from '../../shared/format'
import { say } from '../../shared/session'
import { Button } from '../../shared/ui/Button'
import { EditableName } from '../../shared/ui/EditableName'
import { EmptyState } from '../../shared/ui/EmptyState'
import { Link } from '../../shared/ui/Link'

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
        <Button
          tone="first"
          data-testid="new-bench"
          onClick={() => make.mutate(() => api.newBench('New bench'))}
        >
          New bench
        </Button>
        <Button data-testid="open-file" onClick={() => file.current?.click()}>
          Open a bench file
        </Button>
        <Button data-testid="new-demo" onClick={() => make.mutate(api.newDemo)}>
          Demo bench
        </Button>
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
            <Button tone="link" onClick={() => void list.refetch()}>
              Try again
            </Button>
          </p>
        )}
        {list.isSuccess && standing.length === 0 && (
          <EmptyState
            testId="no-benches"
            words="No bench yet. A new one is empty; the demo shows a turned brass pedestal to try things on."
          />
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
              <Button
                tone="link"
                data-testid="restore"
                onClick={() =>
                  void api
                    .restore(b.id)
                    .then(() => queries.invalidateQueries({ queryKey: ['benches'] }))
                }
              >
                Put back
              </Button>
            </div>
          ))}
          <Empty count={removed.length} />
        </section>
      )}
    </main>
  )
}

/** Deletes the removed benches for good, after asking once more. */
function Empty({ count }: { count: number }) {
  const queries = useQueryClient()
  const [asked, setAsked] = useState(false)
  const empty = useMutation({
    mutationFn: api.emptyRemoved,
    onSuccess: ({ benches, bytes }) => {
      setAsked(false)
      say(`${many(benches)} deleted for good, ${(bytes / 1e6).toFixed(1)} MB are free again.`)
      void queries.invalidateQueries({ queryKey: ['benches'] })
    },
    onError: (e) => say(e.message, 'error'),
  })
  const many = (n: number) => `${n} ${n === 1 ? 'bench' : 'benches'}`
  if (!asked) {
    return (
      <Button tone="link" data-testid="empty" onClick={() => setAsked(true)}>
        Delete for good …
      </Button>
    )
  }
  return (
    <p className="prose" data-testid="empty-asked">
      {many(count)} with all revisions, files and baked results will be gone; nothing brings them
      back.{' '}
      <Button data-testid="empty-yes" disabled={empty.isPending} onClick={() => empty.mutate()}>
        {empty.isPending ? 'Deleting …' : 'Delete'}
      </Button>{' '}
      <Button tone="link" data-testid="empty-no" autoFocus onClick={() => setAsked(false)}>
        Keep
      </Button>
    </p>
  )
}

function Row({ bench }: { bench: BenchItem }) {
  const queries = useQueryClient()
  const [naming, setNaming] = useState(false)
  const again = () => queries.invalidateQueries({ queryKey: ['benches'] })
  const act = (work: Promise<unknown>) => {
    work.then(again).catch((e: unknown) => say(e instanceof Error ? e.message : String(e), 'error'))
  }
  const rename = (name: string) =>
    act(
      api.edit(bench.id, {
        base: bench.revision,
        edit: { kind: 'set_bench', name },
        author: '',
        join: false,
      }),
    )
  return (
    <div className="row" data-testid={`bench-${bench.id}`}>
      {naming ? (
        <EditableName
          name={bench.name}
          label="Name of the bench"
          className="prose bench-name"
          testId={`name-${bench.id}`}
          opened
          close={() => setNaming(false)}
          keep={rename}
        />
      ) : (
        <Link href={`/bench/${bench.id}`} data-testid="bench-link" inside>
          {bench.name}
        </Link>
      )}
      <span className="muted" title="All changes are saved">
        saved {ago(bench.changed)}
      </span>
      <span className="muted figures">{bench.parts === 1 ? '1 part' : `${bench.parts} parts`}</span>
      <span className="actions">
        <Button tone="link" data-testid="rename" onClick={() => setNaming(true)}>
          Rename
        </Button>
        <Button tone="link" data-testid="duplicate" onClick={() => act(api.duplicate(bench.id))}>
          Duplicate
        </Button>
        <Link data-testid="download" href={api.fileAddress(bench.id)} download>
          Download
        </Link>
        <Button tone="link" data-testid="remove" onClick={() => act(api.remove(bench.id))}>
          Remove
        </Button>
      </span>
    </div>
  )
}
