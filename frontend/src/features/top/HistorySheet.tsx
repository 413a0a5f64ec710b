import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { api } from '../../shared/api/client'
import { ago } from '../../shared/format'
import { move, useSession } from '../../shared/session'
import { Button } from '../../shared/ui/Button'
import { DataTable } from '../../shared/ui/DataTable'
import { EditableName } from '../../shared/ui/EditableName'
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
    if (id) void api.nameRevision(id, revision, name || null).then(() => rows.refetch())
  }
  return (
    <Sheet open={history} close={() => set({ history: false })} title="History" testId="history">
      {rows.isPending && <p className="muted">Reading the history …</p>}
      {rows.isError && <p role="alert">{rows.error.message}</p>}
      {rows.data && (
        <DataTable
          label="Revisions, the newest first"
          testId="revision"
          rows={rows.data.revisions}
          keyOf={(r) => String(r.number)}
          current={(r) => r.number === rows.data.head}
          columns={[
            { id: 'number', heading: 'no.', numeric: true, cell: (r) => r.number },
            {
              id: 'label',
              heading: 'what was done',
              cell: (r) => (
                <>
                  <Button
                    tone="word"
                    whiteSpace="normal"
                    textAlign="left"
                    title={
                      r.number === rows.data.head ? 'This is what is shown' : 'Go to this revision'
                    }
                    onClick={() => move('go-to', r.number)}
                  >
                    {r.label}
                    {!r.on_branch && <span className="muted"> (other branch)</span>}
                  </Button>{' '}
                  {naming === r.number ? (
                    <EditableName
                      name={r.name ?? ''}
                      label="Name of the revision"
                      testId="revision-name"
                      opened
                      mayBeEmpty
                      close={() => setNaming(null)}
                      keep={(name) => keep(r.number, name)}
                    />
                  ) : (
                    r.name && <b className="prose">“{r.name}”</b>
                  )}
                </>
              ),
            },
            {
              id: 'time',
              heading: 'when',
              cell: (r) => <span className="muted">{ago(r.time)}</span>,
            },
            {
              id: 'name',
              heading: '',
              cell: (r) => (
                <Button tone="link" className="muted" onClick={() => setNaming(r.number)}>
                  {r.name ? 'rename' : 'name'}
                </Button>
              ),
            },
          ]}
        />
      )}
    </Sheet>
  )
}
