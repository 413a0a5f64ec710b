// @vitest-environment jsdom
import { ChakraProvider } from '@chakra-ui/react'
import { act } from 'react'
import type { ReactNode } from 'react'
import { createRoot } from 'react-dom/client'
import type { Root } from 'react-dom/client'
import { afterEach, beforeEach, expect, test, vi } from 'vitest'
import { system } from '../../app/theme'
import { Checkbox } from './Checkbox'
import { Combobox } from './Combobox'
import type { Option } from './Combobox'
import { DataTable } from './DataTable'
import { EditableName } from './EditableName'
import { Field } from './Field'
import { Link } from './Link'
import { Progress } from './Progress'
import { RadioGroup } from './RadioGroup'
import { Select } from './Select'

declare global {
  var IS_REACT_ACT_ENVIRONMENT: boolean
}

let root: Root
let place: HTMLElement

beforeEach(() => {
  globalThis.IS_REACT_ACT_ENVIRONMENT = true
  // what jsdom lacks of a browser
  vi.stubGlobal(
    'ResizeObserver',
    class {
      observe = () => undefined
      unobserve = () => undefined
      disconnect = () => undefined
    },
  )
  vi.stubGlobal('CSS', { escape: (text: string) => text })
  Element.prototype.scrollIntoView = () => undefined
  place = document.body.appendChild(document.createElement('div'))
  root = createRoot(place)
})

afterEach(async () => {
  await after(() => root.unmount())
  document.body.replaceChildren()
})

/** What waits for a microtask (Chakra's machines do) is done before the next line. */
const after = (what: () => void) =>
  act(async () => {
    what()
    await Promise.resolve()
  })

const show = (what: ReactNode) =>
  after(() => root.render(<ChakraProvider value={system}>{what}</ChakraProvider>))

const at = (id: string) => {
  const found = document.querySelector<HTMLElement>(`[data-testid="${id}"]`)
  if (!found) throw new Error(`nothing is ${id} in ${document.body.innerHTML}`)
  return found
}

const key = (on: HTMLElement, name: string) =>
  after(() => {
    on.dispatchEvent(new KeyboardEvent('keydown', { key: name, bubbles: true, cancelable: true }))
  })

const type = (on: HTMLElement, text: string) =>
  after(() => {
    on.focus()
    // past React's own setter, as a browser does
    Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, 'value')?.set?.call(on, text)
    on.dispatchEvent(new InputEvent('input', { bubbles: true }))
  })

test('a field keeps on Enter, leaves on Escape, says what is wrong, and no key is a shortcut', async () => {
  const [change, keep, leave, shortcut] = [vi.fn(), vi.fn(), vi.fn(), vi.fn()]
  addEventListener('keydown', shortcut)
  await show(
    <Field label="Gap" value="x" {...{ change, keep, leave }} wrong="A number." testId="gap" />,
  )
  await type(at('gap'), '0.4')
  expect(change).toHaveBeenCalledWith('0.4')
  await key(at('gap'), 'Enter')
  await key(at('gap'), 'Escape')
  expect([keep.mock.calls.length, leave.mock.calls.length]).toEqual([1, 1])
  expect(shortcut).not.toHaveBeenCalled()
  expect(at('gap').getAttribute('aria-invalid')).toBe('true')
  expect(at('gap-wrong').getAttribute('role')).toBe('alert')
  removeEventListener('keydown', shortcut)
})

for (const [name, keys, text, kept] of [
  ['Enter keeps', 'Enter', ' Foot ', ['Foot']],
  ['Escape puts back', 'Escape', 'Foot', []],
  ['an empty name is not kept', 'Enter', '  ', []],
  ['the same name is no change', 'Enter', 'Pedestal', []],
] as const)
  test(`a name that is edited where it stands: ${name}`, async () => {
    const keep = vi.fn()
    const close = vi.fn()
    await show(
      <EditableName label="Name" name="Pedestal" testId="name" opened {...{ keep, close }} />,
    )
    await type(at('name-field'), text)
    await key(at('name-field'), keys)
    expect(keep.mock.calls.map((c) => c[0] as string)).toEqual(kept)
    expect(close).toHaveBeenCalled()
  })

const OPTIONS: readonly Option[] = [
  { id: 'box', words: 'Box', note: 'a block', chapter: 'shapes', drawing: null },
  { id: 'bevel', words: 'Bevel', note: 'edges', chapter: 'edges', drawing: null },
]

test('a combobox: Enter takes only what is pointed at or typed for, and nothing of an empty list', async () => {
  const choose = vi.fn()
  const box = (text: string, options: readonly Option[]) => (
    <Combobox
      label="Find"
      placeholder=""
      testId="find"
      nothing="Nothing."
      open
      {...{ text, options, choose }}
      change={() => undefined}
      setOpen={() => undefined}
      leave={() => undefined}
    />
  )
  await show(box('', OPTIONS))
  expect(at('find-list').textContent).toContain('shapes')
  await type(at('find'), '')
  await key(at('find'), 'Enter')
  expect(choose).not.toHaveBeenCalled()
  await key(at('find'), 'ArrowDown')
  await key(at('find'), 'ArrowDown')
  await key(at('find'), 'Enter')
  expect(choose.mock.calls).toEqual([[OPTIONS[1]]])
  await show(box('zzz', []))
  expect(at('find-nothing').textContent).toBe('Nothing.')
  await key(at('find'), 'Enter')
  expect(choose).toHaveBeenCalledTimes(1)
})

test('boxes and lists hand over the values they were given', async () => {
  const [tick, take, pick] = [vi.fn(), vi.fn(), vi.fn()]
  const options = [
    { value: 'mm', words: 'mm' },
    { value: 'in', words: 'in' },
  ] as const
  await show(
    <>
      <Checkbox checked={false} change={tick} testId="tick">
        on
      </Checkbox>
      <RadioGroup label="Unit" value="mm" change={take} options={options} testId="unit" />
      <Select label="Unit" value="mm" change={pick} options={options} testId="pick" />
    </>,
  )
  await after(() => at('tick').click())
  await after(() => at('unit-in').click())
  const select = at('pick') as HTMLSelectElement
  await after(() => {
    select.value = 'in'
    select.dispatchEvent(new Event('change', { bubbles: true }))
  })
  expect([tick.mock.calls, take.mock.calls, pick.mock.calls]).toEqual([
    [[true]],
    [['in']],
    [['in']],
  ])
})

test('progress says how far and stops; unknown progress says what is going on', async () => {
  const stop = vi.fn()
  await show(<Progress label="Looking" fraction={0.374} stop={stop} testId="p" />)
  expect(at('p').textContent).toContain('37 %')
  await after(() => at('p').querySelector('button')?.click())
  expect(stop).toHaveBeenCalledOnce()
  await show(<Progress label="Looking" fraction={null} testId="p" />)
  expect(at('p').textContent.trim()).toBe('Looking')
})

test('a table names its rows and marks the one that is meant', async () => {
  await show(
    <DataTable
      label="Rows"
      rows={[1, 2]}
      keyOf={String}
      current={(n) => n === 2}
      testId="row"
      columns={[{ id: 'n', heading: 'no.', numeric: true, cell: (n) => n * 10 }]}
    />,
  )
  expect(at('row-2').getAttribute('aria-current')).toBe('true')
  expect(at('row-1').textContent).toBe('10')
})

test('a link within the application stays in it, but not with Ctrl', async () => {
  await show(
    <Link href="/bench/b1" inside data-testid="to">
      Bench
    </Link>,
  )
  const click = (init: MouseEventInit) => {
    const e = new MouseEvent('click', { bubbles: true, cancelable: true, ...init })
    // jsdom can't follow a link: what reached here undecided is the browser's
    let inside = false
    addEventListener('click', (seen) => ((inside = seen.defaultPrevented), seen.preventDefault()), {
      once: true,
    })
    at('to').dispatchEvent(e)
    return inside
  }
  expect([click({ ctrlKey: true }), click({})]).toEqual([false, true])
  expect(location.pathname).toBe('/bench/b1')
})
