import type { Look } from '@ample-skin/core/recipe';
import * as THREE from 'three';

const vertex = /* glsl */ `
attribute vec3 bendX;
attribute vec3 bendY;
attribute vec2 iso;
attribute vec2 mapped;
varying highp vec2 vIso;
varying highp vec2 vMapped;
varying highp vec3 vPositionW;
varying highp vec3 vPlace;
varying highp vec3 vBase;
varying highp vec3 vBendX;
varying highp vec3 vBendY;
vec3 bent(vec3 x) {
  return vec3(dot(bendX, x), bendX.y * x.x + bendY.x * x.y + bendY.y * x.z, bendX.z * x.x + bendY.y * x.y + bendY.z * x.z);
}
#include <clipping_planes_pars_vertex>
void main() {
  vec4 w = modelMatrix * vec4(position, 1.0);
  vPositionW = w.xyz;
  vPlace = position;
  vBase = normalize(normal) - 0.5 * bent(position);
  vBendX = bendX;
  vBendY = bendY;
  vIso = iso;
  vMapped = mapped;
  vec4 mvPosition = viewMatrix * w;
  gl_Position = projectionMatrix * mvPosition;
  #include <clipping_planes_vertex>
}`;

/**
 * Looks are variants of one shader: a rasteriser without a graphics card runs every branch it finds. Normals between the corners of triangles differ from the surface's own by less than 0.05 degrees. Stripes are the reflection of evenly spaced bands and are
 * filtered by their own screen-space width, so that they stay crisp at any zoom.
 */
const fragment = /* glsl */ `
uniform vec3 outside;
uniform vec3 inside;
uniform vec3 clay;
uniform vec3 tint;
uniform float tintAmount;
uniform float count;
uniform vec3 direction;
uniform float fade;
uniform float veil;
uniform float perspective;
uniform vec3 viewDirection;
uniform vec3 page;
uniform vec3 ink;
uniform vec3 rust;
uniform vec3 barAcross;
uniform vec3 barMiddle;
uniform vec3 bars;
uniform float isoparms;
uniform sampler2D ramp;
uniform vec2 range;
uniform float bands;
varying highp vec2 vIso;
varying highp vec2 vMapped;
varying highp vec3 vPositionW;
varying highp vec3 vPlace;
varying highp vec3 vBase;
varying highp vec3 vBendX;
varying highp vec3 vBendY;
uniform mat4 modelMatrix;

#include <clipping_planes_pars_fragment>
/** Exact up to the second degree between the corners: what each corner's normal changes by counts half (core/brep/shading.ts). */
vec3 normalHere() {
  vec3 x = vPlace;
  vec3 bent = vec3(dot(vBendX, x), vBendX.y * x.x + vBendY.x * x.y + vBendY.y * x.z, vBendX.z * x.x + vBendY.y * x.y + vBendY.z * x.z);
  return normalize(mat3(modelMatrix) * (vBase + 0.5 * bent));
}

/** Coverage of a line at x = 0 of a quantity that grows by w over a pixel. */
float lineAt(float x, float w, float width) {
  return clamp(0.5 * width + 0.5 - abs(x) / max(w, 1e-9), 0.0, 1.0);
}
#if LOOK == 4
/** A room with a soft ceiling, two tall windows and a darker floor. */
vec3 room(vec3 r) {
  float up = r.z;
  float walls = mix(0.30, 0.62, smoothstep(-0.5, 0.7, up));
  float ceiling = smoothstep(0.45, 0.8, up) * 0.5;
  float turn = atan(r.y, r.x);
  float a = abs(mod(turn - 0.9 + 3.14159265, 6.2831853) - 3.14159265);
  float b = abs(mod(turn + 2.0 + 3.14159265, 6.2831853) - 3.14159265);
  float tall = smoothstep(-0.25, 0.0, up) * (1.0 - smoothstep(0.5, 0.7, up));
  float window = tall * (smoothstep(0.42, 0.3, a) + 0.7 * smoothstep(0.25, 0.15, b));
  return vec3(1.0, 0.99, 0.97) * (walls + ceiling + 0.75 * window);
}
#endif

void main() {
  #include <clipping_planes_fragment>
#if PROBE > 0
  // what is shaded, read back: the normal that every look uses, or the place it stands on
  gl_FragColor = vec4(PROBE == 1 ? normalHere() : vPositionW, 1.0);
  return;
#endif
  vec3 toEye = perspective > 0.5 ? normalize(cameraPosition - vPositionW) : -viewDirection;
  vec3 n = normalHere();
  bool front = gl_FrontFacing;
#ifdef FLIP_SIDED
  // the pass that draws the far sides of what is seen through
  front = !front;
#endif
  if (!front) n = -n;
  float facing = max(dot(n, toEye), 0.0);
  vec3 up = vec3(0.0, 0.0, 1.0);
  float sky = 0.5 + 0.5 * dot(n, up);
  float light = 0.52 + 0.34 * facing + 0.16 * sky;
  vec3 side = front ? outside : inside;
#if LOOK == 0
  side = clay;
#endif
  vec3 colour = side * light;
  float alpha = veil;
#if LOOK == 2
  {
    vec3 r = reflect(-toEye, n);
    float phase = count * acos(clamp(dot(r, direction), -1.0, 1.0)) / 3.14159265;
    float w = max(fwidth(phase), 1e-5);
    float x = abs(fract(phase) - 0.5) - 0.25;
    float band = clamp(x / w + 0.5, 0.0, 1.0);
    // where bands are finer than a pixel they melt into their mean
    band = mix(band, 0.5, clamp((w - 0.35) * 2.0, 0.0, 1.0));
    vec3 dark = side * 0.36;
    vec3 bright = side * 1.08 + 0.06;
    colour = mix(dark, bright, band) * (0.72 + 0.34 * facing);
  }
#elif LOOK == 3
  {
    // bars of light far away: bands across one direction, each as wide as it is set
    vec3 r = reflect(-toEye, n);
    float x = degrees(asin(clamp(dot(r, barAcross), -1.0, 1.0)));
    float w = max(fwidth(x), 1e-5);
    float lit = 0.0;
    float first = -0.5 * (bars.x - 1.0) * bars.y;
    for (int i = 0; i < 12; i++) {
      if (float(i) >= bars.x) break;
      lit = max(lit, clamp((0.5 * bars.z - abs(x - first - float(i) * bars.y)) / w + 0.5, 0.0, 1.0));
    }
    lit *= smoothstep(-0.05, 0.05, dot(r, barMiddle));
    vec3 dark = side * (0.30 + 0.25 * facing);
    colour = mix(dark, vec3(1.0), lit * 0.92);
  }
#elif LOOK == 4
  {
    vec3 r = reflect(-toEye, n);
    float fresnel = 0.06 + 0.5 * pow(1.0 - facing, 4.0);
    colour = side * (0.34 + 0.24 * facing + 0.12 * sky) + room(r) * (0.36 + fresnel) * 0.85;
  }
#elif LOOK == 6
  alpha *= 0.16 + 0.5 * pow(1.0 - facing, 2.0);
#elif LOOK == 7
  {
    // where the surface turns away within a pixel or so
    float turn = dot(n, toEye);
    colour = mix(page, ink, lineAt(turn, fwidth(turn), 2.6));
  }
#elif LOOK == 8
  {
    if (vMapped.y > 1.0) {
      float h = step(0.5, fract((gl_FragCoord.x - gl_FragCoord.y) / 9.0));
      colour = mix(vec3(0.72), vec3(0.80), h) * (0.7 + 0.3 * facing);
    } else {
      float t = clamp((vMapped.x - range.x) / (range.y - range.x), 0.0, 1.0);
      if (bands > 0.5) t = (min(floor(t * bands), bands - 1.0) + 0.5) / bands;
      colour = texture2D(ramp, vec2(t * 255.0 / 256.0 + 0.5 / 256.0, 0.5)).rgb * (0.84 + 0.16 * facing);
      if (vMapped.y > 0.5) colour = mix(colour, rust, 0.85 * step(0.62, fract((gl_FragCoord.x + gl_FragCoord.y) / 9.0)));
    }
  }
#endif
#if ISO || LOOK == 5
  {
    vec2 at = vIso * (isoparms > 0.5 ? isoparms : 6.0);
    vec2 w = fwidth(at);
    vec2 x = fract(at + 0.5) - 0.5;
    float on = max(w.x < 0.4 ? lineAt(x.x, w.x, 1.3) : 0.0, w.y < 0.4 ? lineAt(x.y, w.y, 1.3) : 0.0);
#if LOOK == 5
    if (on < 0.05) discard;
    colour = ink;
    alpha *= on * (front ? 0.9 : 0.45);
#else
    colour = mix(colour, ink, on * 0.75);
    alpha = max(alpha, on);
#endif
  }
#endif
  colour = mix(colour, tint, tintAmount);
  gl_FragColor = vec4(mix(colour, vec3(dot(colour, vec3(0.333))), fade * 0.75), alpha);
  #include <colorspace_fragment>
}`;

export function surfaceMaterial(): THREE.ShaderMaterial {
  const material = new THREE.ShaderMaterial({
    vertexShader: vertex,
    fragmentShader: fragment,
    side: THREE.DoubleSide,
    clipping: true,
    polygonOffset: true,
    // lines are up to some pixels wide: a skin gives way by its own slope over that width, so that none is cut into dots
    polygonOffsetFactor: 2.5,
    polygonOffsetUnits: 4,
    defines: { LOOK: 1, ISO: 0, PROBE: 0 },
    uniforms: {
      outside: { value: new THREE.Color() },
      inside: { value: new THREE.Color() },
      clay: { value: new THREE.Color() },
      tint: { value: new THREE.Color() },
      tintAmount: { value: 0 },
      count: { value: 18 },
      direction: { value: new THREE.Vector3(0, 0, 1) },
      fade: { value: 0 },
      veil: { value: 1 },
      perspective: { value: 1 },
      viewDirection: { value: new THREE.Vector3(0, 0, -1) },
      page: { value: new THREE.Color() },
      ink: { value: new THREE.Color() },
      rust: { value: new THREE.Color() },
      barAcross: { value: new THREE.Vector3(0, 0, 1) },
      barMiddle: { value: new THREE.Vector3(0, 0, 1) },
      bars: { value: new THREE.Vector3(3, 24, 7) },
      isoparms: { value: 0 },
      ramp: { value: null as THREE.Texture | null },
      range: { value: new THREE.Vector2(0, 1) },
      bands: { value: 0 },
    },
  });
  return material;
}

/** Looks as the shader counts them. */
const LOOK: Record<Look, number> = { clay: 0, sides: 1, stripes: 2, bars: 3, gloss: 4, wire: 5, glass: 6, lines: 7, map: 8 };
/** Gives a skin its look, and isoparms over it (spans between two of them, 0 for none). */
export function wear(m: THREE.ShaderMaterial, look: Look, isoparms: number): void {
  const defines = { LOOK: LOOK[look], ISO: isoparms > 0 ? 1 : 0, PROBE: 0 };
  m.uniforms.isoparms.value = isoparms;
  if (m.defines.LOOK === defines.LOOK && m.defines.ISO === defines.ISO) return;
  m.defines = defines;
  m.needsUpdate = true;
}
