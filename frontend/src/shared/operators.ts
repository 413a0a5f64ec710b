import type { OperatorView, Step, ValueView } from './api/client'

/** The operators there are, as the server publishes them. */
let known = new Map<string, OperatorView>()

export function setOperators(operators: readonly OperatorView[]): void {
  known = new Map(operators.map((o) => [o.id, o]))
}

export function operatorOf(id: string): OperatorView | undefined {
  return known.get(id)
}

export function valueSpec(operator: string, key: string): ValueView | undefined {
  return operatorOf(operator)?.values.find((v) => v.key === key)
}

/** The names of curves or parts (`what`) that a step's values hold. */
export function namedIn(step: Step, what: 'curve' | 'part'): string[] {
  const specs = operatorOf(step.operator)?.values.filter((v) => v.refers === what) ?? []
  return specs.flatMap((v) => {
    const raw: unknown = step.values?.[v.key]
    return [raw].flat().filter((x): x is string => typeof x === 'string')
  })
}

/** Whether a value counts, by what is written and by the defaults of what is not. */
export function isRelevant(spec: ValueView, step: Step): boolean {
  const value = (key: string): unknown =>
    step.values?.[key] ?? valueSpec(step.operator, key)?.default
  return spec.relevant.every((c) => {
    const now = c.key.split(',').map(value)
    const found = c.among.some((x) => [x].flat().every((y, i) => y === (now[i] ?? null)))
    return found !== c.negated
  })
}
