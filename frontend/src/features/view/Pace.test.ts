import { describe, expect, it } from 'vitest'
import { Pace } from './Pace'
import type { Fences } from './Pace'

/** A graphics side that takes so many ms for a picture. */
class Graphics implements Fences {
  readonly SYNC_GPU_COMMANDS_COMPLETE = 0x9117
  readonly TIMEOUT_EXPIRED = 0x911b
  now = 0
  fences = 0
  private done = 0
  takes = 0

  fenceSync(): WebGLSync & { until: number } {
    this.done = Math.max(this.done, this.now) + this.takes
    this.fences += 1
    return { until: this.done }
  }
  clientWaitSync(fence: WebGLSync): GLenum {
    return this.now < (fence as unknown as { until: number }).until ? this.TIMEOUT_EXPIRED : 0x911a
  }
  deleteSync(fence: WebGLSync | null): void {
    if (fence) this.fences -= 1
  }
  flush(): void {}
}

/** The times at which pictures are drawn in so many ms, at frames of 16 ms, when there is always one to be drawn. */
function drawnAt(pace: Pace, graphics: Graphics, ms: number): number[] {
  const out: number[] = []
  for (const end = graphics.now + ms; graphics.now < end; graphics.now += 16)
    if (pace.ready(graphics.now)) {
      out.push(graphics.now)
      pace.drawn(graphics.now)
    }
  return out
}

describe('the pace of pictures', () => {
  it('overlaps fast ones, draws slow ones one after the other, and finds its way back', () => {
    const graphics = new Graphics()
    const pace = new Pace(graphics)
    graphics.takes = 10
    expect(drawnAt(pace, graphics, 160)).toHaveLength(10)
    graphics.takes = 200
    const slow = drawnAt(pace, graphics, 4000)
    const gaps = slow.slice(1).map((t, i) => t - (slow[i] ?? 0))
    expect(Math.min(...gaps.slice(-5))).toBeGreaterThanOrEqual(200)
    expect(Math.max(...gaps.slice(-5))).toBeLessThan(232)
    graphics.takes = 10
    drawnAt(pace, graphics, 500)
    expect(drawnAt(pace, graphics, 160)).toHaveLength(10)
    expect(graphics.fences).toBe(1)
  })

  it('waits for nothing after a rest, or where there are no fences', () => {
    const graphics = new Graphics()
    const pace = new Pace(graphics)
    pace.drawn(0)
    graphics.now = 5000
    expect(pace.ready(5000)).toBe(true)
    graphics.fenceSync = () => null as unknown as WebGLSync & { until: number } // as of a lost context
    pace.drawn(5000)
    expect(pace.ready(5001)).toBe(true)
  })
})
