import type { Vec3 } from '@ample-skin/core/math';
import * as THREE from 'three';
import { Line2 } from 'three/examples/jsm/lines/Line2.js';
import { LineGeometry } from 'three/examples/jsm/lines/LineGeometry.js';
import { LineMaterial } from 'three/examples/jsm/lines/LineMaterial.js';
import type { ViewTheme } from './theme.ts';

export type LineKind = 'ink' | 'rim' | 'page' | 'plum' | 'soft' | 'brass' | 'gridStrong' | 'x' | 'y' | `#${string}`;

/** Screen-space lines: one material per kind and width, coloured by the theme. */
export class LineKit {
  private readonly materials = new Map<string, LineMaterial>();
  constructor(private theme: ViewTheme) {}

  setTheme(theme: ViewTheme): void {
    this.theme = theme;
    for (const [k, m] of this.materials) m.color.set(this.colour(k.split('|')[0] as LineKind));
  }
  resize(width: number, height: number): void {
    for (const m of this.materials.values()) m.resolution.set(width, height);
  }
  private colour(kind: LineKind): string {
    const t = this.theme;
    if (kind[0] === '#') return kind;
    return {
      ink: t.ink,
      rim: t.rust,
      page: t.page,
      plum: t.plum,
      soft: t.gridStrong,
      brass: t.brass,
      gridStrong: t.gridStrong,
      x: t.rust,
      y: t.loden,
    }[kind as 'ink'];
  }
  material(kind: LineKind, width: number, onTop = false): LineMaterial {
    const key = `${kind}|${width}|${onTop}`;
    let m = this.materials.get(key);
    if (!m) {
      m = new LineMaterial({ color: this.colour(kind), linewidth: width, depthTest: !onTop, transparent: onTop });
      this.materials.set(key, m);
    }
    return m;
  }
  private readonly dots = new Map<string, THREE.PointsMaterial>();
  /** Round marks in front of everything, `size` in pixels. */
  dot(colour: string, size: number): THREE.PointsMaterial {
    const key = `${colour}|${size}`;
    let m = this.dots.get(key);
    if (!m) this.dots.set(key, (m = new THREE.PointsMaterial({ color: colour, size, sizeAttenuation: false, depthTest: false })));
    return m;
  }
  private readonly hairs = new Map<string, THREE.LineBasicMaterial>();
  private hair(key: string, make: () => THREE.LineBasicMaterial): THREE.LineBasicMaterial {
    let m = this.hairs.get(key);
    if (!m) this.hairs.set(key, (m = make()));
    return m;
  }
  /** One pixel wide, in front of everything. */
  thin(colour: string, opacity: number): THREE.LineBasicMaterial {
    return this.hair(`thin|${colour}`, () => new THREE.LineBasicMaterial({ color: colour, transparent: true, opacity, depthTest: false }));
  }
  /** One pixel wide, behind everything: drawn first, without depth. */
  ground(colour: string): THREE.LineBasicMaterial {
    return this.hair(`ground|${colour}`, () => new THREE.LineBasicMaterial({ color: colour, depthTest: false, depthWrite: false }));
  }
  polyline(points: ArrayLike<number>, material: LineMaterial, order = 1): Line2 {
    const g = new LineGeometry();
    g.setPositions(Array.from(points));
    const l = new Line2(g, material);
    l.renderOrder = order;
    return l;
  }
}

/** Weight of a seam line in pixels: it grows as the grade falls. */
export const SEAM_WEIGHT: Readonly<Record<string, number>> = { G3: 0.8, G2: 1.1, G1: 1.8, G0: 2.6, open: 3.4 };
export const RIM_OUTER = 4.4;
export const RIM_INNER = 1.8;

export const gap = (a: Vec3, b?: readonly number[]): number => (b ? Math.hypot(a[0] - b[0], a[1] - b[1], a[2] - b[2]) : 0);
/** Point halfway along a polyline, in world coordinates. */
export function middle(points: Float32Array, o: Vec3): [number, number, number] {
  const k = Math.floor(points.length / 6) * 3;
  return [points[k] + o[0], points[k + 1] + o[1], points[k + 2] + o[2]];
}
/** Does a place belong to this line, among several of one name? */
export function nearLine(l: { points: Float32Array; origin: Vec3 }, near?: readonly number[]): boolean {
  if (!near) return true;
  let least = Infinity;
  for (let i = 0; i + 2 < l.points.length; i += 3)
    least = Math.min(
      least,
      Math.hypot(l.points[i] + l.origin[0] - near[0], l.points[i + 1] + l.origin[1] - near[1], l.points[i + 2] + l.origin[2] - near[2]),
    );
  const size = Math.hypot(
    l.points[0] - l.points[l.points.length - 3],
    l.points[1] - l.points[l.points.length - 2],
    l.points[2] - l.points[l.points.length - 1],
  );
  return least < Math.max(0.5, size * 0.2);
}
