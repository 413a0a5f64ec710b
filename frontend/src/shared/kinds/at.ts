import type { ReactNode } from 'react'
import type { OperatorView, Part, Step, StepView, ValueView } from '../api/client'
import type { NumberTarget } from '../number'

/** A number within a value of a step: `path` leads to it from the value, such as `['1']` or `['0', 'width']`. */
export interface NumberPlace {
  part: string
  step: Step
  outcome: StepView | undefined
  spec: ValueView
  /** the size of the body, that drags go by */
  size: number
  path: readonly string[]
}

export interface ChipProps {
  op: OperatorView
  part: Part
  step: Step
  view: StepView | undefined
  spec: ValueView
  /** it begins its sentence */
  first: boolean
  /** the chip of a number below the value: `''`, `/1`, `/0/width` */
  number: (below: string, plain?: boolean) => ReactNode
}

/** What the page does with a kind of value. */
export interface KindOnPage {
  /** what stands for it in a sentence */
  chip: (props: ChipProps) => ReactNode
  /** the number at a place in it, for chips, callouts and everything else that drags or types one */
  number?: (at: NumberPlace) => NumberTarget | null
  /** how its number is written beside a callout, where that is not the number with its unit */
  callout?: (value: number, key: string) => string
}
