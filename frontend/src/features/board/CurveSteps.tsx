import { X } from 'lucide-react'
import type { Curve, CurveView, Part, Step, StepView } from '../../shared/api/client'
import { freeId } from '../../shared/format'
import { operatorOf } from '../../shared/operators'
import { doEdit } from '../../shared/session'
import { Sentence } from '../../shared/sentence/Sentence'
import { WordMenu } from '../../shared/ui/Menu'

/** Steps that a curve can go through, each with a number that can be seen at once. */
const STEPS: Record<string, object> = {
  bend: { angle: 45 },
  taper: {},
  twist: { turn: 45 },
  stretch: {},
  undulate: {},
}

/** The deforming steps that a curve goes through before it is turned, swept or lofted, as sentences. */
export function CurveSteps({ curve, view }: { curve: Curve; view: CurveView | undefined }) {
  const steps = curve.steps ?? []
  // steps are addressed by what they belong to, be it a part or a curve
  const holder = { id: curve.id, name: curve.name, recipe: steps } as unknown as Part
  const add = (operator: string) =>
    doEdit({
      kind: 'add_step',
      part: curve.id,
      step: freeId(
        's',
        steps.map((s) => s.id),
      ),
      operator,
      values: STEPS[operator] as Record<string, unknown>,
      after: steps.at(-1)?.id ?? null,
    })
  return (
    <section className="curve-steps" data-testid="curve-steps" aria-label="Deformed by">
      {steps.map((step) => (
        <CurveStep key={step.id} holder={holder} step={step} view={view} />
      ))}
      <WordMenu
        testId="curve-step-menu"
        trigger={
          <button className="plain link" data-testid="curve-step-add">
            {steps.length ? '+ Then …' : '+ Deform it before it is used …'}
          </button>
        }
        entries={Object.keys(STEPS).map((id) => ({
          id,
          words: operatorOf(id)?.name ?? id,
          act: () => add(id),
        }))}
      />
    </section>
  )
}

function CurveStep(props: { holder: Part; step: Step; view: CurveView | undefined }) {
  const { holder, step, view } = props
  const op = operatorOf(step.operator)
  const told = view?.steps.find((s) => s.id === step.id)
  if (!op) return null
  // a mask is painted on a body: a curve is deformed all alike
  const outcome = told as unknown as StepView | undefined
  const off = step.on === false
  return (
    <div className={`curve-step${off ? ' off' : ''}`} data-testid={`curve-step-${step.id}`}>
      <Sentence template={op.sentence} op={op} part={holder} step={step} view={outcome} />
      <Sentence
        template={op.quiet.replace(', {weights}', '')}
        op={op}
        part={holder}
        step={step}
        view={outcome}
        quiet
      />
      {told?.error && (
        <div className="told red" role="alert">
          {told.error.message} {told.error.hint}
        </div>
      )}
      <button
        className="plain link"
        data-testid={`curve-step-off-${step.id}`}
        onClick={() => doEdit({ kind: 'set_step', part: holder.id, step: step.id, on: off })}
      >
        {off ? 'Switch on' : 'Switch off'}
      </button>{' '}
      <button
        className="plain muted drop"
        title="Take this step out"
        aria-label="Take this step out"
        data-testid={`curve-step-remove-${step.id}`}
        onClick={() => doEdit({ kind: 'remove_step', part: holder.id, step: step.id })}
      >
        <X size={13} />
      </button>
    </div>
  )
}
