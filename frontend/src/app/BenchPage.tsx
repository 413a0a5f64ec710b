import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { Suspense, lazy, useEffect } from 'react'
import { Board } from '../features/board'
import { Recipe } from '../features/recipe'
import { HandoverSheet, SideColumn } from '../features/side'
import { DrawingSheet, HistorySheet, KeysSheet, TopBar } from '../features/top'
import { goTo } from '../shared/address'
import { api } from '../shared/api/client'
import { leave, open, say, shownParts, useSession, goOn } from '../shared/session'
import { setOperators } from '../shared/operators'
import { useView } from '../shared/viewState'
import { useKeys } from './useKeys'

const viewModule = import('../features/view')
const View = lazy(() => viewModule.then((m) => ({ default: m.View })))
const TitleBlock = lazy(() => viewModule.then((m) => ({ default: m.TitleBlock })))

export default function BenchPage({ id }: { id: string }) {
  const session = useSession()
  const view = useView()
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
      lookAt: null,
      compare: null,
      leftOut: [],
      only: null,
      placing: null,
      zeroing: false,
      solving: null,
      pair: null,
      copied: null,
    })
    void open(id)
    return leave
  }, [id])
  useKeys()
  const bench = session.bench
  const parts = shownParts(session)
  const doc = bench?.document
  const part = doc?.parts?.find((p) => p.id === view.part)
  useEffect(() => {
    // a part is chosen as soon as there is one
    const first = doc?.parts?.find((p) => !p.hidden) ?? doc?.parts?.[0]
    if (first && !doc?.parts?.some((p) => p.id === view.part))
      view.set({ part: first.id, step: first.recipe[0]?.id ?? null })
  }, [doc, view])
  const bake = useMutation({
    mutationFn: () => api.bake(id, view.part ?? ''),
    onSettled: () => useSession.setState({ progress: null }),
    onSuccess: () => queries.invalidateQueries({ queryKey: ['handover'] }),
    onError: (e) => say(e.message, 'error'),
  })
  if (session.failure || operators.isError)
    return (
      <div className="centre">
        <p className="prose" role="alert" style={{ fontSize: 18, maxWidth: 460 }}>
          {session.failure ?? operators.error?.message}
        </p>
        <button className="plain boxed" onClick={() => goTo('/')}>
          All benches
        </button>
      </div>
    )
  if (!bench || !operators.data)
    return (
      <div className="centre">
        <p className="prose muted" data-testid="loading">
          {session.connection === 'lost'
            ? 'The server can’t be reached. Trying again …'
            : 'Opening the bench …'}
        </p>
      </div>
    )
  const board = doc?.curves?.find((c) => c.id === view.board)
  return (
    <div
      className={`bench${view.side ? '' : ' folded'}`}
      data-testid="bench"
      data-revision={bench.revision}
      data-busy={session.busy}
      data-waiting={session.waiting + bench.waiting.length}
    >
      <TopBar operators={operators.data} bake={() => bake.mutate()} baking={bake.isPending} />
      <Recipe
        part={part}
        view={parts.find((p) => p.part === view.part)}
        operators={operators.data}
      />
      <main className="middle">
        {session.connection === 'lost' && (
          <div className="strip" role="status" data-testid="offline">
            The server can’t be reached.{' '}
            {session.waiting > 0
              ? `${session.waiting === 1 ? 'One edit is' : `${session.waiting} edits are`} kept and sent when it is back.`
              : 'Edits will be kept and sent when it is back.'}
          </div>
        )}
        {bench.stopped.length > 0 && (
          <div className="strip" role="status" data-testid="stopped">
            Stopped.{' '}
            {bench.stopped.length === 1
              ? 'The last good body stays.'
              : 'The last good bodies stay.'}{' '}
            <button className="plain link" data-testid="go-on" onClick={goOn}>
              Work {bench.stopped.length === 1 ? 'it' : 'them'} out
            </button>
          </div>
        )}
        <Suspense fallback={<div className="stage centre muted">Preparing the view …</div>}>
          <div style={{ position: 'relative', flex: 1, minHeight: 0, display: 'flex' }}>
            <View />
            {!board && <TitleBlock />}
          </div>
        </Suspense>
        {board && <Board key={board.id} curve={board} />}
      </main>
      <SideColumn />
      <KeysSheet />
      <HistorySheet />
      <DrawingSheet />
      {bake.data && (
        <HandoverSheet open={bake.isSuccess} close={() => bake.reset()} rows={[bake.data]} />
      )}
    </div>
  )
}
