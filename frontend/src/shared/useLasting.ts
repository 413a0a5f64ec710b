import { useEffect, useState } from 'react'

/** Whether something has gone on for so many ms: what is over before that need not be shown, and moves nothing about. */
export function useLasting(on: boolean, ms: number): boolean {
  const [lasts, setLasts] = useState(false)
  useEffect(() => {
    if (!on) return
    const timer = setTimeout(() => setLasts(true), ms)
    return () => {
      clearTimeout(timer)
      setLasts(false)
    }
  }, [on, ms])
  return on && lasts
}
