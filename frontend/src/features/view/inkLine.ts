import { LineMaterial } from 'three/addons/lines/LineMaterial.js'
import type { LineMaterialParameters } from 'three/addons/lines/LineMaterial.js'

const PLAIN = 'gl_FragColor = vec4( diffuseColor.rgb, alpha );'
// the outer pixel of a line fades out, so that it is as smooth without multisampling
const SOFT = `
#ifndef WORLD_UNITS
float off = abs( vUv.y ) > 1.0 ? length( vec2( vUv.x, vUv.y > 0.0 ? vUv.y - 1.0 : vUv.y + 1.0 ) ) : abs( vUv.x );
alpha *= 1.0 - smoothstep( max( 0.0, 1.0 - 2.0 / linewidth ), 1.0, off );
#endif
${PLAIN}`

/** A line of ink, `width` px wide. */
export function inkMaterial(width: number, more: LineMaterialParameters = {}): LineMaterial {
  const material = new LineMaterial({
    linewidth: width + 1,
    worldUnits: false,
    transparent: true,
    depthWrite: false,
    ...more,
  })
  material.onBeforeCompile = (shader) => {
    shader.fragmentShader = shader.fragmentShader.replace(PLAIN, SOFT)
  }
  return material
}
