import {
  BufferAttribute,
  BufferGeometry,
  Color,
  GLSL3,
  Mesh,
  OrthographicCamera,
  PlaneGeometry,
  RawShaderMaterial,
  Scene,
  Vector2,
  WebGLRenderTarget,
} from 'three'
import type { Object3D, WebGLRenderer } from 'three'

const SIZE = 256
const CELLS = 32 // to a side; what is clear of any shadow is not drawn
const LEAST = 0.5 / 255 // darkness that can't be seen

const vertex = `
precision highp float;
uniform mat4 modelMatrix, viewMatrix, projectionMatrix;
in vec3 position;
out float vHigh;
void main() {
  vec4 world = modelMatrix * vec4(position, 1.0);
  vHigh = world.z;
  gl_Position = projectionMatrix * viewMatrix * world;
}`

const fragment = `
precision highp float;
uniform float reach;
in float vHigh;
out vec4 result;
void main() {
  float near = 1.0 - clamp(vHigh / reach, 0.0, 1.0);
  result = vec4(near * near, 0.0, 0.0, 1.0);
}`

const flatVertex = `
precision highp float;
in vec3 position;
in vec2 uv;
out vec2 vUv;
void main() { vUv = uv; gl_Position = vec4(position.xy, 0.0, 1.0); }`

const blurFragment = `
precision highp float;
uniform sampler2D picture;
uniform vec2 way;
in vec2 vUv;
out vec4 result;
void main() {
  float sum = 0.0, all = 0.0;
  for (int i = -6; i <= 6; i++) {
    float w = exp(-float(i * i) / 14.0);
    sum += w * texture(picture, vUv + way * float(i)).r;
    all += w;
  }
  result = vec4(sum / all, 0.0, 0.0, 1.0);
}`

const floorVertex = `
precision highp float;
uniform mat4 modelViewMatrix, projectionMatrix;
in vec3 position;
in vec2 uv;
out vec2 vUv;
void main() { vUv = uv; gl_Position = projectionMatrix * modelViewMatrix * vec4(position, 1.0); }`

const floorFragment = `
precision highp float;
uniform sampler2D picture;
uniform float strength;
in vec2 vUv;
out vec4 result;
void main() { result = vec4(0.0, 0.0, 0.0, texture(picture, vUv).r * strength); }`

interface Cover {
  position: Float32Array
  uv: Float32Array
}

const WHOLE: Cover = {
  position: new Float32Array([-1, -1, 0, 1, -1, 0, 1, 1, 0, -1, -1, 0, 1, 1, 0, -1, 1, 0]),
  uv: new Float32Array([0, 0, 1, 0, 1, 1, 0, 0, 1, 1, 0, 1]),
}

/** Soft contact of the bodies with the floor: how near they come to it, seen from below and blurred. */
export class Contact {
  readonly mesh: Mesh<BufferGeometry, RawShaderMaterial>
  strength = 0.34
  private readonly first = new WebGLRenderTarget(SIZE, SIZE)
  private readonly second = new WebGLRenderTarget(SIZE, SIZE)
  private readonly eye = new OrthographicCamera()
  private readonly near: RawShaderMaterial
  private readonly blur: RawShaderMaterial
  private readonly flat = new Scene()

  constructor() {
    const shader = (vertexShader: string, fragmentShader: string, uniforms: object) =>
      new RawShaderMaterial({
        glslVersion: GLSL3,
        vertexShader,
        fragmentShader,
        uniforms: uniforms as RawShaderMaterial['uniforms'],
      })
    this.near = shader(vertex, fragment, { reach: { value: 1 } })
    this.near.side = 2
    this.blur = shader(flatVertex, blurFragment, {
      picture: { value: null },
      way: { value: new Vector2() },
    })
    this.blur.depthTest = false
    this.flat.add(new Mesh(new PlaneGeometry(2, 2), this.blur))
    const material = shader(floorVertex, floorFragment, {
      picture: { value: this.first.texture },
      strength: { value: 0 },
    })
    material.transparent = true
    material.depthWrite = false
    this.mesh = new Mesh(new BufferGeometry(), material)
    this.mesh.frustumCulled = false
    this.mesh.renderOrder = -1
  }

  /** Look at bodies from below the floor, which reaches `half` to every side. */
  update(
    renderer: WebGLRenderer,
    scene: Scene,
    bodies: readonly Object3D[],
    half: number,
    centre: { x: number; y: number },
  ): void {
    const e = this.eye
    e.left = -half
    e.right = half
    e.top = half
    e.bottom = -half
    e.near = 0
    const reach = half * 0.1
    e.far = reach * 1.5
    e.position.set(centre.x, centre.y, -reach * 0.25)
    e.up.set(0, 1, 0)
    e.lookAt(centre.x, centre.y, 1)
    e.updateProjectionMatrix()
    if (this.near.uniforms['reach']) this.near.uniforms['reach'].value = reach
    const others = scene.children.filter((o) => o.visible && !bodies.includes(o))
    for (const o of others) o.visible = false
    const alpha = renderer.getClearAlpha()
    scene.overrideMaterial = this.near
    renderer.setClearAlpha(0)
    renderer.setRenderTarget(this.first)
    const colour = renderer.getClearColor(this.clear)
    renderer.setClearColor(0, 0)
    renderer.clear()
    renderer.render(scene, e)
    scene.overrideMaterial = null
    for (const o of others) o.visible = true
    this.pass(renderer, this.first, this.second, 1, 0)
    this.pass(renderer, this.second, this.first, 0, 1)
    void this.cover(renderer)
    renderer.setRenderTarget(null)
    renderer.setClearColor(colour, alpha)
    // seen from below left and right are swapped
    this.mesh.scale.set(-half, half, 1)
    this.mesh.position.set(centre.x, centre.y, -half * 1.2e-3)
    const u = this.mesh.material.uniforms
    if (u['strength']) u['strength'].value = this.strength
    this.mesh.material.side = 2
  }

  /** Cover with floor what has any shadow: laying clear pixels over the whole floor costs a quarter of a picture. */
  private async cover(renderer: WebGLRenderer): Promise<void> {
    const mine = (this.covers += 1)
    // until it is known where there is none, shadow may lie on the whole floor
    this.put(WHOLE)
    const rows = new Uint8Array(SIZE * SIZE * 4)
    // nothing waits for the graphics card: the pixels come when it has drawn them
    await renderer.readRenderTargetPixelsAsync(this.first, 0, 0, SIZE, SIZE, rows).catch(() => null)
    if (mine !== this.covers) return
    this.put(coverOf(rows, this.strength))
    this.covered()
  }

  private put({ position, uv }: Cover): void {
    this.mesh.geometry.dispose()
    this.mesh.geometry = new BufferGeometry()
    this.mesh.geometry.setAttribute('position', new BufferAttribute(position, 3))
    this.mesh.geometry.setAttribute('uv', new BufferAttribute(uv, 2))
  }

  private covers = 0
  /** called when it is known where shadow lies */
  covered: () => void = () => undefined

  private readonly clear = new Color()

  private pass(
    renderer: WebGLRenderer,
    from: WebGLRenderTarget,
    to: WebGLRenderTarget,
    x: number,
    y: number,
  ): void {
    const u = this.blur.uniforms
    if (u['picture']) u['picture'].value = from.texture
    ;(u['way']?.value as Vector2 | undefined)?.set((x * 1.8) / SIZE, (y * 1.8) / SIZE)
    renderer.setRenderTarget(to)
    renderer.render(this.flat, this.eye)
  }

  dispose(): void {
    for (const o of [
      this.first,
      this.second,
      this.near,
      this.blur,
      this.mesh.geometry,
      this.mesh.material,
    ])
      o.dispose()
  }
}

/**
 * Two triangles for each cell of the picture that has shadow in it; positions from -1 to 1. Corners of cells meet corners of
 * cells: where a corner met the middle of a side, light would show through.
 */
export function coverOf(pixels: Uint8Array, strength: number): Cover {
  const wide = SIZE / CELLS
  const least = (LEAST / Math.max(strength, 1e-6)) * 255
  const dark = new Uint8Array(CELLS * CELLS)
  for (let y = 0; y < SIZE; y += 1)
    for (let x = 0; x < SIZE; x += 1)
      if ((pixels[4 * (y * SIZE + x)] ?? 0) > least) {
        // a cell beside it too: between pixels the picture is smooth
        for (const [dx, dy] of BESIDE) {
          const i = Math.min(CELLS - 1, Math.max(0, Math.floor((x + dx) / wide)))
          const j = Math.min(CELLS - 1, Math.max(0, Math.floor((y + dy) / wide)))
          dark[j * CELLS + i] = 1
        }
      }
  const uv: number[] = []
  for (let j = 0; j < CELLS; j += 1)
    for (let i = 0; i < CELLS; i += 1) {
      if (!dark[j * CELLS + i]) continue
      const [a, b, c, d] = [i / CELLS, (i + 1) / CELLS, j / CELLS, (j + 1) / CELLS]
      uv.push(a, c, b, c, b, d, a, c, b, d, a, d)
    }
  const position = new Float32Array((uv.length / 2) * 3)
  for (let k = 0; k < uv.length / 2; k += 1) {
    position[3 * k] = 2 * (uv[2 * k] ?? 0) - 1
    position[3 * k + 1] = 2 * (uv[2 * k + 1] ?? 0) - 1
  }
  return { position, uv: new Float32Array(uv) }
}

const BESIDE = [
  [0, 0],
  [1, 0],
  [-1, 0],
  [0, 1],
  [0, -1],
] as const
