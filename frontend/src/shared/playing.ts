import { create } from 'zustand'
import type { Edit } from './api/client'
import { beginPreview, endPreview, preview, previewComes, useSession } from './session'
import { useView } from './viewState'

/*
 * A value that goes round, such as where a wave starts, is played: the body runs through it in a loop, for judging.
 * Nothing is stored.
 */

interface Playing {
  address: string
  part: string
  step: string
}

export const usePlaying = create<{ now: Playing | null }>(() => ({ now: null }))

/** ms that one round takes */
const ROUND = 2400
let stopping: () => void = () => undefined

export function stopPlaying(): void {
  stopping()
}

/** The share of a round that has gone after some ms. */
export const phaseAt = (ms: number): number => (ms / ROUND) % 1

/** Run a value through a round again and again from where it stands, until something else is done. */
export function play(o: {
  address: string
  part: string
  step: string
  from: number
  edit: (value: number) => Edit
}): void {
  stopPlaying()
  usePlaying.setState({ now: { address: o.address, part: o.part, step: o.step } })
  beginPreview()
  const start = performance.now()
  let frame = 0
  const show = () => {
    frame = requestAnimationFrame(show)
    // the next place is asked for when the last one has come
    if (previewComes()) return
    const turn = o.from + phaseAt(performance.now() - start)
    preview(o.edit(Number(turn.toFixed(4))), o.part)
  }
  frame = requestAnimationFrame(show)
  const key = (e: KeyboardEvent) => {
    if (e.key !== 'Escape') return
    e.preventDefault()
    e.stopPropagation()
    stopping()
  }
  const press = (e: Event) => {
    const on = e.target instanceof Element ? e.target : null
    // turning the view goes on while it plays
    if (on?.closest('canvas') || on?.closest('[data-plays]')) return
    stopping()
  }
  const off = [
    useSession.subscribe((s) => {
      if (s.waiting > 0 || s.connection === 'lost') stopping()
    }),
    useView.subscribe((s) => {
      if (s.part !== o.part || s.step !== o.step || s.picking || s.painting || s.lookAt) stopping()
    }),
  ]
  addEventListener('keydown', key, true)
  addEventListener('pointerdown', press, true)
  stopping = () => {
    stopping = () => undefined
    cancelAnimationFrame(frame)
    removeEventListener('keydown', key, true)
    removeEventListener('pointerdown', press, true)
    for (const end of off) end()
    usePlaying.setState({ now: null })
    endPreview()
  }
}
