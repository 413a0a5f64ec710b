import { Progress as Control } from '@chakra-ui/react'
import { Button } from './Button'

/** How far a work has come, and a way to stop it. Without a fraction nobody knows how far. */
export function Progress(props: {
  label: string
  fraction: number | null
  stop?: () => void
  testId?: string
}) {
  const percent = props.fraction === null ? null : Math.round(props.fraction * 100)
  return (
    <Control.Root size="xs" value={percent} data-testid={props.testId} aria-label={props.label}>
      <Control.Track>
        <Control.Range />
      </Control.Track>
      <span className="figures">{percent === null ? props.label : `${percent} %`}</span>{' '}
      {props.stop && (
        // as it is pressed: work that goes on to the next step takes its button along before it is let go
        <Button
          tone="link"
          onPointerDown={(e) => {
            if (e.button === 0) props.stop?.()
          }}
          onClick={(e) => {
            if (e.detail === 0) props.stop?.() // by the keyboard
          }}
        >
          Stop
        </Button>
      )}
    </Control.Root>
  )
}
