import {
  BufferAttribute,
  BufferGeometry,
  FrontSide,
  LineBasicMaterial,
  LineSegments,
  Mesh,
  OrthographicCamera,
  Scene,
} from 'three'
import type { RawShaderMaterial, WebGLRenderer } from 'three'
import type { Body } from './Body'
import type { Extra } from './bodyMaterial'

/**
 * Draw one triangle with each shader that a changing body will be drawn with: compiling them takes as long as a picture or
 * two, and the first move of a hand that drags a number would wait for it. It is drawn where pictures are, for a shader is
 * compiled for what it draws on; the picture that is drawn next, at once, clears it. `keep` keeps the programs.
 */
function warmUp(
  renderer: WebGLRenderer,
  body: Body,
  ghost: RawShaderMaterial,
  keep: () => void,
): void {
  const scene = new Scene()
  const geometry = new BufferGeometry()
  for (const [name, a] of Object.entries(body.mesh.geometry.attributes))
    if (a instanceof BufferAttribute)
      geometry.setAttribute(
        name,
        new BufferAttribute(a.array.slice(0, 3 * a.itemSize), a.itemSize, a.normalized),
      )
  geometry.setIndex([0, 1, 2])
  // what it loses while it changes, beside what its finishes ask for
  const plain = Object.fromEntries(
    Object.entries(body.mesh.material.defines as Partial<Record<Extra, number>>).filter(
      ([what]) => !['OUTLINED', 'FINE', 'HATCHED'].includes(what),
    ),
  )
  const bodies = [plain, { ...plain, HATCHED: 1 }].map((defines) => {
    const material = body.mesh.material.clone()
    material.defines = defines
    material.side = FrontSide
    return material
  })
  ghost.depthTest = false
  const line = new BufferGeometry()
  line.setAttribute('position', new BufferAttribute(new Float32Array(6), 3))
  const thin = new LineBasicMaterial({ depthTest: false })
  for (const material of [...bodies, ghost]) scene.add(new Mesh(geometry, material))
  scene.add(new LineSegments(line, thin))
  for (const o of scene.children) o.frustumCulled = false
  renderer.render(scene, new OrthographicCamera())
  keep()
  for (const o of [...bodies, ghost, thin, geometry, line]) o.dispose()
}

/** Compiles what a changing body is drawn with once, when nothing else is to be done, and keeps all that was compiled. */
export class Warming {
  private readonly renderer: WebGLRenderer
  private readonly ghost: () => RawShaderMaterial
  private readonly kept = new WeakSet<object>()
  private state: 'cold' | 'next' | 'done' = 'cold'

  constructor(renderer: WebGLRenderer, ghost: () => RawShaderMaterial) {
    this.renderer = renderer
    this.ghost = ghost
  }

  /** Bodies rest: have it done with the next picture, which `draw` asks for. */
  rests(draw: () => void): void {
    if (this.state !== 'cold') return
    this.state = 'done'
    whenIdle(() => {
      this.state = 'next'
      draw()
    })
  }

  /** A picture is about to be drawn. */
  before(bodies: Iterable<Body>): void {
    if (this.state !== 'next') return
    this.state = 'done'
    const body = [...bodies].find((b) => !b.as.through && !b.as.reference)
    if (body) warmUp(this.renderer, body, this.ghost(), () => this.keep())
  }

  /** Keep shaders that were compiled once: bodies come and go, and compiling them anew costs more than a picture. */
  keep(): void {
    for (const program of this.renderer.info.programs ?? [])
      if (!this.kept.has(program)) {
        this.kept.add(program)
        program.usedTimes += 1
      }
  }
}

/** Have something done in a moment when the page has nothing to do. */
function whenIdle(act: () => void): void {
  // not every browser tells
  if ('requestIdleCallback' in window) window.requestIdleCallback(act, { timeout: 3000 })
  else setTimeout(act, 1000)
}
