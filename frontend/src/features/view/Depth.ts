import { Color, GLSL3, RawShaderMaterial, Vector4, WebGLRenderTarget } from 'three'
import type { Camera, Object3D, Scene, WebGLRenderer } from 'three'

const vertex = `
in vec3 position;
uniform mat4 modelViewMatrix;
uniform mat4 projectionMatrix;
void main() { gl_Position = projectionMatrix * modelViewMatrix * vec4(position, 1.0); }`

const fragment = `
precision highp float;
out vec4 pixel;
void main() {
  vec3 parts = fract(gl_FragCoord.z * vec3(1.0, 255.0, 65025.0));
  pixel = vec4(parts - parts.yzz * vec3(1.0 / 255.0, 1.0 / 255.0, 0.0), 1.0);
}`

/** How deep the nearest of some bodies lies at each place of a picture, 0 to 1. */
export class Depth {
  private readonly pixels: Uint8Array
  private readonly width: number
  private readonly height: number

  constructor(
    renderer: WebGLRenderer,
    scene: Scene,
    camera: Camera,
    bodies: readonly Object3D[],
    width: number,
    height: number,
  ) {
    this.width = width
    this.height = height
    this.pixels = new Uint8Array(4 * width * height)
    const target = new WebGLRenderTarget(width, height)
    const material = new RawShaderMaterial({
      glslVersion: GLSL3,
      vertexShader: vertex,
      fragmentShader: fragment,
      side: 2,
    })
    const kept = renderer.getClearColor(new Color())
    const port = renderer.getViewport(new Vector4())
    const hidden = scene.children.filter((o) => o.visible && !bodies.includes(o))
    for (const o of hidden) o.visible = false
    try {
      scene.overrideMaterial = material
      renderer.setRenderTarget(target)
      renderer.setClearColor(0xffffff)
      renderer.render(scene, camera)
      renderer.readRenderTargetPixels(target, 0, 0, width, height, this.pixels)
    } finally {
      scene.overrideMaterial = null
      renderer.setRenderTarget(null)
      renderer.setClearColor(kept)
      renderer.setViewport(port)
      for (const o of hidden) o.visible = true
      material.dispose()
      target.dispose()
    }
  }

  /** The deepest that is seen within a pixel of a place, px from the upper left. */
  at(x: number, y: number): number {
    let most = 0
    for (let j = -1; j <= 1; j += 1)
      for (let i = -1; i <= 1; i += 1) {
        const px = Math.min(Math.max(Math.floor(x) + i, 0), this.width - 1)
        const py = Math.min(Math.max(this.height - 1 - Math.floor(y) + j, 0), this.height - 1)
        const k = 4 * (py * this.width + px)
        const [r = 0, g = 0, b = 0] = this.pixels.subarray(k, k + 3)
        most = Math.max(most, r / 255 + g / 65025 + b / 16581375)
      }
    return Math.min(most, 1)
  }
}
