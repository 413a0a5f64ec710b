import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { Suspense, lazy, useEffect } from 'react'
import type { ReactNode } from 'react'
import { Board } from '../features/board'
import { GraphSheet } from '../features/graph'
import { addressOf } from '../shared/graph'
import { Recipe } from '../features/recipe'
import { HandoverSheet, SideColumn } from '../features/side'
import { DrawingSheet, HistorySheet, KeysSheet, SettingsSheet, TopBar } from '../features/top'
import { goTo } from '../shared/address'
import { api } from '../shared/api/client'
import { goOn, leave, open, say, useSession } from '../shared/session'
import { setOperators } from '../shared/operators'
import { Button } from '../shared/ui/Button'
import { useView } from '../shared/viewState'
import { useKeys } from './useKeys'

const viewModule = import('../features/view')
const View = lazy(() => viewModule.then((m) => ({ default: m.View })))
const TitleBlock = lazy(() => viewModule.then((m) => ({ default: m.TitleBlock })))

export default function BenchPage({ id }: { id: string }) {
  const doc = useSession((s) => s.bench?.document)
  const failure = useSession((s) => s.failure)
  const connection = useSession((s) => s.connection)
  const chosen = useView((s) => s.part)
  const board_ = useView((s) => s.board)
  const graph_ = useView((s) => s.graph)
  const painting = useView((s) => s.painting !== null)
  const queries = useQueryClient()
  const operators = useQuery({
    queryKey: ['operators'],
    queryFn: async () => {
      const found = await api.operators()
      setOperators(found.operators)
      return found.operators
    },
    staleTime: Infinity,
  })
  useEffect(() => {
    useView.getState().set({
      part: null,
      also: [],
      step: null,
      board: null,
      graph: null,
      painting: null,
      lookAt: null,
      compare: null,
      leftOut: [],
      only: null,
      placing: null,
      zeroing: false,
      axisPick: null,
      solving: null,
      pair: null,
      copied: null,
    })
    void open(id)
    return leave
  }, [id])
  useKeys()
  const part = doc?.parts?.find((p) => p.id === chosen)
  useEffect(() => {
    // a part is chosen as soon as there is one
    const first = doc?.parts?.find((p) => !p.hidden) ?? doc?.parts?.[0]
    if (first && !doc?.parts?.some((p) => p.id === chosen))
      useView.getState().set({ part: first.id, step: first.recipe[0]?.id ?? null })
  }, [doc, chosen])
  const bake = useMutation({
    mutationFn: () => api.bake(id, chosen ?? ''),
    onSettled: () => useSession.setState({ progress: null }),
    onSuccess: () => queries.invalidateQueries({ queryKey: ['handover'] }),
    onError: (e) => say(e.message, 'error'),
  })
  if (failure || operators.isError)
    return (
      <div className="centre">
        <p className="prose" role="alert" style={{ fontSize: 18, maxWidth: 460 }}>
          {failure ?? operators.error?.message}
        </p>
        <Button onClick={() => goTo('/')}>All benches</Button>
      </div>
    )
  if (!doc || !operators.data)
    return (
      <div className="centre">
        <p className="prose muted" data-testid="loading">
          {connection === 'lost'
            ? 'The server can’t be reached. Trying again …'
            : 'Opening the bench …'}
        </p>
      </div>
    )
  const board = doc.curves?.find((c) => c.id === board_)
  const graph = !board && graph_ && part?.id === graph_.part ? graph_ : null
  return (
    <Frame>
      <TopBar operators={operators.data} bake={() => bake.mutate()} baking={bake.isPending} />
      <Recipe part={part} operators={operators.data} />
      <main className="middle">
        <Strips />
        <Suspense fallback={<div className="stage centre muted">Preparing the view …</div>}>
          <div style={{ position: 'relative', flex: 1, minHeight: 0, display: 'flex' }}>
            <View />
            {!board && !graph && !painting && <TitleBlock />}
          </div>
        </Suspense>
        {board && <Board key={board.id} curve={board} />}
        {graph && <GraphSheet key={addressOf(graph)} place={graph} />}
      </main>
      <SideColumn />
      <KeysSheet />
      <SettingsSheet />
      <HistorySheet />
      <DrawingSheet />
      {bake.data && (
        <HandoverSheet open={bake.isSuccess} close={() => bake.reset()} rows={[bake.data]} />
      )}
    </Frame>
  )
}

/** The whole window; it says what is on its way. */
function Frame({ children }: { children: ReactNode }) {
  const side = useView((s) => s.side)
  const revision = useSession((s) => s.bench?.revision)
  const busy = useSession((s) => s.busy)
  const waiting = useSession((s) => s.waiting + (s.bench?.waiting.length ?? 0))
  return (
    <div
      className={`bench${side ? '' : ' folded'}`}
      data-testid="bench"
      data-revision={revision}
      data-busy={busy}
      data-waiting={waiting}
    >
      {children}
    </div>
  )
}

/** What the person has to know of the server: that it can't be reached, that work was stopped. */
function Strips() {
  const lost = useSession((s) => s.connection === 'lost')
  const waiting = useSession((s) => s.waiting)
  const stopped = useSession((s) => s.bench?.stopped.length ?? 0)
  return (
    <>
      {lost && (
        <div className="strip" role="status" data-testid="offline">
          The server can’t be reached.{' '}
          {waiting > 0
            ? `${waiting === 1 ? 'One edit is' : `${waiting} edits are`} kept and sent when it is back.`
            : 'Edits will be kept and sent when it is back.'}
        </div>
      )}
      {stopped > 0 && (
        <div className="strip" role="status" data-testid="stopped">
          Stopped. {stopped === 1 ? 'The last good body stays.' : 'The last good bodies stay.'}{' '}
          <Button tone="link" data-testid="go-on" onClick={goOn}>
            Work {stopped === 1 ? 'it' : 'them'} out
          </Button>
        </div>
      )}
    </>
  )
}
