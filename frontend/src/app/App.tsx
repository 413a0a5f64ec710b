import { lazy, Suspense, useSyncExternalStore } from 'react'
import { StartPage } from '../features/start'
import { benchInAddress, onAddress } from '../shared/address'
import { Messages } from '../shared/ui/Messages'

const BenchPage = lazy(() => import('./BenchPage'))

export function App() {
  const bench = useSyncExternalStore(onAddress, benchInAddress)
  return (
    <>
      {bench ? (
        <Suspense fallback={<p className="centre muted">Opening the bench …</p>}>
          <BenchPage key={bench} id={bench} />
        </Suspense>
      ) : (
        <StartPage />
      )}
      <Messages />
    </>
  )
}
