import earcut from 'earcut';
import type { Vec3 } from '../math/index.ts';
import { Budget } from './budget.ts';

export interface TriangleMesh {
  /** xyz per node. */
  readonly positions: Float64Array;
  readonly indices: Uint32Array;
}
export interface ScanPart {
  readonly name: string;
  readonly mesh: TriangleMesh;
}
export type ReadScan =
  | {
      readonly ok: true;
      readonly parts: readonly ScanPart[];
      /** What the file counts in, when it says so: millimetres of its unit, and the unit's name. */
      readonly unit?: { readonly mm: number; readonly name: string };
      readonly notes: readonly string[];
    }
  | { readonly ok: false; readonly message: string };

/** A list of numbers that grows in place. */
class Growing<T extends Float64Array | Uint32Array> {
  length = 0;
  constructor(
    public data: T,
    private readonly make: (n: number) => T,
  ) {}
  push3(a: number, b: number, c: number): void {
    if (this.length + 3 > this.data.length) {
      const wider = this.make(this.data.length * 2);
      wider.set(this.data);
      this.data = wider;
    }
    this.data[this.length] = a;
    this.data[this.length + 1] = b;
    this.data[this.length + 2] = c;
    this.length += 3;
  }
}

/** Collects corners and polygons; equal corners become one, triangles that fall together are left out. */
export class MeshBuilder {
  private readonly positions = new Growing(new Float64Array(384), (n) => new Float64Array(n));
  private readonly indices = new Growing(new Uint32Array(384), (n) => new Uint32Array(n));
  /** Open addressing over the bits of the coordinates: number of the corner plus one, zero is free. */
  private table = new Uint32Array(1024);
  private readonly key = new Float64Array(3);
  private readonly bits = new Int32Array(this.key.buffer);
  /** Triangles left out because two of their corners are one. */
  dropped = 0;
  /** Corners that are not numbers. */
  broken = 0;
  constructor(private readonly budget = new Budget()) {}

  node(x: number, y: number, z: number): number {
    if (!Number.isFinite(x) || !Number.isFinite(y) || !Number.isFinite(z)) {
      this.broken++;
      return -1;
    }
    // adding zero makes one of the two zeros
    const [a, b, c] = [x + 0, y + 0, z + 0];
    const p = this.positions;
    let at = this.slot(a, b, c);
    for (; this.table[at]; at = (at + 1) & (this.table.length - 1)) {
      const k = 3 * (this.table[at] - 1);
      if (p.data[k] === a && p.data[k + 1] === b && p.data[k + 2] === c) return k / 3;
    }
    this.budget.take(1, 'corners');
    const id = p.length / 3;
    p.push3(a, b, c);
    this.table[at] = id + 1;
    if (2 * (id + 1) > this.table.length) this.widen();
    return id;
  }
  private slot(a: number, b: number, c: number): number {
    this.key[0] = a;
    this.key[1] = b;
    this.key[2] = c;
    let h = 0;
    for (let k = 0; k < 6; k++) h = Math.imul(h ^ this.bits[k], 0x9e3779b1) ^ (h >>> 15);
    return (h ^ (h >>> 13)) & (this.table.length - 1);
  }
  private widen(): void {
    this.table = new Uint32Array(this.table.length * 4);
    const p = this.positions.data;
    for (let id = 0; id < this.positions.length / 3; id++) {
      let at = this.slot(p[3 * id], p[3 * id + 1], p[3 * id + 2]);
      while (this.table[at]) at = (at + 1) & (this.table.length - 1);
      this.table[at] = id + 1;
    }
  }
  triangle(a: number, b: number, c: number): void {
    if (a < 0 || b < 0 || c < 0 || a === b || b === c || a === c) {
      this.dropped++;
      return;
    }
    this.budget.take(1, 'triangles');
    this.indices.push3(a, b, c);
  }
  /** A flat polygon, hollow ones included, cut into triangles by its ears. */
  polygon(nodes: readonly number[]): void {
    if (nodes.length === 3 || nodes.some((n) => n < 0)) {
      this.triangle(nodes[0], nodes[1], nodes[2]);
      return;
    }
    const p = this.positions.data;
    for (const t of earsOf(nodes.map((n): Vec3 => [p[3 * n], p[3 * n + 1], p[3 * n + 2]])))
      this.triangle(nodes[t[0]], nodes[t[1]], nodes[t[2]]);
  }
  mesh(): TriangleMesh {
    return { positions: this.positions.data.slice(0, this.positions.length), indices: this.indices.data.slice(0, this.indices.length) };
  }
}

/** Corners up to which the roundest ear is looked for; larger polygons are cut by a library whose time does not grow with the cube. */
const FEW = 12;
/** Triangles of a polygon as triples of its corners (ear clipping in the plane of its mean normal). */
export function earsOf(points: readonly Vec3[]): [number, number, number][] {
  const n: [number, number, number] = [0, 0, 0];
  points.forEach((p, i) => {
    const q = points[(i + 1) % points.length];
    for (let k = 0; k < 3; k++) n[k] += (p[(k + 1) % 3] - q[(k + 1) % 3]) * (p[(k + 2) % 3] + q[(k + 2) % 3]);
  });
  // seen along the largest part of the normal, turning to the left
  const drop = n.reduce((best, v, k) => (Math.abs(v) > Math.abs(n[best]) ? k : best), 0);
  const [ix, iy] = n[drop] >= 0 ? [(drop + 1) % 3, (drop + 2) % 3] : [(drop + 2) % 3, (drop + 1) % 3];
  if (points.length > FEW) {
    const flat = points.flatMap((p) => [p[ix], p[iy]]);
    const cut = earcut(flat, undefined, 2);
    return Array.from({ length: cut.length / 3 }, (_, i) => [cut[3 * i], cut[3 * i + 1], cut[3 * i + 2]] as [number, number, number]).map(
      ([a, b, c]) => {
        const area =
          (flat[2 * b] - flat[2 * a]) * (flat[2 * c + 1] - flat[2 * a + 1]) -
          (flat[2 * b + 1] - flat[2 * a + 1]) * (flat[2 * c] - flat[2 * a]);
        return area < 0 ? [a, c, b] : [a, b, c];
      },
    );
  }
  const turn = (a: Vec3, b: Vec3, c: Vec3) => (b[ix] - a[ix]) * (c[iy] - a[iy]) - (b[iy] - a[iy]) * (c[ix] - a[ix]);
  const left = points.map((_, i) => i);
  const out: [number, number, number][] = [];
  while (left.length > 3) {
    let best = -1;
    let roundest = -Infinity;
    for (let i = 0; i < left.length; i++) {
      const [a, b, c] = [left[(i + left.length - 1) % left.length], left[i], left[(i + 1) % left.length]];
      const [p, q, r] = [points[a], points[b], points[c]];
      const area = turn(p, q, r);
      if (area <= 0) continue;
      if (
        left.some(
          (k) => k !== a && k !== b && k !== c && turn(p, q, points[k]) >= 0 && turn(q, r, points[k]) >= 0 && turn(r, p, points[k]) >= 0,
        )
      )
        continue;
      const longest = Math.max(
        ...[
          [p, q],
          [q, r],
          [r, p],
        ].map(([s, t]) => (s[ix] - t[ix]) ** 2 + (s[iy] - t[iy]) ** 2),
      );
      if (area / longest > roundest) [best, roundest] = [i, area / longest];
    }
    // a polygon that crosses itself has no ear left: the rest is cut as it comes
    if (best < 0) best = 1 % left.length;
    out.push([left[(best + left.length - 1) % left.length], left[best], left[(best + 1) % left.length]]);
    left.splice(best, 1);
  }
  out.push([left[0], left[1], left[2]]);
  return out;
}

export interface MeshReport {
  readonly triangles: number;
  readonly corners: number;
  /** Edges of one triangle only, of more than two, and run the same way by both neighbours. */
  readonly open: number;
  readonly multiple: number;
  readonly clashing: number;
  /** Triangles that stand twice. */
  readonly doubled: number;
  /** Parts that do not touch each other. */
  readonly islands: number;
  readonly volume: number;
  /** Middles of the first few open and multiple edges. */
  readonly places: readonly Vec3[];
}
/** What a mesh is like: open edges, edges of three, turned neighbours, doubles, islands, enclosed volume. Flat arrays and sorting: a few bytes an edge. */
export function inspectMesh(m: TriangleMesh): MeshReport {
  const { positions: p, indices } = m;
  const nodes = p.length / 3;
  const count = indices.length / 3;
  const group = Uint32Array.from({ length: nodes }, (_, i) => i);
  const find = (i: number): number => {
    let k = i;
    while (group[k] !== k) k = group[k] = group[group[k]];
    return k;
  };
  const used = new Uint8Array(nodes);
  // an edge as one number: its smaller corner, its larger one, and which way it runs
  const edges = new Float64Array(3 * count);
  const faces = new Float64Array(count);
  let volume = 0;
  for (let t = 0; t < indices.length; t += 3) {
    const [a, b, c] = [3 * indices[t], 3 * indices[t + 1], 3 * indices[t + 2]];
    volume +=
      (p[a] * (p[b + 1] * p[c + 2] - p[b + 2] * p[c + 1]) +
        p[a + 1] * (p[b + 2] * p[c] - p[b] * p[c + 2]) +
        p[a + 2] * (p[b] * p[c + 1] - p[b + 1] * p[c])) /
      6;
    for (let k = 0; k < 3; k++) {
      const [i, j] = [indices[t + k], indices[t + ((k + 1) % 3)]];
      used[i] = 1;
      group[find(i)] = find(j);
      edges[t + k] = 2 * (Math.min(i, j) * nodes + Math.max(i, j)) + (i < j ? 1 : 0);
    }
    const [i, j, l] = [indices[t], indices[t + 1], indices[t + 2]];
    // equal corner sets have equal sums, squares and smallest corners: told apart below by all three
    faces[t / 3] = Math.min(i, j, l) * nodes + Math.max(i, j, l) + (i + j + l) / (3 * nodes + 3);
  }
  edges.sort();
  faces.sort();
  let doubled = 0;
  for (let i = 1; i < count; i++) if (faces[i] === faces[i - 1]) doubled++;
  let [open, multiple, clashing] = [0, 0, 0];
  const places: Vec3[] = [];
  for (let i = 0; i < edges.length; ) {
    const id = Math.floor(edges[i] / 2);
    let [uses, forward] = [0, 0];
    for (; i < edges.length && Math.floor(edges[i] / 2) === id; i++) {
      uses++;
      forward += edges[i] % 2;
    }
    if (uses === 1) open++;
    else if (uses > 2) {
      // closed parts that stand edge to edge use it twice each, once either way: that is no edge of three
      if (2 * forward !== uses) multiple++;
    } else if (forward !== 1) clashing++;
    if (uses !== 2 && 2 * forward !== uses && places.length < 8) {
      const [a, b] = [Math.floor(id / nodes), id % nodes];
      places.push([0, 1, 2].map((k) => (p[3 * a + k] + p[3 * b + k]) / 2) as unknown as Vec3);
    }
  }
  let corners = 0;
  let islands = 0;
  for (let i = 0; i < nodes; i++)
    if (used[i]) {
      corners++;
      if (find(i) === i) islands++;
    }
  return { triangles: count, corners, open, multiple, clashing, doubled, islands, volume, places };
}
