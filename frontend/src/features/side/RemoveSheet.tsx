import { followersOf, removeParts } from '../../shared/parts'
import { useSession } from '../../shared/session'
import { Button } from '../../shared/ui/Button'
import { Sheet } from '../../shared/ui/Sheet'

/** Removing says what depends on it; where nothing does it is done at once. */
export function RemoveSheet({ ids, close }: { ids: string[]; close: () => void }) {
  const parts = useSession((s) => s.bench?.document.parts) ?? []
  const followers = followersOf(ids)
  const names = ids.map((i) => parts.find((p) => p.id === i)?.name ?? '').join(', ')
  const go = (all: readonly string[]) => {
    removeParts(all)
    close()
  }
  if (followers.length === 0 && ids.length === 1) {
    queueMicrotask(() => go(ids))
    return null
  }
  return (
    <Sheet open close={close} title={`Remove ${names}?`} testId="remove-sheet">
      {followers.length > 0 ? (
        <p>
          {followers.map((p) => p.name).join(', ')}{' '}
          {followers.length === 1 ? 'is a live copy and has' : 'are live copies and have'} no body
          without it.
        </p>
      ) : (
        <p>{ids.length} parts will be removed. Undo brings them back.</p>
      )}
      <div className="answers">
        <Button
          data-testid="remove-all"
          onClick={() => go([...ids, ...followers.map((p) => p.id)])}
        >
          {followers.length ? 'Remove them too' : 'Remove them'}
        </Button>
        {followers.length > 0 && (
          <Button data-testid="remove-only" onClick={() => go(ids)}>
            Remove only {names}
          </Button>
        )}
        <Button tone="word" onClick={close}>
          Keep all
        </Button>
      </div>
    </Sheet>
  )
}
