import { useView } from '../../shared/viewState'
import { Sheet } from '../../shared/ui/Sheet'

const KEYS: readonly [string, string][] = [
  ['/', 'add a step, find anything'],
  ['Ctrl Z', 'undo'],
  ['Ctrl Shift Z', 'redo'],
  ['1  2  3  4', 'look: turned, top, front, from the left'],
  ['Home', 'see all'],
  ['L', 'lines only, or shaded with lines'],
  ['N', 'normals as short ticks'],
  ['X', 'section through the chosen part, or whole again'],
  ['V', 'front, side and top beside the large view, or folded'],
  ['M', 'measure: click points, edges or faces'],
  ['B', 'held: the bodies as they were before the last edit'],
  ['P', 'perspective or parallel'],
  [
    'Delete',
    'remove the chosen step, parts whose place is chosen, or the chosen points of the board',
  ],
  ['Escape', 'put back what was there; close'],
  ['Tab', 'from number to number'],
  ['↑ ↓  Page Up  Page Down', 'on a number: one step, ten steps'],
  ['Enter', 'on a number: type'],
  ['0 to 9  Enter  Escape', 'while a number or a grip is held: type it, keep it, put it back'],
  ['Alt ↑ ↓', 'on a step: move it up or down'],
  ['Tab  Enter  0 to 9', 'while a shape is set down: corner or centre, go on, type a size'],
  ['Shift  Ctrl', 'while drawing or pulling: even or finer, no snapping'],
  ['Ctrl click', 'on a part: choose it too'],
  ['Shift click  Ctrl A', 'on the board: choose a point too, or all of them'],
  ['← → ↑ ↓', 'on the board: move the chosen points by a step, with Shift by ten'],
  ['Shift and the wheel', 'while a mask is painted: the radius of the brush'],
  ['?', 'this list'],
]

/** What the keys do. */
export function KeysSheet() {
  const { keys, set } = useView()
  return (
    <Sheet open={keys} close={() => set({ keys: false })} title="Keys" testId="keys">
      <div className="keys">
        {KEYS.map(([key, words]) => (
          <div key={key} style={{ display: 'contents' }}>
            <kbd>{key}</kbd>
            <span>{words}</span>
          </div>
        ))}
        <span className="muted">Mouse</span>
        <span>
          Left drag turns the view, right drag moves it, the wheel comes closer to the pointer. Drag
          a number sideways; the farther the pointer is pulled from its line, the finer. In an open
          pick: click, double click for a loop, Shift and drag for a box.
        </span>
      </div>
    </Sheet>
  )
}
