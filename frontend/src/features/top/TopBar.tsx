import { api } from '../../shared/api/client'
import type { OperatorView } from '../../shared/api/client'
import { goTo } from '../../shared/address'
import { useSection } from '../../shared/section'
import { doEdit, move, useSession } from '../../shared/session'
import { Button } from '../../shared/ui/Button'
import { EditableName } from '../../shared/ui/EditableName'
import { WordMenu } from '../../shared/ui/Menu'
import { Tooltip } from '../../shared/ui/Tooltip'
import { setLook, useView } from '../../shared/viewState'
import type { Drawing } from '../../shared/viewState'
import { FindField } from './FindField'

const DRAWINGS: readonly [Drawing, string][] = [
  ['shaded', 'Shaded'],
  ['shaded_lines', 'With lines'],
  ['lines', 'Lines'],
]

export function TopBar(props: {
  operators: readonly OperatorView[]
  bake: () => void
  baking: boolean
}) {
  const bench = useSession((s) => s.bench)
  const { drawing, part, set } = useView()
  const cut = useSection((s) => s.planes.length > 0)
  return (
    <header className="top">
      <a
        className="mark"
        href="/"
        title="All benches"
        data-testid="home"
        style={{ color: 'inherit', textDecoration: 'none' }}
        onClick={(e) => {
          e.preventDefault()
          goTo('/')
        }}
      >
        Jukai
      </a>
      <BenchName />
      <span className="figures" style={{ display: 'flex', gap: 12 }}>
        <Tooltip words={bench?.undo ? `Undo ${bench.undo.label}` : 'Nothing to undo'} keys="Ctrl+Z">
          <Button
            tone="word"
            data-testid="undo"
            disabled={!bench?.undo}
            onClick={() => move('undo')}
          >
            ↶ undo{' '}
            <b data-testid="undo-name" className="cut-short">
              {bench?.undo?.label}
            </b>
          </Button>
        </Tooltip>
        <Tooltip
          words={bench?.redo ? `Redo ${bench.redo.label}` : 'Nothing to redo'}
          keys="Ctrl+Shift+Z"
        >
          <Button
            tone="word"
            data-testid="redo"
            disabled={!bench?.redo}
            onClick={() => move('redo')}
          >
            ↷ redo <b className="wide">{bench?.redo?.label}</b>
          </Button>
        </Tooltip>
      </span>
      <FindField operators={props.operators} />
      <nav style={{ display: 'flex', gap: 14 }} aria-label="How to draw">
        {DRAWINGS.map(([id, words]) => (
          <button
            key={id}
            className="plain draw"
            data-testid={`draw-${id}`}
            aria-pressed={drawing === id}
            onClick={() => set({ drawing: id })}
          >
            {words}
          </button>
        ))}
        <JudgeMenu />
        <button
          className="plain draw"
          data-testid="draw-section"
          aria-pressed={cut}
          title="Cut the bodies open (X)"
          onClick={() => dispatchEvent(new CustomEvent('jukai-look', { detail: 'section' }))}
        >
          Section
        </button>
      </nav>
      <button
        className="bake"
        data-testid="bake"
        disabled={!part || props.baking}
        onClick={props.bake}
      >
        {props.baking ? 'Baking …' : 'Bake'}
      </button>
      <FilesMenu />
    </header>
  )
}

/** Ways to judge a surface; several can be on. */
function JudgeMenu() {
  const { normals, bands, poles, limit, behind, lights, compare, set } = useView()
  const any = normals || bands || poles || behind || limit !== 'no'
  return (
    <WordMenu
      testId="judge-menu"
      trigger={
        <button
          className="plain draw"
          data-testid="judge"
          aria-pressed={any}
          title="Ways to judge a surface"
        >
          Judge
        </button>
      }
      entries={[
        {
          id: 'bands',
          words: 'Light bands',
          note: 'over the bodies',
          chosen: bands,
          act: () => set({ bands: !bands }),
        },
        {
          id: 'normals',
          words: 'Normals',
          note: 'short ticks',
          chosen: normals,
          act: () => set({ normals: !normals }),
        },
        {
          id: 'poles',
          words: 'Poles and many-sided faces',
          chosen: poles,
          act: () => set({ poles: !poles }),
        },
        {
          id: 'limit',
          words: 'As subdivided',
          note: 'sharp edges kept',
          chosen: limit === 'sharp',
          act: () => set({ limit: limit === 'sharp' ? 'no' : 'sharp' }),
        },
        {
          id: 'rounded',
          words: 'As subdivided',
          note: 'all edges rounded',
          chosen: limit === 'rounded',
          act: () => set({ limit: limit === 'rounded' ? 'no' : 'rounded' }),
        },
        {
          id: 'behind',
          words: 'Hidden edges',
          note: 'short dashes',
          chosen: behind,
          act: () => set({ behind: !behind }),
        },
        {
          id: 'before',
          words: 'Before and after',
          note: 'side by side (or hold B)',
          chosen: compare !== null,
          act: () => set({ compare: compare ? null : { how: 'beside', step: null } }),
        },
        {
          id: 'lights',
          words: lights === 'eye' ? 'Lights stay with the bench' : 'Lights turn with the eye',
          act: () => set({ lights: lights === 'eye' ? 'stay' : 'eye' }),
        },
      ]}
    />
  )
}

function BenchName() {
  const name = useSession((s) => s.bench?.document.name ?? '')
  return (
    <EditableName
      name={name}
      label="Name of the bench"
      className="bench-name"
      testId="bench-name"
      keep={(to) => doEdit({ kind: 'set_bench', name: to })}
    />
  )
}

function FilesMenu() {
  const { look, set } = useView()
  const id = useSession((s) => s.id)
  return (
    <WordMenu
      testId="files-menu"
      trigger={
        <button
          className="plain"
          aria-label="More"
          data-testid="more"
          style={{ fontSize: 18, padding: '0 4px' }}
        >
          ⋯
        </button>
      }
      entries={[
        {
          id: 'file',
          words: 'Download the bench file',
          act: () => id && location.assign(api.fileAddress(id)),
        },
        {
          id: 'sheet',
          words: 'Drawing sheet',
          note: 'SVG, PDF, picture',
          act: () => set({ sheet: true }),
        },
        {
          id: 'settings',
          words: 'Bench settings',
          note: 'units, floor',
          act: () => set({ settings: true }),
        },
        { id: 'history', words: 'History', act: () => set({ history: true }) },
        {
          id: 'look',
          words: look === 'paper' ? 'Dusk' : 'Paper',
          note: 'how the sheet looks',
          act: () => setLook(look === 'paper' ? 'dusk' : 'paper'),
        },
        { id: 'keys', words: 'Keys', note: '?', act: () => set({ keys: true }) },
        { id: 'start', words: 'All benches', act: () => goTo('/') },
      ]}
    />
  )
}
