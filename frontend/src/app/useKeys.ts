import { useEffect } from 'react'
import { removeChosenStep } from '../shared/adding'
import { toggleMeasuring } from '../shared/measuring'
import { closePaint } from '../shared/painting'
import { closePick } from '../shared/picking'
import { move } from '../shared/session'
import { useView } from '../shared/viewState'

const LOOKS: Record<string, string> = {
  '1': 'turned',
  '2': 'top',
  '3': 'front',
  '4': 'side',
  Home: 'all',
  x: 'section',
  X: 'section',
}

/** Bare keys, which are for the view only. */
const BARE: Record<string, (() => void) | undefined> = {
  l: () => change((v) => ({ drawing: v.drawing === 'lines' ? 'shaded_lines' : 'lines' })),
  n: () => change((v) => ({ normals: !v.normals })),
  p: () => change((v) => ({ perspective: !v.perspective })),
  v: () => change((v) => ({ beside: !v.beside })),
  m: toggleMeasuring,
}

type View = ReturnType<typeof useView.getState>

function change(how: (v: View) => Partial<View>): void {
  const v = useView.getState()
  v.set(how(v))
}

function typing(e: KeyboardEvent): boolean {
  const t = e.target
  return (
    t instanceof HTMLElement && (t.isContentEditable || /^(INPUT|TEXTAREA|SELECT)$/.test(t.tagName))
  )
}

/** Keys of the whole screen. Bare keys are for the view only; operators are found with `/`. */
export function useKeys(): void {
  useEffect(() => {
    const on = (e: KeyboardEvent) => {
      if (typing(e)) return
      const view = useView.getState()
      const control = e.ctrlKey || e.metaKey
      const key = e.key.length === 1 ? e.key.toLowerCase() : e.key
      if (control && key === 'z') move(e.shiftKey ? 'redo' : 'undo')
      else if (control && key === 'y') move('redo')
      else if (control || e.altKey) return
      else if (key === '/') dispatchEvent(new Event('jukai-find'))
      else if (key === '?') view.set({ keys: true })
      else if (BARE[key]) BARE[key]()
      else if (key === 'Delete') removeChosenStep()
      // a sheet that is only just opening does not listen yet
      else if (key === 'Escape' && view.keys) view.set({ keys: false })
      else if (key === 'Escape' && view.picking) closePick()
      else if (key === 'Escape' && view.painting) closePaint()
      else if (key === 'Escape')
        view.set({ board: null, graph: null, along: null, lookAt: null, spots: [], compare: null })
      else if (LOOKS[e.key])
        dispatchEvent(new CustomEvent('jukai-look', { detail: LOOKS[e.key] ?? 'all' }))
      else return
      e.preventDefault()
    }
    // held, it shows the bodies as they were before the last edit
    const hold = (e: KeyboardEvent) => {
      if (e.key.toLowerCase() !== 'b' || typing(e) || e.ctrlKey || e.metaKey || e.altKey) return
      const { compare, set } = useView.getState()
      if (e.type === 'keydown' && !compare) set({ compare: { how: 'hold', step: null } })
      if (e.type === 'keyup' && compare?.how === 'hold') set({ compare: null })
    }
    const leave = () => {
      const { compare, set } = useView.getState()
      if (compare?.how === 'hold') set({ compare: null })
    }
    addEventListener('blur', leave) // the key is let go elsewhere
    addEventListener('keydown', on)
    addEventListener('keydown', hold)
    addEventListener('keyup', hold)
    return () => {
      removeEventListener('blur', leave)
      removeEventListener('keydown', on)
      removeEventListener('keydown', hold)
      removeEventListener('keyup', hold)
    }
  }, [])
}
