import { type Edge, type EdgeUse, edgePoint, type Face, traceTangent, useUV } from '../brep/index.ts';
import { edgeParameters } from '../brep/mesh.ts';
import { distance, solveDense, type Vec3 } from '../math/index.ts';
import { evaluateSurface } from '../nurbs/index.ts';
import { type Cell, type CellTree, cellsIn, cellsOf, footNear, middleOf } from './cells.ts';

const jet = new Float64Array(12);
const matrix = new Float64Array(9);
const right = new Float64Array(3);

/** An edge as a polyline with the box round it. */
export interface EdgeLine {
  readonly t: readonly number[];
  readonly points: readonly Vec3[];
  readonly box: Float64Array;
  /** How far the edge may lie beside its polyline, mm. */
  readonly sag: number;
}
const lines = new WeakMap<Edge, EdgeLine>();
export function edgeLine(e: Edge): EdgeLine {
  const kept = lines.get(e);
  if (kept) return kept;
  const coarse = [0, 0.25, 0.5, 0.75, 1].map((k) => edgePoint(e, e.range[0] + k * (e.range[1] - e.range[0])));
  const size = coarse.reduce((s, p, i) => (i ? s + distance(p, coarse[i - 1]) : 0), 0);
  const t = edgeParameters(e, Math.max(1e-5, 2e-3 * size), 0.2, 8);
  const points = t.map((k) => edgePoint(e, k));
  const sag = 4e-3 * size + 1e-6;
  const box = Float64Array.of(Infinity, Infinity, Infinity, -Infinity, -Infinity, -Infinity);
  for (const p of points)
    for (let d = 0; d < 3; d++) {
      box[d] = Math.min(box[d], p[d] - sag);
      box[3 + d] = Math.max(box[3 + d], p[d] + sag);
    }
  const line = { t, points, box, sag };
  lines.set(e, line);
  return line;
}

export interface Piercing {
  readonly t: number;
  readonly uv: readonly [number, number];
  readonly point: Vec3;
}
/** Places where an edge goes through a surface, by Newton's method in the edge's parameter and the surface's two. */
export function pierceSurface(e: Edge, tree: CellTree): Piercing[] {
  const line = edgeLine(e);
  const out: Piercing[] = [];
  const [a, z] = e.range;
  const d = tree.domain;
  for (let i = 0; i + 1 < line.t.length; i++) {
    const [x, y] = [line.points[i], line.points[i + 1]];
    const pad = Math.min(line.sag, 0.3 * distance(x, y)) + 1e-7;
    const box = new Float64Array(6);
    for (let k = 0; k < 3; k++) {
      box[k] = Math.min(x[k], y[k]) - pad;
      box[3 + k] = Math.max(x[k], y[k]) + pad;
    }
    for (const cell of cellsIn(tree, box)) {
      // an edge that runs along the cell may go through it twice
      const [cx, cy, cz] = [y[0] - x[0], y[1] - x[1], y[2] - x[2]];
      const slope = Math.abs(cell.axis[0] * cx + cell.axis[1] * cy + cell.axis[2] * cz) / (Math.hypot(cx, cy, cz) || 1);
      const flat = Math.asin(Math.min(1, slope)) < cell.spread + 0.25;
      for (const share of flat ? [0.04, 0.5, 0.96] : [0.5]) {
        const hit = pierceCell(e, tree, cell, line.t[i], line.t[i + 1], share);
        const same = (q: Piercing) =>
          hit &&
          Math.abs(q.t - hit.t) < 1e-7 * (z - a) &&
          Math.abs(q.uv[0] - hit.uv[0]) < 1e-6 * (d[1] - d[0]) &&
          Math.abs(q.uv[1] - hit.uv[1]) < 1e-6 * (d[3] - d[2]);
        if (hit && !out.some(same)) out.push(hit);
      }
    }
  }
  return out;
}

/** Newton's method from a share of a stretch of the edge and the middle of a cell, as long as it stays near both. */
function pierceCell(e: Edge, tree: CellTree, cell: Cell, t0: number, t1: number, share: number): Piercing | undefined {
  const [a, z] = e.range;
  const d = tree.domain;
  const [mu, mv] = middleOf(tree, cell);
  const [wu, wv] = [tree.us[cell.i1] - tree.us[cell.i0], tree.vs[cell.j1] - tree.vs[cell.j0]];
  let t = t0 + share * (t1 - t0);
  let [u, v] = [mu, mv];
  for (let k = 0; k < 14; k++) {
    const [p, slope] = traceTangent(e, t);
    evaluateSurface(tree.surface, u, v, 1, jet);
    if (Math.hypot(p[0] - jet[0], p[1] - jet[1], p[2] - jet[2]) < 1e-11 * (1 + Math.abs(p[0]) + Math.abs(p[1]) + Math.abs(p[2])))
      return { t, uv: [u, v], point: p };
    for (let c = 0; c < 3; c++) {
      matrix[3 * c] = slope[c];
      matrix[3 * c + 1] = -jet[6 + c];
      matrix[3 * c + 2] = -jet[3 + c];
      right[c] = jet[c] - p[c];
    }
    if (!solveDense(matrix, right, 3, 1)) return undefined;
    t = Math.min(z, Math.max(a, t + right[0]));
    u = Math.min(d[1], Math.max(d[0], u + right[1]));
    v = Math.min(d[3], Math.max(d[2], v + right[2]));
    const away = t < t0 - 1.2 * (t1 - t0) || t > t1 + 1.2 * (t1 - t0);
    if (away || Math.abs(u - mu) > 2.2 * wu || Math.abs(v - mv) > 2.2 * wv) return undefined;
  }
  return undefined;
}

/** Does the whole edge run on the surface? */
export function edgeLiesOn(e: Edge, tree: CellTree): boolean {
  return [0.5, 0.13, 0.31, 0.77, 0.93].every((k) => {
    const foot = footNear(tree, edgePoint(e, e.range[0] + k * (e.range[1] - e.range[0])));
    return foot !== undefined && foot[2] <= 1e-7 + e.tolerance;
  });
}
/** Do places inside a face lie on another surface too? */
export function faceLiesOn(f: Face, other: CellTree, inside: (u: number, v: number) => boolean): boolean {
  const own = cellsOf(f.surface);
  const d = own.domain;
  let looked = 0;
  for (const [a, b] of PROBES) {
    const [u, v] = [d[0] + a * (d[1] - d[0]), d[2] + b * (d[3] - d[2])];
    if (!inside(u, v)) continue;
    looked++;
    evaluateSurface(own.surface, u, v, 0, jet);
    const foot = footNear(other, [jet[0], jet[1], jet[2]]);
    if (!foot || foot[2] > 1e-6) return false;
  }
  return looked > 0;
}
const PROBES = Array.from({ length: 40 }, (_, i): [number, number] => [(0.5 + i * 0.7548776662) % 1, (0.5 + i * 0.5698402909) % 1]);

/** Parameter of the edge at which its image on a face goes through a place, when it comes near enough. */
export function imageParameter(f: Face, use: EdgeUse, e: Edge, u: number, v: number): number | undefined {
  const d = cellsOf(f.surface).domain;
  const [a, z] = e.range;
  const away = (t: number) => {
    const p = useUV(f, use, t);
    return Math.hypot(p[0] - u, p[1] - v);
  };
  let best: number | undefined;
  let least = 1e-4 * Math.hypot(d[1] - d[0], d[3] - d[2]);
  for (let i = 0; i < 16; i++) {
    let [low, high] = [a + ((z - a) * i) / 16, a + ((z - a) * (i + 1)) / 16];
    for (let k = 0; k < 60; k++) {
      const [p, q] = [low + 0.382 * (high - low), low + 0.618 * (high - low)];
      if (away(p) < away(q)) high = q;
      else low = p;
    }
    const t = (low + high) / 2;
    if (away(t) < least) {
      least = away(t);
      best = t;
    }
  }
  return best;
}
