import { useEffect, useRef, useState } from 'react'
import type { RefObject } from 'react'
import type { Pair } from './dragging'

/** An element and its size in px, which follows it. */
export function useSize<T extends Element>(start: Pair): [RefObject<T | null>, Pair] {
  const box = useRef<T>(null)
  const [size, setSize] = useState(start)
  useEffect(() => {
    const element = box.current
    if (!element) return
    const watch = new ResizeObserver(() => setSize([element.clientWidth, element.clientHeight]))
    watch.observe(element)
    return () => watch.disconnect()
  }, [])
  return [box, size]
}
