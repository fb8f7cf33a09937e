import type { Vec3 } from '@ample-skin/core/math';
import { sectionFrame } from '@ample-skin/core/sheets/frame';
import type { SectionView } from '@ample-skin/engine';
import * as THREE from 'three';
import { LineMaterial } from 'three/examples/jsm/lines/LineMaterial.js';
import type { LineKit } from './lines.ts';
import type { ViewTheme } from './theme.ts';

/** What is kept lies where the plane's own side is. */
export const clipPlane = (origin: Vec3, normal: Vec3): THREE.Plane => {
  const n = new THREE.Vector3(...normal).normalize().negate();
  return new THREE.Plane(n, -n.dot(new THREE.Vector3(...origin)));
};
export interface ShownSection {
  readonly id: string;
  readonly cut: readonly SectionView[];
  /** Planes of the other sections: they cut its caps too. */
  readonly others: THREE.Plane[];
  readonly chosen: boolean;
  readonly origin: Vec3;
  readonly normal: Vec3;
}

/** Caps of sections: the material that is cut, hatched, with its outline; and the frame of the one that is chosen. */
export class Caps {
  readonly group = new THREE.Group();
  /** Materials by section and colour: making them anew with every move would compile them anew. */
  private readonly outlines = new Map<string, LineMaterial>();
  private readonly fills = new Map<string, THREE.ShaderMaterial>();
  /** What was drawn of each section's cut, to be drawn again only when it is another one. */
  private readonly drawn = new Map<string, { cut: readonly SectionView[]; colours: string; group: THREE.Group }>();
  private frame?: THREE.Object3D;
  constructor(private readonly kit: LineKit) {}

  resize(width: number, height: number): void {
    for (const m of this.outlines.values()) m.resolution.set(width, height);
  }
  show(
    list: readonly ShownSection[],
    theme: ViewTheme,
    colourOf: (key: string) => string,
    box: { min: Vec3; max: Vec3 } | undefined,
  ): void {
    for (const [id, d] of this.drawn) if (!list.some((s) => s.id === id)) this.forget(id, d.group);
    for (const s of list) {
      const outline = kept(this.outlines, s.id, () => new LineMaterial({ linewidth: 2.4 }));
      outline.color.set(theme.ink);
      outline.clippingPlanes = s.others;
      const colours = s.cut.map((v) => colourOf(v.piece)).join();
      for (const v of s.cut) {
        const fill = kept(this.fills, `${s.id} ${colourOf(v.piece)}`, () => capMaterial(colourOf(v.piece)));
        fill.uniforms.ink.value.set(theme.ink);
        fill.clippingPlanes = s.others;
      }
      const before = this.drawn.get(s.id);
      if (before && before.cut === s.cut && before.colours === colours) continue;
      if (before) this.forget(s.id, before.group);
      const group = new THREE.Group();
      for (const v of s.cut) {
        if (v.indices.length) {
          const g = new THREE.BufferGeometry();
          g.setAttribute('position', new THREE.BufferAttribute(v.positions, 3));
          g.setIndex(new THREE.BufferAttribute(v.indices, 1));
          const cap = new THREE.Mesh(g, this.fills.get(`${s.id} ${colourOf(v.piece)}`));
          cap.position.set(...(v.origin as [number, number, number]));
          group.add(cap);
        }
        for (const l of v.lines) {
          const line = this.kit.polyline(l, outline, 3);
          line.position.set(...(v.origin as [number, number, number]));
          group.add(line);
        }
      }
      this.group.add(group);
      this.drawn.set(s.id, { cut: s.cut, colours, group });
    }
    if (this.frame) clear(this.frame);
    const chosen = list.find((s) => s.chosen);
    this.frame = chosen && box ? this.kit.polyline(frameOf(chosen, box), this.kit.material('plum', 1.6), 4) : undefined;
    if (this.frame) this.group.add(this.frame);
  }
  private forget(id: string, group: THREE.Group): void {
    clear(group);
    this.drawn.delete(id);
  }
}
function clear(o: THREE.Object3D): void {
  o.removeFromParent();
  o.traverse((c) => (c as THREE.Mesh).geometry?.dispose());
}
function kept<T>(map: Map<string, T>, key: string, make: () => T): T {
  const known = map.get(key) ?? make();
  map.set(key, known);
  return known;
}

/** Flat colour with fine lines under 45 degrees, the same width at any zoom. */
function capMaterial(colour: string): THREE.ShaderMaterial {
  return new THREE.ShaderMaterial({
    vertexShader: /* glsl */ `
#include <clipping_planes_pars_vertex>
void main() {
  vec4 mvPosition = modelViewMatrix * vec4(position, 1.0);
  gl_Position = projectionMatrix * mvPosition;
  #include <clipping_planes_vertex>
}`,
    fragmentShader: /* glsl */ `
uniform vec3 colour;
uniform vec3 ink;
#include <clipping_planes_pars_fragment>
void main() {
  #include <clipping_planes_fragment>
  float h = abs(fract((gl_FragCoord.x + gl_FragCoord.y) / 11.0) - 0.5);
  gl_FragColor = vec4(mix(colour * 0.82, ink, 0.55 * smoothstep(0.43, 0.47, h)), 1.0);
  #include <colorspace_fragment>
}`,
    side: THREE.DoubleSide,
    clipping: true,
    uniforms: { colour: { value: new THREE.Color(colour) }, ink: { value: new THREE.Color() } },
  });
}

/** A square in the plane of a section, as large as what is in view. */
function frameOf(s: ShownSection, box: { min: Vec3; max: Vec3 }): number[] {
  const { x, y } = sectionFrame(s.origin, s.normal);
  const half = 0.6 * Math.hypot(box.max[0] - box.min[0], box.max[1] - box.min[1], box.max[2] - box.min[2]) * 0.75;
  const at = (a: number, b: number) => s.origin.map((o, k) => o + half * (a * x[k] + b * y[k]));
  return [at(-1, -1), at(1, -1), at(1, 1), at(-1, 1), at(-1, -1)].flat();
}
