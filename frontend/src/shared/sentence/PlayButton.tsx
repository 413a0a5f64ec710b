import type { Part, Step, ValueView } from '../api/client'
import { play, stopPlaying, usePlaying } from '../playing'
import { useTarget } from '../shown'

/** Runs a value through a round again and again in the view; nothing is stored. */
export function PlayButton(props: { part: Part; step: Step; spec: ValueView }) {
  const { part, step, spec } = props
  const address = `${part.id}/${step.id}/values/${spec.key}`
  const on = usePlaying((s) => s.now?.address === address)
  const target = useTarget(address)
  if (!target) return null
  return (
    <button
      className="plain link plays"
      data-plays
      data-testid={`play-${address}`}
      aria-pressed={on}
      title={
        on
          ? 'Stop (Escape)'
          : 'Play it: the body runs through a round in a loop. Nothing is stored.'
      }
      onClick={() => {
        if (on) {
          stopPlaying()
          return
        }
        const edit = (value: number) => ({
          kind: 'set_value' as const,
          part: part.id,
          step: step.id,
          key: spec.key,
          value,
        })
        play({ address, part: part.id, step: step.id, from: (target.value ?? 0) / 100, edit })
      }}
    >
      {on ? 'stop' : 'play'}
    </button>
  )
}
