import { useEffect } from 'react'
import { Matrix4, Vector3 } from 'three'
import { api } from '../../shared/api/client'
import type { PartView } from '../../shared/api/client'
import { useView } from '../../shared/viewState'
import type { Stage } from './Stage'

/** Ways to judge a surface: normals, bands, lights, hidden edges, poles and many-sided faces. */
export function useJudging(
  stage: Stage,
  parts: readonly PartView[],
  holder: React.RefObject<HTMLDivElement | null>,
): void {
  const { normals, bands, lights, behind, poles, only } = useView()
  useEffect(() => {
    stage.setNormals(normals)
  }, [stage, normals])
  useEffect(() => {
    stage.setJudging({ bands, lights, behind })
  }, [stage, bands, lights, behind])
  useEffect(() => {
    if (!poles) {
      stage.marks.show('poles', null)
      stage.marks.show('many', null)
      holder.current?.setAttribute('data-marks', '')
      return
    }
    let on = true
    const shown = parts.filter((p) => p.mesh && !p.hidden && (!only || p.part === only))
    Promise.all(shown.map(async (p) => ({ p, marks: await api.marks(p.mesh ?? '') })))
      .then((rows) => {
        if (!on) return
        const crosses: number[] = []
        const sides: number[] = []
        const one = new Matrix4()
        for (const { p, marks } of rows) {
          const m = new Matrix4().set(...((p.matrix ?? []) as Parameters<Matrix4['set']>))
          const put = (v: readonly number[], at: number) =>
            new Vector3(v[at], v[at + 1], v[at + 2]).applyMatrix4(m)
          const [low = [], high = []] = p.bounds ?? []
          const size = Math.hypot(...[0, 1, 2].map((k) => (high[k] ?? 0) - (low[k] ?? 0)))
          for (const pole of marks.poles) {
            const at = put(pole, 0)
            const arm = size * (Math.abs((pole[3] ?? 4) - 4) > 1 ? 0.012 : 0.007)
            for (const way of AXES)
              crosses.push(
                ...at.clone().addScaledVector(way, -arm).toArray(),
                ...at.clone().addScaledVector(way, arm).toArray(),
              )
          }
          for (const line of marks.lines)
            sides.push(...put(line, 0).toArray(), ...put(line, 3).toArray())
        }
        const matrix = one.toArray()
        stage.marks.show('poles', new Float32Array(crosses), matrix, [0, 0, 0])
        stage.marks.show('many', new Float32Array(sides), matrix, [0, 0, 0])
        const count = (key: 'n_poles' | 'n_many') => rows.reduce((s, r) => s + r.marks[key], 0)
        useView.getState().set({ marked: { poles: count('n_poles'), many: count('n_many') } })
        holder.current?.setAttribute('data-marks', `${count('n_poles')} ${count('n_many')}`)
      })
      .catch(() => undefined)
    return () => {
      on = false
    }
  }, [stage, parts, poles, only, holder])
}

const AXES = [new Vector3(1, 0, 0), new Vector3(0, 1, 0), new Vector3(0, 0, 1)]
