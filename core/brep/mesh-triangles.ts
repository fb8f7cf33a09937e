import Constrainautor from '@kninnug/constrainautor';
import Delaunator from 'delaunator';
import type { Vec3 } from '../math/index.ts';
import { evaluateSurface } from '../nurbs/index.ts';
import type { Face } from './body.ts';
import { bendAlong, SHADE, shadeAt } from './shading.ts';

/**
 * Constrained Delaunay triangles inside the loops (flood fill across unconstrained edges with parity). `strict` throws where the polygons
 * of the loops cross, so that not every side of them bounds the triangles on one side only.
 */
export function triangulate(
  uv: readonly number[],
  loops: readonly number[][],
  border: number,
  scale: readonly [number, number],
  strict = false,
): number[] {
  const coords = new Float64Array(uv.length);
  for (let i = 0; i < uv.length; i++) coords[i] = uv[i] * scale[i % 2];
  // equal border points (a seam touched twice, closed loops) stay one for the triangulator
  const first = new Map<string, number>();
  const alias = new Int32Array(uv.length / 2);
  for (let i = 0; i < alias.length; i++) {
    const key = `${coords[2 * i]},${coords[2 * i + 1]}`;
    const k = i < border ? first.get(key) : undefined;
    if (k === undefined && i < border) first.set(key, i);
    alias[i] = k ?? i;
  }
  const d = new Delaunator(coords);
  const edges: [number, number][] = [];
  for (const ring of loops)
    ring.forEach((a, i) => {
      const x = alias[a];
      const y = alias[ring[(i + 1) % ring.length]];
      if (x !== y) edges.push([x, y]);
    });
  const con = new Constrainautor(d as never);
  const fixed = new Map<number, number>();
  const keyOf = (a: number, c: number) => (a < c ? a * 2 ** 26 + c : c * 2 ** 26 + a);
  for (const [a, c] of edges) fixed.set(keyOf(a, c), (fixed.get(keyOf(a, c)) ?? 0) + 1);
  for (const [a, c] of edges) con.constrainOne(a, c);
  const { triangles, halfedges } = d;
  const inside = new Int8Array(triangles.length / 3).fill(-1);
  const wall = (e: number) => {
    const a = triangles[e];
    const c = triangles[e % 3 === 2 ? e - 2 : e + 1];
    return (fixed.get(keyOf(a, c)) ?? 0) % 2 === 1;
  };
  const queue: number[] = [];
  for (let e = 0; e < halfedges.length; e++)
    if (halfedges[e] < 0) {
      const t = Math.floor(e / 3);
      const state = wall(e) ? 1 : 0;
      if (inside[t] < 0) {
        inside[t] = state;
        queue.push(t);
      }
    }
  for (let k = 0; k < queue.length; k++) {
    const t = queue[k];
    for (let e = 3 * t; e < 3 * t + 3; e++) {
      const o = halfedges[e];
      if (o < 0) continue;
      const n = Math.floor(o / 3);
      if (inside[n] >= 0) continue;
      inside[n] = wall(e) ? 1 - inside[t] : inside[t];
      queue.push(n);
    }
  }
  if (strict) {
    let walls = 0;
    for (let e = 0; e < halfedges.length; e++) {
      const o = halfedges[e];
      if (o > e) continue;
      const isWall = wall(e);
      if (isWall) walls++;
      const [here, there] = [inside[Math.floor(e / 3)], o < 0 ? 0 : inside[Math.floor(o / 3)]];
      if ((here !== there) !== isWall) throw new Error('borders cross');
    }
    if (walls !== [...fixed.values()].filter((n) => n % 2 === 1).length) throw new Error('borders cross');
  }
  const out: number[] = [];
  for (let t = 0; t < inside.length; t++) if (inside[t] === 1) out.push(triangles[3 * t], triangles[3 * t + 1], triangles[3 * t + 2]);
  if (!out.length) throw new Error('no triangles');
  return out;
}

const slope = new Float64Array(12);
const midpoint = (p: Vec3, q: Vec3): Vec3 => [(p[0] + q[0]) / 2, (p[1] + q[1]) / 2, (p[2] + q[2]) / 2];

/** Where a blend of normals along an edge is worst, as a share of it. */
export const WORST = (3 - Math.sqrt(3)) / 6;
/** Places of a triangle where its blend is looked at, by the weights of its corners. */
const INSIDE: readonly (readonly number[])[] = [
  [0.6, 0.2, 0.2],
  [0.2, 0.6, 0.2],
  [0.2, 0.2, 0.6],
];
/** What is allowed between triangles and the surface: distance, mm, and turn of the interpolated normal, as the sine of half its angle, squared. */
export interface TriangleLimits {
  readonly chord: number;
  readonly shade: number;
}
/** `shade` of an angle in radians. */
export const shadeOf = (angle: number): number => Math.sin(Math.min(angle, Math.PI) / 2) ** 2;

/**
 * Points to add: midpoints of free edges and centroids whose distance from the flat triangle exceeds the chord error, or where the blend of
 * the corners' normals (`shading.ts`) turns away from the surface's own by more than is allowed.
 */
export function refinePoints(
  f: Face,
  uv: readonly number[],
  triangles: ArrayLike<number>,
  border: number,
  { chord, shade }: TriangleLimits,
  at: (u: number, v: number) => Vec3,
  checked: { edges: Set<number>; triangles: Map<number, number[]>; shades: (Float64Array | undefined)[] },
): number[] {
  const { shades } = checked;
  const shadeOfNode = (i: number): Float64Array => {
    let x = shades[i];
    if (!x) {
      shades[i] = x = new Float64Array(SHADE);
      shadeAt(f.surface, uv[2 * i], uv[2 * i + 1], x);
    }
    return x;
  };
  const exact = new Float64Array(SHADE);
  // as an angle: chords of unit vectors are angles while these are small
  const small = shade < 1 ? 2 * Math.sqrt(shade) : 0;
  /** Does the blend of the corners' normals at a flat place differ too much from the normal over it? */
  const dull = (flat: Vec3, u: number, v: number, nodes: readonly number[], weights: readonly number[]): boolean => {
    shadeAt(f.surface, u, v, exact);
    // the parameters' mean does not lie over the flat place: the way along the surface counts in the first order
    const way = bendAlong(exact, 0, [flat[0] - exact[9], flat[1] - exact[10], flat[2] - exact[11]]);
    const n = [exact[0] + way[0], exact[1] + way[1], exact[2] + way[2]];
    const m = [0, 0, 0];
    nodes.forEach((i, q) => {
      const own = shadeOfNode(i);
      const p = pos(i);
      const by = bendAlong(own, 0, [flat[0] - p[0], flat[1] - p[1], flat[2] - p[2]]);
      for (let k = 0; k < 3; k++) m[k] += weights[q] * (own[k] + by[k] / 2);
    });
    const l = Math.hypot(m[0], m[1], m[2]) * Math.hypot(n[0], n[1], n[2]);
    return !((1 - (m[0] * n[0] + m[1] * n[1] + m[2] * n[2]) / l) / 2 <= shade);
  };
  const seen = checked.edges;
  const known: (Vec3 | undefined)[] = [];
  const pos = (i: number): Vec3 => (known[i] ??= at(uv[2 * i], uv[2 * i + 1]));
  const out: number[] = [];
  const n = 2 ** 24;
  const count = new Map<number, number>();
  const key = (a: number, c: number) => (a < c ? a * n + c : c * n + a);
  for (let t = 0; t < triangles.length; t += 3)
    for (let k = 0; k < 3; k++) {
      const e = key(triangles[t + k], triangles[t + ((k + 1) % 3)]);
      count.set(e, (count.get(e) ?? 0) + 1);
    }
  const off = (chordPoint: Vec3, u: number, v: number, most: number): boolean => {
    evaluateSurface(f.surface, u, v, 1, slope);
    const x = slope[7] * slope[5] - slope[8] * slope[4];
    const y = slope[8] * slope[3] - slope[6] * slope[5];
    const z = slope[6] * slope[4] - slope[7] * slope[3];
    const l = Math.sqrt(x * x + y * y + z * z);
    const away = Math.abs((slope[0] - chordPoint[0]) * x + (slope[1] - chordPoint[1]) * y + (slope[2] - chordPoint[2]) * z) / (l || 1);
    return away > most;
  };
  /**
   * Is what the second degree adds in the middle of an edge, (S_a - S_c)(c - a)/8, already less than may be left out? Then the third degree
   * leaves out less, and nothing needs to be evaluated.
   */
  const slight = (a: number, c: number): boolean => {
    const [s, t] = [shadeOfNode(a), shadeOfNode(c)];
    const way: Vec3 = [t[9] - s[9], t[10] - s[10], t[11] - s[11]];
    const [x, y] = [bendAlong(s, 0, way), bendAlong(t, 0, way)];
    return Math.hypot(x[0] - y[0], x[1] - y[1], x[2] - y[2]) / 8 < small;
  };
  /** What is left out by a blend along an edge is of third degree, nothing in its middle and most at (3 ± √3)/6 of it. */
  const dullEdge = (a: number, c: number): boolean => {
    if (!(shade < 1) || slight(a, c)) return false;
    const [p, q] = [pos(a), pos(c)];
    // the same on both sides of the middle, but for its sign
    return dull(
      [0, 1, 2].map((k) => (1 - WORST) * p[k] + WORST * q[k]) as unknown as Vec3,
      (1 - WORST) * uv[2 * a] + WORST * uv[2 * c],
      (1 - WORST) * uv[2 * a + 1] + WORST * uv[2 * c + 1],
      [a, c],
      [1 - WORST, WORST],
    );
  };
  const dullInside = (nodes: readonly number[], w: readonly number[]): boolean => {
    if (slight(nodes[0], nodes[1]) && slight(nodes[1], nodes[2]) && slight(nodes[2], nodes[0])) return false;
    const mean = (k: number) => w[0] * uv[2 * nodes[0] + k] + w[1] * uv[2 * nodes[1] + k] + w[2] * uv[2 * nodes[2] + k];
    const [p, q, r] = nodes.map(pos);
    const flat: Vec3 = [0, 1, 2].map((k) => w[0] * p[k] + w[1] * q[k] + w[2] * r[k]) as unknown as Vec3;
    return dull(flat, mean(0), mean(1), nodes, w);
  };
  for (let t = 0; t < triangles.length; t += 3) {
    // what was checked once stays good
    for (let k = 0; k < 3; k++) {
      const a = triangles[t + k];
      const c = triangles[t + ((k + 1) % 3)];
      const e = key(a, c);
      if (seen.has(e) || (a < border && c < border && count.get(e) === 1)) continue;
      seen.add(e);
      const u = (uv[2 * a] + uv[2 * c]) / 2;
      const v = (uv[2 * a + 1] + uv[2 * c + 1]) / 2;
      const mid: Vec3 = midpoint(pos(a), pos(c));
      if (off(mid, u, v, chord) || dullEdge(a, c)) out.push(u, v);
    }
    const [a, c, d] = [triangles[t], triangles[t + 1], triangles[t + 2]].sort((x, y) => x - y);
    const known3 = checked.triangles.get(a * n + c);
    if (known3?.includes(d)) continue;
    if (known3) known3.push(d);
    else checked.triangles.set(a * n + c, [d]);
    const u = (uv[2 * a] + uv[2 * c] + uv[2 * d]) / 3;
    const v = (uv[2 * a + 1] + uv[2 * c + 1] + uv[2 * d + 1]) / 3;
    const [pa, pc, pd] = [pos(a), pos(c), pos(d)];
    const mid: Vec3 = [(pa[0] + pc[0] + pd[0]) / 3, (pa[1] + pc[1] + pd[1]) / 3, (pa[2] + pc[2] + pd[2]) / 3];
    if (off(mid, u, v, chord * 1.05) || (shade < 1 && INSIDE.some((w) => dullInside([a, c, d], w)))) out.push(u, v);
  }
  return out;
}
