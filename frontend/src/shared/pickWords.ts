import { FACING } from './pickRules'
import type { Pick } from './pickRules'

const plain = (x: unknown, otherwise: number): string =>
  typeof x === 'number' || typeof x === 'string' ? String(x) : String(otherwise)

function ordinal(n: unknown): string {
  const text = plain(n, 2)
  return `${text}${text === '2' ? 'nd' : text === '3' ? 'rd' : 'th'}`
}

/** A pick in words, to stand behind its count. */
export function inWords(pick: Pick): string {
  const join = pick['join'] as Pick[] | undefined
  if (join)
    return join
      .map((row, i) => {
        if (i === 0) return inWords(row)
        const also = row['and_also'] as Pick | undefined
        return also ? `and also ${inWords(also)}` : `but not ${inWords(row['but_not'] as Pick)}`
      })
      .join(', ')
  return ofAnother(pick) ?? plainRule(pick)
}

/** Rules that are made of another pick, or called by a name. */
function ofAnother(pick: Pick): string | null {
  const inner = (pick['pick'] ?? pick['among'] ?? { rule: 'everything' }) as Pick
  switch (pick['rule']) {
    case 'every_nth':
      return `every ${ordinal(pick['n'])} of those ${inWords(inner)}`
    case 'grown': {
      const by = Number(pick['by'] ?? 1)
      return `${inWords(inner)}, ${by < 0 ? 'shrunk' : 'grown'} by ${String(Math.abs(by))}`
    }
    case 'belonging_to':
      return `of the ${(inner['of'] as string | undefined) ?? 'faces'} ${inWords(inner)}`
    case 'named':
      return `the pick ${String(pick['name'])}`
    default:
      return null
  }
}

function plainRule(pick: Pick): string {
  const elements = pick['elements'] as unknown[] | undefined
  switch (pick['rule']) {
    case 'everything':
      return 'all there are'
    case 'sharper_than':
      return `sharper than ${plain(pick['angle'], 30)}°`
    case 'rim':
      return 'on the rim'
    case 'facing': {
      const way = JSON.stringify(pick['direction'])
      return `facing ${FACING.find(([, d]) => JSON.stringify(d) === way)?.[0] ?? 'one way'}`
    }
    case 'group':
      return `of ${String(pick['name']).replaceAll('_', ' ')} of step ${String(pick['step'])}`
    case 'by_hand':
      return `${String(elements?.length ?? 0)} by hand`
    case 'loop_through':
      return 'a loop'
    case 'strip_across':
      return 'a strip across'
    case 'inside':
      return `inside a ${String(pick['shape']).replace('_', ' ')}`
    case 'finish':
      return `with the finish ${String(pick['name'])}`
    case 'same_as':
      return 'the same as one of them'
    default:
      return String(pick['rule'])
  }
}

/** A number that stands in a rule: where it stands, what it is. */
export interface RuleNumber {
  path: readonly (string | number)[]
  words: string
  unit: string
  whole: boolean
  least: number
  most: number
}

/** What a rule says, in words with places for its numbers. */
export type RulePiece = string | RuleNumber

const number = (
  path: readonly (string | number)[],
  words: string,
  unit: string,
  limits: { whole?: boolean; least?: number; most?: number } = {},
): RuleNumber => ({
  path,
  words,
  unit,
  whole: limits.whole ?? false,
  least: limits.least ?? -1e9,
  most: limits.most ?? 1e9,
})

/** The rule of a pick in words, its numbers apart, so that they can be dragged and typed. */
export function piecesOf(pick: Pick, at: readonly (string | number)[] = []): RulePiece[] {
  const three = (key: string, words: string) =>
    [0, 1, 2].flatMap((k) => [
      ...(k ? [', '] : []),
      number([...at, key, k], `${words}, ${'XYZ'[k] ?? ''}.`, 'mm'),
    ])
  const join = pick['join'] as Pick[] | undefined
  if (join)
    return join.flatMap((row, i) => {
      if (i === 0) return piecesOf(row, [...at, 'join', 0])
      const how = row['and_also'] ? 'and_also' : 'but_not'
      const words = how === 'and_also' ? ', and also ' : ', but not '
      return [words, ...piecesOf(row[how] as Pick, [...at, 'join', i, how])]
    })
  switch (pick['rule']) {
    case 'sharper_than':
      return [
        'sharper than ',
        number([...at, 'angle'], 'Edges whose faces turn by more than this.', '°', {
          least: 0,
          most: 180,
        }),
      ]
    case 'facing':
      return [
        `${inWords(pick)} within `,
        number([...at, 'within'], 'How far they may look aside.', '°', { least: 0, most: 180 }),
      ]
    case 'every_nth':
      return [
        'one in ',
        number([...at, 'n'], 'One of so many.', '', { whole: true, least: 1, most: 1e6 }),
        ' of those ',
        ...piecesOf((pick['among'] as Pick | undefined) ?? { rule: 'everything' }, [
          ...at,
          'among',
        ]),
      ]
    case 'grown':
      return [
        ...piecesOf((pick['pick'] as Pick | undefined) ?? {}, [...at, 'pick']),
        ', grown by ',
        number([...at, 'by'], 'Rows of neighbours; fewer than none shrinks it.', '', {
          whole: true,
          least: -1000,
          most: 1000,
        }),
      ]
    case 'inside':
      if (pick['shape'] === 'ball')
        return [
          'inside a ball of ',
          number([...at, 'radius'], 'Radius of the ball.', 'mm', { least: 0 }),
          ' round ',
          ...three('centre', 'Middle of the ball'),
        ]
      if (pick['shape'] === 'box')
        return [
          'inside a box of ',
          ...three('size', 'Size of the box'),
          ' round ',
          ...three('centre', 'Middle of the box'),
        ]
      return [
        'above a plane through ',
        ...three('point', 'Place of the plane'),
        ' that looks along ',
        ...three('direction', 'Direction of the plane'),
      ]
    default:
      return [inWords(pick)]
  }
}

/** What stands at a path in a pick. */
export function at(pick: unknown, path: readonly (string | number)[]): unknown {
  return path.reduce<unknown>(
    (node, key) =>
      typeof node === 'object' && node !== null
        ? (node as Record<string | number, unknown>)[key]
        : undefined,
    pick,
  )
}

/** The pick with something else at a path. */
export function withAt(pick: unknown, path: readonly (string | number)[], value: unknown): unknown {
  const [key, ...rest] = path
  if (key === undefined) return value
  if (Array.isArray(pick))
    return pick.map((x: unknown, i) => (i === key ? withAt(x, rest, value) : x))
  const node = (pick ?? {}) as Record<string, unknown>
  return { ...node, [key]: withAt(node[key], rest, value) }
}

/** What the numbers of a rule are where they are not written. */
export const OTHERWISE: Record<string, number> = { angle: 30, within: 30, n: 2, by: 1 }
