import type { Vec3 } from '../math/index.ts';

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

/** Collects corners and polygons; equal corners become one, triangles that fall together are left out. */
export class MeshBuilder {
  private readonly ids = new Map<string, number>();
  private readonly positions: number[] = [];
  private readonly indices: number[] = [];
  /** Triangles left out because two of their corners are one. */
  dropped = 0;
  /** Corners that are not numbers. */
  broken = 0;

  node(x: number, y: number, z: number): number {
    if (!Number.isFinite(x) || !Number.isFinite(y) || !Number.isFinite(z)) {
      this.broken++;
      return -1;
    }
    const key = `${x},${y},${z}`;
    let id = this.ids.get(key);
    if (id === undefined) {
      id = this.positions.length / 3;
      this.ids.set(key, id);
      this.positions.push(x, y, z);
    }
    return id;
  }
  triangle(a: number, b: number, c: number): void {
    if (a < 0 || b < 0 || c < 0 || a === b || b === c || a === c) this.dropped++;
    else this.indices.push(a, b, c);
  }
  /** A flat polygon, hollow ones included, cut into triangles by its ears. */
  polygon(nodes: readonly number[]): void {
    if (nodes.length === 3 || nodes.some((n) => n < 0)) {
      this.triangle(nodes[0], nodes[1], nodes[2]);
      return;
    }
    for (const t of earsOf(nodes.map((n): Vec3 => [this.positions[3 * n], this.positions[3 * n + 1], this.positions[3 * n + 2]])))
      this.triangle(nodes[t[0]], nodes[t[1]], nodes[t[2]]);
  }
  mesh(): TriangleMesh {
    return { positions: Float64Array.from(this.positions), indices: Uint32Array.from(this.indices) };
  }
}

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
/** What a mesh is like: open edges, edges of three, turned neighbours, doubles, islands, enclosed volume. */
export function inspectMesh(m: TriangleMesh): MeshReport {
  const nodes = m.positions.length / 3;
  const edges = new Map<number, { uses: number; forward: number; a: number; b: number }>();
  const seen = new Set<string>();
  const group = Uint32Array.from({ length: nodes }, (_, i) => i);
  const find = (i: number): number => {
    let k = i;
    while (group[k] !== k) k = group[k] = group[group[k]];
    return k;
  };
  let doubled = 0;
  let volume = 0;
  const p = m.positions;
  for (let t = 0; t < m.indices.length; t += 3) {
    const tri = [m.indices[t], m.indices[t + 1], m.indices[t + 2]];
    const key = [...tri].sort((a, b) => a - b).join(',');
    if (seen.has(key)) doubled++;
    seen.add(key);
    const [a, b, c] = tri.map((i) => 3 * i);
    volume +=
      (p[a] * (p[b + 1] * p[c + 2] - p[b + 2] * p[c + 1]) +
        p[a + 1] * (p[b + 2] * p[c] - p[b] * p[c + 2]) +
        p[a + 2] * (p[b] * p[c + 1] - p[b + 1] * p[c])) /
      6;
    for (let k = 0; k < 3; k++) {
      const [i, j] = [tri[k], tri[(k + 1) % 3]];
      group[find(i)] = find(j);
      const id = Math.min(i, j) * nodes + Math.max(i, j);
      const e = edges.get(id);
      if (e) {
        e.uses++;
        if (i < j) e.forward++;
      } else edges.set(id, { uses: 1, forward: i < j ? 1 : 0, a: i, b: j });
    }
  }
  let [open, multiple, clashing] = [0, 0, 0];
  const places: Vec3[] = [];
  for (const e of edges.values()) {
    if (e.uses === 1) open++;
    else if (e.uses > 2) multiple++;
    else if (e.forward !== 1) clashing++;
    if (e.uses !== 2 && places.length < 8) places.push([0, 1, 2].map((k) => (p[3 * e.a + k] + p[3 * e.b + k]) / 2) as unknown as Vec3);
  }
  const used = new Set(m.indices);
  const islands = new Set([...used].map((i) => find(i))).size;
  return { triangles: m.indices.length / 3, corners: used.size, open, multiple, clashing, doubled, islands, volume, places };
}
