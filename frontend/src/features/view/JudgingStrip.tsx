import { whole } from '../../shared/format'
import { useView } from '../../shared/viewState'

/** What is on that changes how bodies look, so that nobody takes it for the body itself. */
export function JudgingStrip() {
  const { bands, poles, limit, marked, leftOut, set } = useView()
  const rows = [
    bands && 'Light bands: a kink in them is a kink in the surface.',
    limit !== 'no' &&
      `As subdivided${limit === 'rounded' ? ', sharp edges rounded too' : ''}: the limit surface; the body itself is unchanged.`,
    poles &&
      (marked.poles + marked.many
        ? `${whole(marked.poles)} poles (crosses), ${whole(marked.many)} faces of more than four sides.`
        : 'No poles and no faces of more than four sides.'),
    leftOut.length > 0 &&
      `This view leaves out ${leftOut.length === 1 ? 'one part' : `${leftOut.length} parts`}.`,
  ].filter((r): r is string => typeof r === 'string')
  if (rows.length === 0) return null
  return (
    <section className="section-strip" aria-label="How it is shown" data-testid="judging-strip">
      {rows.map((r) => (
        <p key={r}>{r}</p>
      ))}
      <p>
        <button
          className="plain link"
          data-testid="judging-off"
          onClick={() => set({ bands: false, poles: false, limit: 'no', leftOut: [] })}
        >
          As it is
        </button>
      </p>
    </section>
  )
}
