import Constrainautor from '@kninnug/constrainautor';
import Delaunator from 'delaunator';
import type { Vec3 } from '../math/index.ts';
import { evaluateSurface } from '../nurbs/index.ts';
import type { Face } from './body.ts';

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

/** Points to add: midpoints of free edges and centroids whose distance from the flat triangle exceeds the chord error. */
export function refinePoints(
  f: Face,
  uv: readonly number[],
  triangles: ArrayLike<number>,
  border: number,
  chord: number,
  at: (u: number, v: number) => Vec3,
  checked: { edges: Set<number>; triangles: Map<number, number[]> },
): number[] {
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
  const off = (chordPoint: Vec3, u: number, v: number) => {
    evaluateSurface(f.surface, u, v, 1, slope);
    const x = slope[7] * slope[5] - slope[8] * slope[4];
    const y = slope[8] * slope[3] - slope[6] * slope[5];
    const z = slope[6] * slope[4] - slope[7] * slope[3];
    const l = Math.sqrt(x * x + y * y + z * z) || 1;
    return Math.abs((slope[0] - chordPoint[0]) * x + (slope[1] - chordPoint[1]) * y + (slope[2] - chordPoint[2]) * z) / l;
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
      if (off(mid, u, v) > chord) out.push(u, v);
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
    if (off(mid, u, v) > chord * 1.05) out.push(u, v);
  }
  return out;
}
