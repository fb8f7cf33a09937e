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
    this.hairs.get('net')?.color.set(theme.slate);
    for (const [k, m] of this.materials) m.color.set(this.colour(k.split('|')[0] as LineKind));
  }
  private planes: THREE.Plane[] = [];
  /** What lies beyond the planes is not drawn. */
  clip(planes: THREE.Plane[]): void {
    this.planes = planes;
    const net = this.hairs.get('net');
    for (const m of [...this.materials.values(), ...this.plains.values(), ...(net ? [net] : [])]) m.clippingPlanes = planes;
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
      m.clippingPlanes = this.planes;
      this.materials.set(key, m);
    }
    return m;
  }
  private readonly dots = new Map<string, THREE.PointsMaterial>();
  /** Round marks in front of everything, `size` in pixels. */
  /** Dots of so many pixels, in front of everything or hidden by what stands before them. */
  dot(colour: string, size: number, hides = false): THREE.PointsMaterial {
    const key = `${colour}|${size}|${hides}`;
    let m = this.dots.get(key);
    if (!m) this.dots.set(key, (m = new THREE.PointsMaterial({ color: colour, size, sizeAttenuation: false, depthTest: hides })));
    return m;
  }
  private readonly hairs = new Map<string, THREE.LineBasicMaterial>();
  private hair(key: string, make: () => THREE.LineBasicMaterial): THREE.LineBasicMaterial {
    let m = this.hairs.get(key);
    if (!m) this.hairs.set(key, (m = make()));
    return m;
  }
  private readonly plains = new Map<number, THREE.LineBasicMaterial>();
  /** One pixel wide, where it is: what lines are drawn with that have to come quickly. */
  plain(colour: THREE.Color): THREE.LineBasicMaterial {
    const key = colour.getHex();
    let m = this.plains.get(key);
    if (!m) {
      this.plains.set(key, (m = new THREE.LineBasicMaterial({ color: colour })));
      m.clippingPlanes = this.planes;
    }
    return m;
  }
  /** One pixel wide, for edges of cages: in the colour of soft lines. */
  net(): THREE.LineBasicMaterial {
    const m = this.hair('net', () => new THREE.LineBasicMaterial({ color: this.theme.slate }));
    m.clippingPlanes = this.planes;
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
/** Point halfway along a polyline, by length, in world coordinates. */
export function middle(points: Float32Array, o: Vec3): [number, number, number] {
  const at = (i: number): Vec3 => [points[i] + o[0], points[i + 1] + o[1], points[i + 2] + o[2]];
  const lengths: number[] = [];
  for (let i = 0; i + 5 < points.length; i += 3) lengths.push(gap(at(i), at(i + 3)));
  let left = lengths.reduce((a, b) => a + b, 0) / 2;
  let k = 0;
  while (k < lengths.length - 1 && left > lengths[k]) left -= lengths[k++];
  const t = lengths[k] > 0 ? Math.min(1, left / lengths[k]) : 0;
  const [p, q] = [at(3 * k), at(Math.min(3 * k + 3, points.length - 3))];
  return [p[0] + t * (q[0] - p[0]), p[1] + t * (q[1] - p[1]), p[2] + t * (q[2] - p[2])];
}
/** Does a place belong to this line, among several of one name? */
export function nearLine(l: { points: Float32Array; origin: Vec3 }, near?: readonly number[]): boolean {
  if (!near) return true;
  const p = l.points;
  const to: Vec3 = [near[0] - l.origin[0], near[1] - l.origin[1], near[2] - l.origin[2]];
  let least = p.length ? gap([p[0], p[1], p[2]], to) : Infinity;
  for (let i = 0; i + 5 < p.length; i += 3) {
    const d = [p[i + 3] - p[i], p[i + 4] - p[i + 1], p[i + 5] - p[i + 2]];
    const l2 = d[0] * d[0] + d[1] * d[1] + d[2] * d[2];
    const along = (to[0] - p[i]) * d[0] + (to[1] - p[i + 1]) * d[1] + (to[2] - p[i + 2]) * d[2];
    const t = l2 > 0 ? Math.min(1, Math.max(0, along / l2)) : 0;
    least = Math.min(least, gap([p[i] + t * d[0], p[i + 1] + t * d[1], p[i + 2] + t * d[2]], to));
  }
  const size = gap([p[0], p[1], p[2]], [p[p.length - 3], p[p.length - 2], p[p.length - 1]]);
  return least < Math.max(0.5, size * 0.2);
}
