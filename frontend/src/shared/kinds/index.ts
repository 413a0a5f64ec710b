import type { ValueView } from '../api/client'
import { figure, whole } from '../format'
import type { KindOnPage } from './at'
import {
  CurveChip,
  CurvesChip,
  FileChip,
  FinishChip,
  PartChip,
  PartsChip,
  StepChip,
} from './NameChips'
import { AlongAxes, EachAngle, GraphChip, OneNumber, SeveralNumbers } from './NumberChips'
import { FurtherChip, PickChip, WeightsChip } from './PickChips'
import { AxisChip, ChoiceChip, SwitchChip } from './WordChips'
import * as numbers from './numbers'

const counted = (value: number, key: string) =>
  key === 'count'
    ? `count ${whole(value)}`
    : `${whole(value)} ${(Math.round(value) === 1 ? key.replace(/s$/, '') : key).replaceAll('_', ' ')}`

/**
 * What the page does with each kind of value: its chip in a sentence, the number that chips and
 * callouts drag, how a callout writes it. The compiler holds it against the kinds of the server.
 */
export const KINDS: Record<ValueView['kind'], KindOnPage> = {
  length: { chip: OneNumber, number: numbers.lengthNumber },
  angle: { chip: OneNumber, number: numbers.angleNumber },
  angles: { chip: EachAngle, number: numbers.angleNumber },
  count: { chip: OneNumber, number: numbers.wholeNumber, callout: counted },
  factor: {
    chip: OneNumber,
    number: numbers.factorNumber,
    callout: (v, key) => `${key.replaceAll('_', ' ')} ${figure(v, 4)}`,
  },
  share: {
    chip: OneNumber,
    number: numbers.shareNumber,
    callout: (v, key) => `${key.replaceAll('_', ' ')} ${figure(v, 4)}\u2009%`,
  },
  seed: { chip: OneNumber, number: numbers.wholeNumber, callout: counted },
  along: { chip: OneNumber, number: numbers.alongNumber },
  vector: { chip: SeveralNumbers, number: numbers.lengthNumber },
  move: { chip: AlongAxes, number: numbers.lengthNumber },
  turns: { chip: AlongAxes, number: numbers.angleNumber },
  factors: { chip: AlongAxes, number: numbers.factorNumber },
  per_copy: { chip: OneNumber, number: numbers.perCopyNumber },
  fitted: { chip: OneNumber, number: numbers.lengthNumber },
  counts: { chip: SeveralNumbers, number: numbers.wholeNumber, callout: counted },
  graph: { chip: GraphChip, number: numbers.graphNumber },
  choice: { chip: ChoiceChip },
  switch: { chip: SwitchChip },
  axis: { chip: AxisChip, number: numbers.axisNumber },
  curve: { chip: CurveChip },
  curves: { chip: CurvesChip },
  part: { chip: PartChip },
  parts: { chip: PartsChip },
  step: { chip: StepChip },
  file: { chip: FileChip },
  finish: { chip: FinishChip },
  pick: { chip: PickChip },
  further: { chip: FurtherChip, number: numbers.furtherNumber },
  weights: { chip: WeightsChip, number: numbers.maskNumber },
}
