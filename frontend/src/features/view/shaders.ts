/** The body: sky and ground, two soft boxes, polygon edges and the contour in the same pass. */

export const bodyVertex = /* glsl */ `
precision highp float;
uniform mat4 modelViewMatrix, projectionMatrix, modelMatrix;
uniform mat3 normalMatrix;
uniform vec3 eye;
uniform float parallel;
uniform vec3 lookWay;
in vec3 position;
in vec4 normal;
in vec4 edge;
in float changed;
uniform vec3 colours[16];
uniform vec3 looks[16];
out vec3 vN, vEye, vE, vWorld, vColour;
out vec3 vLook;
out float vChanged;
#ifdef CUT
uniform vec4 cuts[2];
out vec2 vCut;
#endif
void main() {
#ifdef CUT
  vCut = vec2(dot(cuts[0].xyz, position) + cuts[0].w, dot(cuts[1].xyz, position) + cuts[1].w);
#endif
  int which = clamp(int(normal.w * 127.0 + 0.5), 0, 15);
  vColour = colours[which];
  vLook = looks[which];
  vec4 world = modelMatrix * vec4(position, 1.0);
  vWorld = world.xyz;
  vN = mat3(modelMatrix) * normal.xyz;
  vEye = mix(eye - world.xyz, -lookWay, parallel);
  vE = edge.xyz;
  vChanged = changed;
  gl_Position = projectionMatrix * modelViewMatrix * vec4(position, 1.0);
}`

export const bodyFragment = /* glsl */ `
precision highp float;
uniform vec3 ink, paper, moss;
uniform float lines, grey, hatch, shade, alpha, pale, bands;
uniform vec2 lightTurn;
in vec3 vN, vEye, vE, vWorld, vColour;
in vec3 vLook;
in float vChanged;
out vec4 result;
#ifdef CUT
in vec2 vCut;
uniform float whole;
#endif

// a power of a cosine, as a quotient (Schlick, A fast alternative to Phong, 1994)
float box(vec3 r, vec3 way, float tight) {
  float d = max(dot(r, way), 0.0);
  return d / (tight - tight * d + d);
}

vec3 surroundings(vec3 r, float rough) {
  float up = r.z * 0.5 + 0.5;
  vec3 c = mix(vec3(0.34, 0.31, 0.27), vec3(0.86, 0.87, 0.86), smoothstep(0.15, 0.8, up));
  float tight = mix(22.0, 4.0, rough);
  c += 0.95 * box(r, vec3(-0.551269, -0.651500, 0.521200), tight);
  c += 0.55 * box(r, vec3(0.854541, -0.351870, 0.382030), tight * 1.5);
  c += 0.35 * box(r, vec3(0.104828, 0.943456, 0.314485), tight);
  c -= 0.22 * box(r, vec3(0.253185, -0.962102, 0.101274), tight * 0.7);
  return c;
}

void main() {
#ifdef CUT
  if (vCut.x > 0.0 && vCut.y > 0.0) discard;
#endif
  vec3 colour = vColour;
  float metal = vLook.x;
  float roughness = vLook.y;
  vec3 n = normalize(vN);
  vec3 e = normalize(vEye);
  bool back = !gl_FrontFacing;
  if (back) n = -n;
  float f = dot(n, e);
  // on coarse round bodies the shading turns away before the face does: no farther than the horizon
  if (f < 0.0) n = normalize(n + e * (0.03 - f));
  // lights stand with the bench, or turn with the eye
  mat3 turn = mat3(lightTurn.x, -lightTurn.y, 0.0, lightTurn.y, lightTurn.x, 0.0, 0.0, 0.0, 1.0);
  vec3 r = reflect(-e, n);
  vec3 rl = turn * r;
  vec3 nl = turn * n;
  vec3 key = vec3(-0.501406, -0.621743, 0.601687);
  float light = 0.52 + 0.30 * n.z + 0.46 * max(dot(nl, key), 0.0);
  vec3 s = surroundings(rl, roughness);
  vec3 c = colour * light * (1.0 - 0.66 * metal) + mix(vec3(0.05), colour, metal) * s * mix(0.25, 0.80, metal);
#ifdef CUT
  // through the cut the inside of a closed body shows only until its cap is there
  if (back && whole > 0.5) { result = vec4(mix(paper, colour, 0.3), 1.0); return; }
#endif
  // a shoulder, so that nothing burns out; a lift, so that nothing sinks into black
  c = mix(c, 0.82 + 0.18 * (1.0 - exp(-(c - 0.82) / 0.18)), step(0.82, c));
  c = max(c, colour * 0.10 + 0.02);
  if (back && vLook.z == 0.0) c = mix(c * 0.35, vec3(0.75, 0.25, 0.2), 0.45);
  // light bands: as strip lights all round would be mirrored; a kink in them is a kink in the surface
  if (bands > 0.5) {
    float s6 = acos(clamp(rl.z, -1.0, 1.0)) * 5.0929582;
    float d = abs(fract(s6) - 0.5) - 0.25;
    float w = max(fwidth(s6), 1e-4);
    float k = w > 0.6 ? 0.5 : smoothstep(-w, w, d);
    c = mix(mix(ink, paper, 0.16), mix(ink, paper, 0.96), k) * (0.9 + 0.1 * light);
    if (back) c = mix(c, vec3(0.75, 0.25, 0.2), 0.5);
  }
  if (grey > 0.0) c = mix(c, mix(paper, ink, 0.16) * (0.72 + 0.28 * light), grey);
  if (shade < 1.0) c = mix(paper, c, shade);
  if (pale > 0.0) c = mix(c, mix(paper, ink, 0.10), pale);

  // where a face changed: thin hatching, as a section is hatched
  if (hatch > 0.0) {
    float h = fract((gl_FragCoord.x + gl_FragCoord.y) / 7.0);
    c = mix(c, moss, step(0.5, vChanged) * (1.0 - smoothstep(0.13, 0.24, abs(h - 0.5))) * 0.85);
  }

  // polygon edges: hairlines that fade where they get dense, each side by its own density
  vec3 w = max(fwidth(vE), vec3(1e-6));
  vec3 t = vE / w;
  vec3 k = (1.0 - smoothstep(0.30, 1.10, t)) * (1.0 - smoothstep(0.08, 0.30, w));
  float inked = lines * max(max(k.x, k.y), k.z) * mix(0.85, 0.34, shade);
  c = mix(c, mix(ink, vec3(0.11, 0.14, 0.12), shade), inked);

  // contour of round parts: where the shading turns away, and not the whole of a coarse face behind it
  float g = abs(f) / max(fwidth(f), 1e-5);
  float facing = abs(dot(normalize(cross(dFdx(vWorld), dFdy(vWorld))), e));
  float outline = (1.0 - smoothstep(0.4, 1.6, g)) * step(fwidth(f), 0.5) * (1.0 - smoothstep(0.25, 0.4, facing));
  c = mix(c, ink, outline);
  float through = alpha;
  if (vLook.z > 0.0) {
    // glass: little of its own colour where it is looked through, more where it is looked along (Schlick 1994), and what it mirrors
    float rim = pow(1.0 - min(abs(f), 1.0), 4.0);
    float glint = max(max(s.r, s.g) - 0.9, 0.0);
    float own = clamp(0.16 + 0.6 * rim + glint, 0.0, 1.0);
    through *= max(mix(1.0, own, vLook.z), max(outline, inked));
  }
  result = vec4(c, through);
}`

/** The outline before the change: only the contour of the old body, dashed. */
export const ghostFragment = /* glsl */ `
precision highp float;
uniform vec3 ink;
in vec3 vN, vEye, vE;
in float vChanged;
out vec4 result;
void main() {
  float f = abs(dot(normalize(vN), normalize(vEye)));
  float g = f / max(fwidth(f), 1e-5);
  float along = mod(gl_FragCoord.x + gl_FragCoord.y * 1.3, 22.0);
  bool gap = (along > 12.0 && along < 14.0) || (along > 16.0 && along < 18.0) || along > 20.0;
  if (g > 1.4 || gap) discard;
  result = vec4(ink, 1.0);
}`
