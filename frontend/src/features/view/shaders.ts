import { MOST_FACETS } from './Facets'

/** The body: sky and ground, two soft boxes, polygon edges and the contour in the same pass. */

/** How a place of a body is lit, for the shader of corners as for that of pixels. */
const lit = /* glsl */ `
uniform vec3 ink, paper;
uniform float grey, shade, pale, domed;
uniform vec4 eye; // where it is, or with 0 last the way to it
uniform vec3 lights[5]; // the ways to four soft boxes and to the key light
#ifdef TRACED
uniform vec4 facets[${String(MOST_FACETS)}]; // of a convex stone: the way out of each, and how far along it the facet lies
uniform int facetCount;
uniform float wide; // how wide the stone is
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
  return c + 0.95 * box(r, lights[0], tight) + 0.55 * box(r, lights[1], tight * 1.5)
    + 0.35 * box(r, lights[2], tight) - 0.22 * box(r, lights[3], tight * 0.7);
}

// how bright a surface lies, before any finish
float brightness(vec3 n) {
  return 0.52 + 0.30 * n.z + 0.46 * max(dot(n, lights[4]), 0.0);
}

// the colour of a finish: a shoulder, so that nothing burns out; a lift, so that nothing sinks into black
vec3 shaded(vec3 colour, vec3 look, float light, vec3 s) {
  vec3 c = colour * light * (1.0 - 0.66 * look.x) + mix(vec3(0.05), colour, look.x) * s * mix(0.25, 0.80, look.x);
  // by its brightest channel, so that brass stays brass; what is far brighter than can be shown pales
  float most = max(max(c.r, c.g), c.b);
  float over = max(most - 0.78, 0.0);
  float shown = min(most, 0.78) + 0.22 * over / (0.22 + over);
  c = mix(c * (shown / max(most, 1e-4)), vec3(shown), over / (over + 2.0));
  return max(c, colour * 0.10 + 0.02);
}

#ifdef STONE
/*
 * A cut stone without tracing rays: light goes in by the facet's own refraction, is mirrored by facets below that are not
 * known here, and comes back. So each facet shows other surroundings, and its neighbour quite others; it flashes as it turns.
 */
vec3 stone(vec3 colour, vec3 n, vec3 e, float index, vec3 s) {
  vec3 t = refract(-e, n, 1.0 / index);
  float f0 = (index - 1.0) / (index + 1.0);
  f0 *= f0;
  float rim = f0 + (1.0 - f0) * pow(1.0 - clamp(dot(n, e), 0.0, 1.0), 5.0);
  vec3 glint = s * rim + vec3(max(max(s.r, s.g) - 1.1, 0.0));
  // one that is round has no facets to flash: light gathers on the side away from where it came in
  if (domed > 0.5) {
    vec3 far = surroundings(-reflect(t, n), 0.6);
    return mix(colour * colour * 0.5, colour * 1.15, clamp(0.75 * far.g - 0.1 + 0.35 * (1.0 - dot(n, e)), 0.0, 1.0)) + glint;
  }
  vec3 c = vec3(0.0);
  for (int i = 0; i < 3; i += 1) {
    float k = float(i);
    // mirrored below at three leanings, as light of three colours would be bent to
    vec3 m = normalize(vec3(cos(n.x * 9.0 + k * 2.1), sin(n.y * 9.0 - k * 1.7), 1.3 + 0.25 * k));
    vec3 r = reflect(t, m);
    r.z = abs(r.z);
    vec3 g = surroundings(normalize(r), 0.05);
    float v = smoothstep(0.72, 1.5, g.g);
    c += mix(colour * colour * 0.7, mix(colour, vec3(1.0), 0.35 * v) * 1.25, v);
  }
  return c / 3.0 + glint;
}
#endif

#ifdef TRACED
/*
 * A convex stone of flat facets: rays are followed from facet to facet by Snell's law, what leaves at each is what Fresnel's
 * equations leave over, and the way through the stone takes colour away (Beer and Lambert). Blue light is bent more than red.
 */
vec3 traced(vec3 colour, vec3 place, vec3 n, vec3 e, float index, vec3 s) {
  vec3 d = refract(-e, n, 1.0 / index);
  float f0 = (index - 1.0) / (index + 1.0);
  f0 *= f0;
  float mirrored = f0 + (1.0 - f0) * pow(1.0 - clamp(dot(n, e), 0.0, 1.0), 5.0);
  vec3 c = vec3(0.0);
  vec3 left = vec3(1.0 - mirrored);
  vec3 tint = pow(max(colour, vec3(0.004)), vec3(1.1 / wide));
  for (int k = 0; k < 6; k += 1) {
    float t = 1e30;
    vec3 out_ = n;
    for (int i = 0; i < facetCount; i += 1) {
      float toward = dot(d, facets[i].xyz);
      float until = (facets[i].w - dot(place, facets[i].xyz)) / toward;
      if (toward > 1e-5 && until < t) {
        t = until;
        out_ = facets[i].xyz;
      }
    }
    if (t > 1e29) break;
    t = max(t, 0.0);
    place += d * t;
    left *= pow(tint, vec3(t));
    float inner = dot(d, out_);
    // unpolarised light, at the middle index for all three colours
    float sine = index * index * (1.0 - inner * inner);
    vec3 goes = vec3(0.0);
    float stays = 1.0;
    if (sine < 1.0) {
      float outer = sqrt(1.0 - sine);
      float a = (inner - index * outer) / (inner + index * outer);
      float b = (outer - index * inner) / (outer + index * inner);
      stays = 0.5 * (a * a + b * b);
      vec3 green = refract(d, -out_, index);
      vec3 red = refract(d, -out_, index * 0.99);
      vec3 blue = refract(d, -out_, index * 1.012);
      vec3 seen = surroundings(green, 0.02);
      if (dot(red, red) > 0.0) seen.r = surroundings(red, 0.02).r;
      if (dot(blue, blue) > 0.0) seen.b = surroundings(blue, 0.02).b;
      goes = seen * (1.0 - stays);
    }
    c += left * goes;
    left *= stays;
    d = reflect(d, out_);
  }
  c += left * 0.6; // what is still within comes out somewhere
  return 1.35 * c + s * mirrored;
}
#endif

// the ways of drawing that take colour away
vec3 paled(vec3 c, float light) {
  if (grey > 0.0) c = mix(c, mix(paper, ink, 0.16) * (0.72 + 0.28 * light), grey);
  if (shade < 1.0) c = mix(paper, c, shade);
  if (pale > 0.0) c = mix(c, mix(paper, ink, 0.10), pale);
  return c;
}

// on coarse round bodies the shading turns away before the face does: no farther than the horizon
vec3 toward(vec3 n, vec3 e) {
  float f = dot(n, e);
  return f < 0.0 ? normalize(n + e * (0.03 - f)) : n;
}
`

/*
 * What costs is said in defines (`draws`), for without a graphics card both sides of a branch are worked out: STONE and GLASS
 * (a finish of the body is one), BANDS, CUT, FINISHED (faces of other finishes), HATCHED (marks of change), OUTLINED (its
 * outline is drawn by itself, Outline.ts), FINE: faces of a few pixels are lit at their corners, as micropolygons are (Cook,
 * Carpenter, Catmull, The Reyes image rendering architecture, 1987); four times as many places are lit else, for each small
 * triangle lights whole blocks of pixels.
 */
export const bodyVertex = /* glsl */ `
precision highp float;
uniform mat4 modelViewMatrix, projectionMatrix, modelMatrix;
in vec3 position;
in vec4 normal;
in vec4 edge;
out vec3 vE;
#ifdef FINISHED
flat out vec3 vColour, vLook;
#endif
#if defined(FINISHED) || defined(FINE)
uniform vec3 colours[16];
uniform vec3 looks[16];
#endif
#ifdef HATCHED
in float changed;
flat out float vChanged;
#endif
#ifdef CUT
uniform vec4 cuts[2];
out vec2 vCut;
#endif
#ifdef FINE
out vec4 vLit;
${lit}
#else
out vec3 vN, vWorld;
#endif
void main() {
#ifdef CUT
  vCut = vec2(dot(cuts[0].xyz, position) + cuts[0].w, dot(cuts[1].xyz, position) + cuts[1].w);
#endif
#ifdef HATCHED
  vChanged = changed;
#endif
  vec4 place = vec4(position, 1.0);
  vec3 world = (modelMatrix * place).xyz;
  vec3 across = mat3(modelMatrix) * normal.xyz;
  vE = edge.xyz;
#if defined(FINISHED) || defined(FINE)
  int which = clamp(int(normal.w * 127.0 + 0.5), 0, 15);
#endif
#ifdef FINE
  vec3 n = normalize(across);
  vec3 e = normalize(eye.xyz - eye.w * world);
  vLit.w = dot(n, e);
  n = toward(n, e);
  float light = brightness(n);
  vLit.rgb = paled(shaded(colours[which], looks[which], light, surroundings(2.0 * dot(n, e) * n - e, looks[which].y)), light);
#else
  vWorld = world;
  vN = across;
#endif
#if defined(FINISHED) && !defined(FINE)
  vColour = colours[which];
  vLook = looks[which];
#endif
  gl_Position = projectionMatrix * (modelViewMatrix * place);
}`

export const bodyFragment = /* glsl */ `
precision highp float;
uniform vec3 moss;
uniform float lines, alpha, bands;
${lit}
in vec3 vE;
uniform vec3 colours[16];
uniform vec3 looks[16];
#ifdef FINE
in vec4 vLit;
#else
in vec3 vN, vWorld;
#ifdef FINISHED
flat in vec3 vColour, vLook;
#endif
#endif
#ifdef HATCHED
flat in float vChanged;
#endif
out vec4 result;
#ifdef CUT
in vec2 vCut;
uniform float whole;
#endif

void main() {
#ifdef CUT
  if (vCut.x > 0.0 && vCut.y > 0.0) discard;
#endif
  vec3 w = max(fwidth(vE), vec3(1e-6));
#ifdef FINE
  float f = vLit.w;
#ifndef OUTLINED
  float turning = fwidth(f);
#endif
#ifdef CUT
  if (!gl_FrontFacing) { result = vec4(mix(paper, colours[0], 0.3), 1.0); return; }
#endif
  vec3 c = vLit.rgb;
#else
#ifdef FINISHED
  vec3 colour = vColour;
  vec3 look = vLook;
#else
  vec3 colour = colours[0];
  vec3 look = looks[0];
#endif
  vec3 n = normalize(vN);
  vec3 e = normalize(eye.xyz - eye.w * vWorld);
  bool back = !gl_FrontFacing;
  if (back) n = -n;
  float f = dot(n, e);
  float turning = fwidth(f);
  vec3 across = cross(dFdx(vWorld), dFdy(vWorld));
  n = toward(n, e);
  vec3 r = 2.0 * dot(n, e) * n - e;
  float light = brightness(n);
  vec3 s = surroundings(r, look.y);
#ifdef CUT
  // through the cut the inside of a closed body shows only until its cap is there
  if (back && whole > 0.5) { result = vec4(mix(paper, colour, 0.3), 1.0); return; }
#endif
  vec3 c = shaded(colour, look, light, s);
#ifdef TRACED
  if (look.z > 1.0) c = traced(colour, vWorld, n, e, look.z, s);
#elif defined(STONE)
  if (look.z > 1.0) c = stone(colour, n, e, look.z, s);
#endif
  if (back && look.z == 0.0) c = mix(c * 0.35, vec3(0.75, 0.25, 0.2), 0.45);
#ifdef BANDS
  // light bands: as strip lights all round would be mirrored; a kink in them is a kink in the surface
  if (bands > 0.5) {
    float s6 = acos(clamp(r.z, -1.0, 1.0)) * 5.0929582;
    float d = abs(fract(s6) - 0.5) - 0.25;
    float v = max(fwidth(s6), 1e-4);
    float k = v > 0.6 ? 0.5 : smoothstep(-v, v, d);
    c = mix(mix(ink, paper, 0.16), mix(ink, paper, 0.96), k) * (0.9 + 0.1 * light);
    if (back) c = mix(c, vec3(0.75, 0.25, 0.2), 0.5);
  }
#endif
  c = paled(c, light);
#endif

#ifdef HATCHED
  // where a face changed: thin hatching, as a section is hatched
  float h = fract((gl_FragCoord.x + gl_FragCoord.y) / 7.0);
  c = mix(c, moss, step(0.5, vChanged) * (1.0 - smoothstep(0.13, 0.24, abs(h - 0.5))) * 0.85);
#endif

  // polygon edges: hairlines that fade where they get dense, each side by its own density
  float inked = 0.0;
  if (lines > 0.5) {
    vec3 k = clamp(1.3 - vE / w, 0.0, 1.0) * clamp((0.30 - w) * 4.5, 0.0, 1.0);
    inked = max(max(k.x, k.y), k.z) * mix(0.80, 0.32, shade);
    c = mix(c, mix(ink, vec3(0.11, 0.14, 0.12), shade), inked);
  }

  // contour of round parts: where the shading turns away (a px from there f is twice its change over a px), and not the whole of a coarse face behind it
  float outline = 0.0;
#ifndef OUTLINED
  if (abs(f) < 2.6 * turning && turning < 0.5) {
    outline = 1.0 - smoothstep(1.4, 2.6, abs(f) / turning);
#ifndef FINE
    float facing = dot(across, e) * dot(across, e) / max(dot(across, across), 1e-30);
    outline *= 1.0 - smoothstep(0.0625, 0.16, facing);
#endif
    c = mix(c, ink, outline);
  }
#elif !defined(FINE)
  // of the far side a pixel may come through at the outline
  if (back && abs(f) < 2.6 * turning) c = ink;
#endif
  float through = alpha;
#if defined(GLASS) && !defined(FINE)
  if (look.z > 0.0 && look.z <= 1.0) {
    // glass: little of its own colour where it is looked through, more where it is looked along (Schlick 1994), and what it mirrors
    float rim = pow(1.0 - min(abs(f), 1.0), 4.0);
    float glint = max(max(s.r, s.g) - 0.9, 0.0);
    float own = clamp(0.16 + 0.6 * rim + glint, 0.0, 1.0);
    through *= max(mix(1.0, own, look.z), max(outline, inked));
  }
#endif
  result = vec4(c, through);
}`

/** The outline before the change: only the contour of the old body, dashed. */
export const ghostFragment = /* glsl */ `
precision highp float;
uniform vec3 ink;
uniform vec4 eye;
in vec3 vN, vWorld;
out vec4 result;
void main() {
  float f = abs(dot(normalize(vN), normalize(eye.xyz - eye.w * vWorld)));
  float g = f / max(fwidth(f), 1e-5);
  float along = mod(gl_FragCoord.x + gl_FragCoord.y * 1.3, 22.0);
  bool gap = (along > 12.0 && along < 14.0) || (along > 16.0 && along < 18.0) || along > 20.0;
  if (g > 1.4 || gap) discard;
  result = vec4(ink, 1.0);
}`
