import { DndContext, PointerSensor, closestCenter, useSensor, useSensors } from '@dnd-kit/core'
import type { DragEndEvent } from '@dnd-kit/core'
import { SortableContext, verticalListSortingStrategy } from '@dnd-kit/sortable'
import { useState } from 'react'
import type { OperatorView, Part, Step } from '../../shared/api/client'
import { addOperator } from '../../shared/adding'
import { goTo } from '../../shared/address'
import { api } from '../../shared/api/client'
import { doEdit, useSession } from '../../shared/session'
import { useView } from '../../shared/viewState'
import { placeAfter } from './order'
import { PlaceCard } from './PlaceCard'
import { StepCard } from './StepCard'

const COUNTS = ['no', 'one', 'two', 'three', 'four', 'five', 'six', 'seven', 'eight', 'nine', 'ten']

/** The recipe of the chosen part, as prose. */
export function Recipe(props: { part: Part | undefined; operators: readonly OperatorView[] }) {
  const { part } = props
  const [dragged, setDragged] = useState<string | null>(null)
  const sensors = useSensors(useSensor(PointerSensor, { activationConstraint: { distance: 4 } }))
  if (!part) return <EmptyRecipe operators={props.operators} />
  const ids = part.recipe.map((s) => s.id)
  const drop = (e: DragEndEvent) => {
    setDragged(null)
    const from = ids.indexOf(String(e.active.id))
    const to = ids.indexOf(String(e.over?.id ?? ''))
    const step = ids[from]
    if (step && to >= 0 && from !== to)
      doEdit({ kind: 'move_step', part: part.id, step, after: placeAfter(ids, from, to) })
  }
  return (
    <section
      className="recipe"
      data-testid="recipe"
      data-order={ids.join(' ')}
      data-dragging={dragged ?? ''}
    >
      <h1>{part.name}</h1>
      <div className="under">{underTitle(part)}</div>
      <PlaceCard part={part} />
      <DndContext
        sensors={sensors}
        collisionDetection={closestCenter}
        onDragStart={(e) => setDragged(String(e.active.id))}
        onDragEnd={drop}
        onDragCancel={() => setDragged(null)}
      >
        <SortableContext items={ids} strategy={verticalListSortingStrategy}>
          {part.recipe.map((step, i) => (
            <div key={step.id}>
              {i > 0 && <Between after={ids[i - 1] ?? null} />}
              <StepCard part={part} step={step} number={i + 1} />
            </div>
          ))}
        </SortableContext>
      </DndContext>
      {!part.reference && (
        <div className="then">
          <button
            className="plain"
            data-testid="then"
            onClick={() => {
              useView.getState().set({ insertAfter: null })
              dispatchEvent(new Event('jukai-find'))
            }}
          >
            + Then …
          </button>
        </div>
      )}
    </section>
  )
}

function underTitle(part: Part): string {
  if (part.reference) return 'A reference, only there to fit against'
  const n = part.recipe.length
  const off = part.recipe.filter((s: Step) => s.on === false).length
  const steps = `${COUNTS[n] ?? n} ${n === 1 ? 'step' : 'steps'}`
  const told = off === 0 ? '' : off === 1 ? ', one off' : `, ${COUNTS[off] ?? off} off`
  return `${part.finish ? `${part.finish} · ` : ''}${steps}${told}`
}

function Between({ after }: { after: string | null }) {
  return (
    <div className="between">
      <button
        className="plain"
        aria-label="Add a step here"
        title="Add a step here"
        onClick={() => {
          useView.getState().set({ insertAfter: after })
          dispatchEvent(new Event('jukai-find'))
        }}
      >
        +
      </button>
    </div>
  )
}

function EmptyRecipe({ operators }: { operators: readonly OperatorView[] }) {
  const any = useSession((s) => (s.bench?.document.parts?.length ?? 0) > 0)
  const blanks = ['box', 'cylinder', 'revolve'].flatMap((id) =>
    operators.filter((o) => o.id === id),
  )
  return (
    <section className="recipe" data-testid="recipe">
      <h1>{any ? 'No part chosen' : 'An empty bench'}</h1>
      <div className="under">
        {any
          ? 'Choose one on the right, or begin another.'
          : 'Begin with a shape. Its numbers stay live.'}
      </div>
      {blanks.map((o) => (
        <div className="step" key={o.id}>
          <button
            className="plain sentence"
            data-testid={`begin-${o.id}`}
            onClick={() => addOperator(o)}
          >
            <span className="verb">{o.name}</span> <span className="muted">{o.description}</span>
          </button>
        </div>
      ))}
      <div className="then">
        or type / and search
        {!any && (
          <>
            , or{' '}
            <button
              className="plain link"
              style={{ font: 'inherit' }}
              data-testid="see-demo"
              onClick={() => void api.newDemo().then(({ id }) => goTo(`/bench/${id}`))}
            >
              see the demo
            </button>
          </>
        )}
        .
      </div>
    </section>
  )
}
