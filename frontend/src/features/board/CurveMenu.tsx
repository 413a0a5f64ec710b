import { api } from '../../shared/api/client'
import type { Curve, CurveView } from '../../shared/api/client'
import { chooseFile } from '../../shared/adding'
import type { Plane } from '../../shared/planes'
import { READY, mirrored, moved, reversed } from '../../shared/curveShapes'
import { namedIn, operatorOf } from '../../shared/operators'
import { saveBlob } from '../../shared/eye'
import { doEdit, edit, say, useSession } from '../../shared/session'
import { useLengths } from '../../shared/shown'
import { WordMenu } from '../../shared/ui/Menu'
import type { MenuEntry } from '../../shared/ui/Menu'
import { lengthText } from '../../shared/units'
import { useView } from '../../shared/viewState'

/** What can be done with a curve as a whole. */
export function CurveMenu(props: { curve: Curve; view: CurveView | undefined; plane: Plane }) {
  const { curve, view, plane } = props
  const floor = useSession((s) => s.bench?.document.floor) ?? 100
  const inSpace = curve.kind === 'path'
  const give = (points: Curve['points'], what: string, closed?: boolean) =>
    doEdit({
      kind: 'set_curve',
      curve: curve.id,
      points,
      what,
      ...(closed === undefined ? {} : { closed }),
    })
  const entries: MenuEntry[] = [
    {
      id: 'reverse',
      words: 'Run it the other way',
      act: () => give(reversed(curve.points, curve.closed ?? false), 'reversed'),
    },
    ...(inSpace ? ['X', 'Y', 'Z'] : ['left and right', 'up and down']).map((words, axis) => ({
      id: `mirror${String(axis)}`,
      words: inSpace ? `Mirror it along ${words}` : `Mirror it, ${words} swapped`,
      act: () => give(mirrored(curve.points, axis), 'mirrored'),
    })),
    ...READY.filter((r) => r.kind === (inSpace ? 'path' : 'profile')).map((r) => ({
      id: r.words,
      words: `Make it a ${r.words}`,
      act: () => give(r.make(sizeOf(view) ?? floor / 5), r.words, r.closed),
    })),
    {
      id: 'trace',
      words: 'Lay a picture under it, to draw over',
      note: 'PNG, JPEG',
      act: () => layUnder(curve, view, plane),
    },
    ...(curve.traced
      ? [
          {
            id: 'untrace',
            words: 'Take the picture away',
            act: () => doEdit({ kind: 'set_curve', curve: curve.id, untraced: true }),
          },
        ]
      : []),
    ...(inSpace ? (['dxf'] as const) : (['svg', 'dxf'] as const)).map((format) => ({
      id: format,
      words: `Take it out as ${format.toUpperCase()}`,
      act: () => takeOut(curve.id, format),
    })),
    {
      id: 'remove',
      words: 'Remove the curve',
      act: () => {
        edit({ kind: 'remove_curve', curve: curve.id })
          .then(() => useView.getState().set({ board: null }))
          .catch(() => undefined)
      },
    },
  ]
  return (
    <WordMenu
      testId="choices-curve"
      trigger={
        <button
          className="plain muted"
          aria-label="What to do with the curve"
          data-testid="curve-more"
        >
          ⋯
        </button>
      }
      entries={entries}
    />
  )
}

/** A picture is kept beside the bench and laid under the curve, as wide as that is, its left lower corner at the curve's. */
function layUnder(curve: Curve, view: CurveView | undefined, plane: Plane): void {
  const { id } = useSession.getState()
  if (!id) return
  chooseFile((name, file) => {
    api
      .upload(id, name, file)
      .then((held) => {
        const [wide = 1, tall = 1] = held.size
        const rows = [...(view?.samples ?? []), ...(view?.points.map((p) => p.at) ?? [])]
        const least = plane.map((k) => Math.min(...rows.map((p) => p[k] ?? 0), Infinity))
        const extent = sizeOf(view) ?? 100
        doEdit({
          kind: 'set_curve',
          curve: curve.id,
          what: 'picture',
          traced: {
            file: held.file,
            at: least.map((x) => (Number.isFinite(x) ? Number(x.toPrecision(6)) : 0)),
            wide: Number(extent.toPrecision(4)),
            tall: tall / wide,
            ...(curve.kind === 'path'
              ? { plane: plane.map((k) => 'xyz'.charAt(k)).join('') as 'xz' | 'xy' | 'yz' }
              : {}),
          },
        })
      })
      .catch((e: unknown) => say(e instanceof Error ? e.message : String(e), 'error'))
  }, '.png,.jpg,.jpeg')
}

function takeOut(curve: string, format: 'svg' | 'dxf'): void {
  const { id } = useSession.getState()
  if (!id) return
  api
    .curveFile(id, curve, format)
    .then(({ name, data }) => saveBlob(data, name))
    .catch((e: unknown) => say(e instanceof Error ? e.message : String(e), 'error'))
}

function sizeOf(view: CurveView | undefined): number | null {
  const rows = view?.samples ?? []
  if (rows.length < 2) return null
  const extents = [0, 1, 2].map((k) => {
    const along = rows.map((p) => p[k] ?? 0)
    return Math.max(...along) - Math.min(...along)
  })
  return Math.max(...extents) || null
}

/** What a curve tells of itself: how long it is, and what stands against its use, with what mends it. */
export function CurveFacts({ curve, view }: { curve: Curve; view: CurveView | undefined }) {
  const lengths = useLengths()
  // only what goes round an axis must keep on one side of it
  const goesRound = useSession((s) =>
    s.bench?.document.parts?.some((p) =>
      p.recipe.some(
        (step) =>
          namedIn(step, 'curve').includes(curve.id) &&
          operatorOf(step.operator)?.values.some((v) => v.kind === 'axis'),
      ),
    ),
  )
  if (!view || view.length === null) return null
  const crosses = view.crosses?.map((x) => lengthText(x, lengths, 4)).join(', ')
  const across = view.samples.map((p) => p[0] ?? 0)
  const [low, high] = [Math.min(...across), Math.max(...across)]
  const over = curve.kind !== 'path' && low < -1e-9 && high > 1e-9
  const few = (curve.closed ?? false) && curve.points.length < 3
  return (
    <span className="muted figures" data-testid="curve-facts" style={{ whiteSpace: 'nowrap' }}>
      {lengthText(view.length, lengths, 5)}
      {few && <span className="amber"> two points can't close it: it counts as open</span>}
      {crosses && <span className="amber"> crosses itself at {crosses}</span>}
      {over && goesRound && (
        <>
          {' '}
          <span className="amber">lies over the axis</span>{' '}
          <button
            className="plain link"
            data-testid="off-the-axis"
            title="So that it can be turned round the axis"
            onClick={() =>
              doEdit({
                kind: 'set_curve',
                curve: curve.id,
                points: moved(curve.points, 0, -low),
                what: 'moved',
              })
            }
          >
            Move it beside
          </button>
        </>
      )}
    </span>
  )
}
