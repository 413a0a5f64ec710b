/** What is asked of WebGL here. */
export type Fences = Pick<
  WebGL2RenderingContext,
  | 'fenceSync'
  | 'clientWaitSync'
  | 'deleteSync'
  | 'flush'
  | 'SYNC_GPU_COMMANDS_COMPLETE'
  | 'TIMEOUT_EXPIRED'
>

/** ms from which a picture is a slow one */
const SLOW = 100

/**
 * Slow pictures one after the other. Without a graphics card a picture of a large body takes tenths of a second; drawing the
 * next before it is done makes the page stand still until it is, and with it the answers that come meanwhile. Fast ones
 * overlap: the next is told to the graphics side while the last is drawn.
 */
export class Pace {
  private readonly gl: Fences
  private fence: WebGLSync | null = null
  private began = 0
  private slow = false

  constructor(gl: Fences) {
    this.gl = gl
  }

  /** Whether the next picture may be drawn. */
  ready(now = performance.now()): boolean {
    if (!this.fence) return true
    const waits = this.gl.clientWaitSync(this.fence, 0, 0) === this.gl.TIMEOUT_EXPIRED
    const late = now - this.began > SLOW
    if (waits) {
      this.slow ||= late
      return !this.slow
    }
    if (!late) this.slow = false
    this.drop()
    return true
  }

  /** A picture was told to the graphics side. */
  drawn(now = performance.now()): void {
    if (this.fence) return // one before it is not done: it is the one that is timed
    this.fence = this.gl.fenceSync(this.gl.SYNC_GPU_COMMANDS_COMPLETE, 0)
    this.gl.flush()
    this.began = now
  }

  private drop(): void {
    this.gl.deleteSync(this.fence)
    this.fence = null
  }
}
