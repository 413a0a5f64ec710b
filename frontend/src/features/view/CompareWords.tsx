import { useView } from '../../shared/viewState'

/** What is compared with what. */
export function CompareWords({ how, words }: { how: 'hold' | 'beside'; words: string }) {
  const set = useView((s) => s.set)
  return (
    <div className={`compare-words ${how}`} data-testid="compare" data-how={how}>
      <span className="prose">{words}</span>
      {how === 'beside' && (
        <span className="prose">
          Now{' '}
          <button
            className="plain link"
            data-testid="compare-leave"
            onClick={() => set({ compare: null })}
          >
            Leave
          </button>
        </span>
      )}
    </div>
  )
}
