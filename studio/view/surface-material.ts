import * as THREE from 'three';

const vertex = /* glsl */ `
attribute vec3 bendX;
attribute vec3 bendY;
varying highp vec3 vPositionW;
varying highp vec3 vPlace;
varying highp vec3 vBase;
varying highp vec3 vBendX;
varying highp vec3 vBendY;
vec3 bent(vec3 x) {
  return vec3(dot(bendX, x), bendX.y * x.x + bendY.x * x.y + bendY.y * x.z, bendX.z * x.x + bendY.y * x.y + bendY.z * x.z);
}
void main() {
  vec4 w = modelMatrix * vec4(position, 1.0);
  vPositionW = w.xyz;
  vPlace = position;
  vBase = normalize(normal) - 0.5 * bent(position);
  vBendX = bendX;
  vBendY = bendY;
  gl_Position = projectionMatrix * viewMatrix * w;
}`;

/**
 * One shader for all looks. Normals between the corners of triangles differ from the surface's own by less than 0.05 degrees. Stripes are the reflection of evenly spaced bands and are
 * filtered by their own screen-space width, so that they stay crisp at any zoom.
 */
const fragment = /* glsl */ `
uniform int look;
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
varying highp vec3 vPositionW;
varying highp vec3 vPlace;
varying highp vec3 vBase;
varying highp vec3 vBendX;
varying highp vec3 vBendY;
uniform mat4 modelMatrix;

/** Exact up to the second degree between the corners: what each corner's normal changes by counts half (core/brep/shading.ts). */
vec3 normalHere() {
  vec3 x = vPlace;
  vec3 bent = vec3(dot(vBendX, x), vBendX.y * x.x + vBendY.x * x.y + vBendY.y * x.z, vBendX.z * x.x + vBendY.y * x.y + vBendY.z * x.z);
  return normalize(mat3(modelMatrix) * (vBase + 0.5 * bent));
}

void main() {
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
  vec3 base = look == 0 ? clay : (front ? outside : inside);
  vec3 colour = base * light;
  if (look == 2) {
    vec3 r = reflect(-toEye, n);
    float phase = count * acos(clamp(dot(r, direction), -1.0, 1.0)) / 3.14159265;
    float w = max(fwidth(phase), 1e-5);
    float x = abs(fract(phase) - 0.5) - 0.25;
    float band = clamp(x / w + 0.5, 0.0, 1.0);
    // where bands are finer than a pixel they melt into their mean
    band = mix(band, 0.5, clamp((w - 0.35) * 2.0, 0.0, 1.0));
    vec3 dark = (front ? outside : inside) * 0.36;
    vec3 bright = (front ? outside : inside) * 1.08 + 0.06;
    colour = mix(dark, bright, band) * (0.72 + 0.34 * facing);
  }
  colour = mix(colour, tint, tintAmount);
  gl_FragColor = vec4(mix(colour, vec3(dot(colour, vec3(0.333))), fade * 0.75), veil);
  #include <colorspace_fragment>
}`;

export function surfaceMaterial(): THREE.ShaderMaterial {
  const material = new THREE.ShaderMaterial({
    vertexShader: vertex,
    fragmentShader: fragment,
    side: THREE.DoubleSide,
    polygonOffset: true,
    // lines are up to some pixels wide: a skin gives way by its own slope over that width, so that none is cut into dots
    polygonOffsetFactor: 2.5,
    polygonOffsetUnits: 4,
    uniforms: {
      look: { value: 1 },
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
    },
  });
  return material;
}
