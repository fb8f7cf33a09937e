import { distance, type Vec3 } from '../math/index.ts';
import { averagedKnots, interpolateInSpace, type NurbsSurface } from '../nurbs/index.ts';

/**
 * Surface through a grid of points (rows[i][j]), degree 3 or as far as the grid reaches, parameters by mean chord length in each direction
 * (Piegl & Tiller A9.3/A9.4). Undefined when rows lie on each other.
 */
export function throughGrid(rows: readonly (readonly Vec3[])[], wished = 3): NurbsSurface | undefined {
  const [n, m] = [rows.length, rows[0].length];
  const params = (count: number, lines: number, at: (k: number, i: number) => Vec3) => {
    const sum = new Float64Array(count);
    for (let l = 0; l < lines; l++) {
      const own = new Float64Array(count);
      for (let i = 1; i < count; i++) own[i] = own[i - 1] + distance(at(l, i - 1), at(l, i));
      const total = own[count - 1];
      for (let i = 0; i < count; i++) sum[i] += total > 1e-12 ? own[i] / total : i / (count - 1);
    }
    return sum.map((x) => x / lines);
  };
  const us = params(n, m, (l, i) => rows[i][l]);
  const vs = params(m, n, (l, j) => rows[l][j]);
  const [p, q] = [Math.min(wished, n - 1), Math.min(wished, m - 1)];
  const values = new Float64Array(n * m * 3);
  rows.forEach((r, i) => {
    r.forEach((x, j) => {
      values.set(x, (i * m + j) * 3);
    });
  });
  const ku = averagedKnots(us, p);
  const kv = averagedKnots(vs, q);
  const first = interpolateInSpace(p, ku, us, values, m * 3);
  if (!first) return undefined;
  const turned = new Float64Array(n * m * 3);
  for (let i = 0; i < n; i++)
    for (let j = 0; j < m; j++) turned.set(first.data.subarray((i * m + j) * 3, (i * m + j) * 3 + 3), (j * n + i) * 3);
  const second = interpolateInSpace(q, kv, vs, turned, n * 3);
  if (!second) return undefined;
  const control = new Float64Array(n * m * 4);
  for (let i = 0; i < n; i++)
    for (let j = 0; j < m; j++) {
      control.set(second.data.subarray((j * n + i) * 3, (j * n + i) * 3 + 3), (i * m + j) * 4);
      control[(i * m + j) * 4 + 3] = 1;
    }
  return { degreeU: p, degreeV: q, knotsU: ku, knotsV: kv, countU: n, countV: m, control, rational: false };
}

/** Quads of a mesh whose triangles come in pairs, corners in running order; the rest of the triangles by number. */
export function quadsOf(indices: Uint32Array): { quads: [number, number, number, number][]; single: number } {
  const quads: [number, number, number, number][] = [];
  let single = 0;
  const t = indices.length / 3;
  for (let k = 0; k < t; ) {
    const a = [indices[3 * k], indices[3 * k + 1], indices[3 * k + 2]];
    if (k + 1 < t) {
      const b = [indices[3 * k + 3], indices[3 * k + 4], indices[3 * k + 5]];
      const only = a.findIndex((x) => !b.includes(x));
      const other = b.find((x) => !a.includes(x));
      if (only >= 0 && other !== undefined && a.filter((x) => b.includes(x)).length === 2) {
        // from the lone corner of the first round to that of the second
        const [p, q] = [a[(only + 1) % 3], a[(only + 2) % 3]];
        quads.push([a[only], p, other, q]);
        k += 2;
        continue;
      }
    }
    single++;
    k++;
  }
  return { quads, single };
}
/** Rows of node numbers when quads form one rectangular grid; undefined otherwise. */
export function gridOf(quads: readonly (readonly [number, number, number, number])[]): number[][] | undefined {
  const key = (a: number, b: number) => (a < b ? `${a},${b}` : `${b},${a}`);
  const byEdge = new Map<string, number[]>();
  quads.forEach((q, k) => {
    for (let i = 0; i < 4; i++) {
      const e = key(q[i], q[(i + 1) % 4]);
      byEdge.set(e, [...(byEdge.get(e) ?? []), k]);
    }
  });
  const valence = new Map<number, number>();
  for (const q of quads) for (const n of q) valence.set(n, (valence.get(n) ?? 0) + 1);
  const start = quads.findIndex((q) => q.some((n) => valence.get(n) === 1));
  if (start < 0) return undefined;
  const corner = quads[start].findIndex((n) => valence.get(n) === 1);
  const turn = (q: readonly number[], k: number) => [q[k], q[(k + 1) % 4], q[(k + 2) % 4], q[(k + 3) % 4]];
  // a quad a b c d: row runs a -> b, the next row d -> c
  const across = (a: number, b: number, from: number): number[] | undefined => {
    const k = byEdge.get(key(a, b))?.find((x) => x !== from);
    if (k === undefined) return undefined;
    const q = quads[k];
    const i = q.indexOf(a);
    return [k, ...(q[(i + 1) % 4] === b ? [q[(i + 3) % 4], q[(i + 2) % 4]] : [q[(i + 1) % 4], q[(i + 2) % 4]])];
  };
  const first = turn(quads[start], corner);
  const used = new Set<number>([start]);
  const row0 = [first[0], first[1]];
  const row1 = [first[3], first[2]];
  const cells = [start];
  for (let at = start; ; ) {
    const next = across(row0[row0.length - 1], row1[row1.length - 1], at);
    if (!next) break;
    const [k, p, q] = next;
    if (used.has(k)) return undefined;
    used.add(k);
    cells.push(k);
    row0.push(p);
    row1.push(q);
    at = k;
  }
  const rows = [row0, row1];
  let below = cells;
  for (;;) {
    const last = rows[rows.length - 1];
    const next: number[] = [];
    const made: number[] = [];
    for (let j = 0; j + 1 < last.length; j++) {
      const step = across(last[j], last[j + 1], below[j]);
      if (!step) {
        if (j) return undefined;
        break;
      }
      const [k, p, q] = step;
      if (used.has(k)) return undefined;
      used.add(k);
      made.push(k);
      if (j === 0) next.push(p);
      else if (next[j] !== p) return undefined;
      next.push(q);
    }
    if (!made.length) break;
    rows.push(next);
    below = made;
  }
  return used.size === quads.length ? rows : undefined;
}
