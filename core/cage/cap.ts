/**
 * Caps: one Bezier patch of degree p x p a face around a vertex, as a table of weights over the fan's cage points (everything is linear, and
 * depends on the fan alone). Outer three rows = C2 to the ring; rim rows of open sectors = the crease cubic, degree-raised; G1 (and G2) rows
 * over the inner spokes; positions = the limit at matching places of the tangent plane.
 */
import { characteristicNet, type Fan, FanLimit, FanNet, fanEigenvalue, type Jet } from './fan.ts';

export interface CapSettings {
  readonly degree: number;
  readonly g1: number;
  readonly g2: number;
  readonly fairness: number;
  /** Power of the distance in the position weights. */
  readonly near: number;
}
export const CAP: CapSettings = { degree: 8, g1: 1e4, g2: 0.1, fairness: 1e-8, near: -0.5 };

/** Bernstein values and derivatives up to 2: rows of p+1. */
export function bernstein(p: number, t: number): Float64Array[] {
  const rows: number[][] = [[1]];
  for (let d = 1; d <= p; d++) {
    const prev = rows[d - 1];
    rows.push(Array.from({ length: d + 1 }, (_, j) => (j < d ? (1 - t) * prev[j] : 0) + (j > 0 ? t * prev[j - 1] : 0)));
  }
  const at = (d: number, j: number) => (j < 0 || j > d ? 0 : rows[d][j]);
  return [
    Float64Array.from(rows[p]),
    Float64Array.from({ length: p + 1 }, (_, j) => p * (at(p - 1, j - 1) - at(p - 1, j))),
    Float64Array.from({ length: p + 1 }, (_, j) => p * (p - 1) * (at(p - 2, j - 2) - 2 * at(p - 2, j - 1) + at(p - 2, j))),
  ];
}
/** Derivative (x,y) of patch `net` ((p+1)^2 rows of `stride`) at (u,v). */
export function patchAt(net: Float64Array, p: number, stride: number, u: number, v: number, x = 0, y = 0): Float64Array {
  const [bu, bv] = [bernstein(p, u)[x], bernstein(p, v)[y]];
  const out = new Float64Array(stride);
  for (let a = 0; a <= p; a++)
    for (let b = 0; b <= p; b++) {
      const w = bu[a] * bv[b];
      if (w !== 0) for (let c = 0; c < stride; c++) out[c] += w * net[(a * (p + 1) + b) * stride + c];
    }
  return out;
}

export interface CapTable {
  readonly fan: Fan;
  readonly settings: CapSettings;
  /** Per face: (p+1)^2 rows of weights over the cage points of `FanNet(fan, 2)`. */
  readonly weights: readonly Float64Array[];
  readonly points: number;
  /** Planar patches, smallest Jacobian, largest miss of the matching. */
  readonly plan: readonly Float64Array[];
  readonly leastJacobian: number;
  readonly matchMiss: number;
}

const SAMPLES = [0.03, 0.12, 0.25, 0.38, 0.5, 0.62, 0.75, 0.88, 0.97];

/** Solves for the patches over data of any stride. `match` undefined = the planar pass (fairness in place of positions). */
class CapSolver {
  readonly p: number;
  readonly ids: Int32Array[];
  readonly unknowns: number;
  constructor(
    readonly fan: Fan,
    readonly s: CapSettings,
  ) {
    const k = fan.faces;
    const p = (this.p = s.degree);
    const names = new Map<string, number>();
    this.ids = Array.from({ length: k }, (_, i) => {
      const ids = new Int32Array((p + 1) ** 2).fill(-1);
      for (let a = 0; a <= p - 3; a++)
        for (let b = 0; b <= p - 3; b++) {
          const open = fan.kind !== 'smooth';
          if (open && ((i === 0 && b === 0) || (i === k - 1 && a === 0) || a + b === 0)) continue;
          const name = a + b === 0 ? 'c' : b === 0 ? `s${i},${a}` : a === 0 ? `s${open ? i + 1 : (i + 1) % k},${b}` : `${i},${a},${b}`;
          if (!names.has(name)) names.set(name, names.size);
          ids[a * (p + 1) + b] = names.get(name) as number;
        }
      return ids;
    });
    this.unknowns = names.size;
  }
  /** Outer rows from the jets of the ring, rim rows from the crease curve. */
  fixed(limit: FanLimit): Float64Array[] {
    const { p, fan } = this;
    const n = p + 1;
    const stride = limit.net.stride;
    const places = Array.from({ length: n }, (_, i) => i / p);
    const solveRow = invert(places.map((t) => Array.from(bernstein(p, t)[0])));
    const coefficients = (values: Float64Array[]) =>
      solveRow.map((r) => values.reduce((s, v, j) => addTo(s, v, r[j]), new Float64Array(stride)));
    return Array.from({ length: fan.faces }, (_, i) => {
      const net = new Float64Array(n * n * stride);
      const set = (a: number, b: number, v: Float64Array) => net.set(v, (a * n + b) * stride);
      for (const side of [0, 1]) {
        const jets = places.map((t) => (side ? limit.jet(i, t, 1) : limit.jet(i, 1, t)));
        const [S, D, DD] = [0, side ? 2 : 1, side ? 5 : 3].map((o) => coefficients(jets.map((j) => j[o])));
        for (let b = 0; b < n; b++) {
          const last = S[b];
          const second = last.map((x, c) => x - D[b][c] / p);
          const third = last.map((x, c) => DD[b][c] / (p * (p - 1)) - x + 2 * second[c]);
          [last, second, third].forEach((v, x) => (side ? set(b, p - x, v) : set(p - x, b, v)));
        }
      }
      if (fan.kind !== 'smooth') {
        const rim = (first: boolean) => raise(creaseCubic(limit.net, first), p, stride);
        if (i === 0) rim(true).forEach((v, a) => set(a, 0, v));
        if (i === fan.faces - 1) rim(false).forEach((v, a) => set(0, a, v));
        set(0, 0, limit.centre);
      }
      return net;
    });
  }
  solve(
    limit: FanLimit,
    match?: (i: number, u: number, v: number) => readonly [number, number, number],
    plan?: readonly Float64Array[],
  ): Float64Array[] {
    const { fan, p, s, ids, unknowns } = this;
    const n = p + 1;
    const k = fan.faces;
    const stride = limit.net.stride;
    const nets = this.fixed(limit);
    const A = Array.from({ length: unknowns }, () => new Float64Array(unknowns));
    const B = Array.from({ length: unknowns }, () => new Float64Array(stride));
    type Part = { face: number; weights: readonly (readonly [number, number])[]; factor: number };
    const addRow = (parts: readonly Part[], value: Float64Array, weight: number) => {
      const row = new Map<number, number>();
      const rest = value.slice();
      for (const { face, weights, factor } of parts)
        for (const [id, w] of weights) {
          const x = ids[face][id];
          if (x < 0) for (let c = 0; c < stride; c++) rest[c] -= w * factor * nets[face][id * stride + c];
          else row.set(x, (row.get(x) ?? 0) + w * factor);
        }
      for (const [x, w] of row) {
        addTo(B[x], rest, weight * w);
        for (const [y, z] of row) A[x][y] += weight * w * z;
      }
    };
    const point = (u: number, v: number, x = 0, y = 0): [number, number][] => {
      const [bu, bv] = [bernstein(p, u)[x], bernstein(p, v)[y]];
      const out: [number, number][] = [];
      for (let a = 0; a < n; a++) for (let b = 0; b < n; b++) if (bu[a] * bv[b] !== 0) out.push([a * n + b, bu[a] * bv[b]]);
      return out;
    };
    const zero = new Float64Array(stride);
    if (match)
      for (let i = 0; i < k; i++)
        for (const u of SAMPLES)
          for (const v of SAMPLES) {
            const [face, x, y] = match(i, u, v);
            addRow([{ face: i, weights: point(u, v), factor: 1 }], limit.jet(face, x, y)[0], Math.max(u, v) ** s.near);
          }
    if (match && fan.kind === 'smooth') addRow([{ face: 0, weights: point(0, 0), factor: 1 }], limit.centre, 100);
    const turn = 2 * Math.cos(fan.angle / k);
    for (let i = fan.kind === 'smooth' ? 0 : 1; i < k; i++) {
      const j = (i + k - 1) % k;
      for (const u of [0, 1e-3, ...SAMPLES]) {
        addRow(
          [
            { face: i, weights: point(u, 0, 0, 1), factor: 1 },
            { face: j, weights: point(0, u, 1, 0), factor: 1 },
            { face: i, weights: point(u, 0, 1, 0), factor: -turn * (1 - u) ** 3 },
          ],
          zero,
          match ? s.g1 : 1e4,
        );
        if (match && plan && s.g2) {
          const t = transition(plan, p, i, j, u);
          addRow(
            [
              { face: j, weights: point(0, u, 2, 0), factor: 1 },
              { face: i, weights: point(u, 0, 1, 0), factor: -t.uss },
              { face: i, weights: point(u, 0, 0, 1), factor: -t.vss },
              { face: i, weights: point(u, 0, 2, 0), factor: -t.us * t.us },
              { face: i, weights: point(u, 0, 1, 1), factor: -2 * t.us * t.vs },
              { face: i, weights: point(u, 0, 0, 2), factor: -t.vs * t.vs },
            ],
            zero,
            s.g2,
          );
        }
      }
    }
    const fair = match ? s.fairness : 1;
    for (let i = 0; i < k; i++)
      for (let a = 0; a < n; a++)
        for (let b = 0; b < n; b++) {
          if (a + 3 < n) addRow([{ face: i, weights: [1, -3, 3, -1].map((w, x) => [(a + x) * n + b, w] as const), factor: 1 }], zero, fair);
          if (b + 3 < n) addRow([{ face: i, weights: [1, -3, 3, -1].map((w, x) => [a * n + b + x, w] as const), factor: 1 }], zero, fair);
        }
    for (let i = 0; i < unknowns; i++) A[i][i] += 1e-13;
    cholesky(A, B);
    ids.forEach((list, i) => list.forEach((x, id) => x >= 0 && nets[i].set(B[x], id * stride)));
    return nets;
  }
}
/** Derivatives of phi_i^-1 o phi_j over spoke i. */
function transition(plan: readonly Float64Array[], p: number, i: number, j: number, u: number) {
  const a = (x: number, y: number) => patchAt(plan[i], p, 2, u, 0, x, y);
  const b = (x: number, y: number) => patchAt(plan[j], p, 2, 0, u, x, y);
  const [au, av] = [a(1, 0), a(0, 1)];
  const det = au[0] * av[1] - au[1] * av[0];
  const solve = (q: ArrayLike<number>) => [(q[0] * av[1] - q[1] * av[0]) / det, (au[0] * q[1] - au[1] * q[0]) / det];
  const [us, vs] = solve(b(1, 0));
  const [uu, uv, vv, ss] = [a(2, 0), a(1, 1), a(0, 2), b(2, 0)];
  const [uss, vss] = solve([0, 1].map((c) => ss[c] - uu[c] * us * us - 2 * uv[c] * us * vs - vv[c] * vs * vs));
  return { us, vs, uss, vss };
}

/** Bezier points (4 rows) of the crease cubic over the first edge of the sector (or its last). */
export function creaseCubic(net: FanNet, first: boolean): Float64Array[] {
  const { fan, stride } = net;
  const k = fan.faces;
  const row = (r: number) => net.data.slice(r * stride, (r + 1) * stride);
  const along = (m: number) => row(first ? net.row(0, m, 0) : net.row(k - 1, 0, m));
  const [v, e, f] = [row(0), along(1), along(2)];
  const back = fan.kind === 'corner' ? v.map((x, c) => 2 * x - e[c]) : row(first ? net.row(k - 1, 0, 1) : net.row(0, 1, 0));
  return [
    back.map((x, c) => (x + 4 * v[c] + e[c]) / 6),
    v.map((x, c) => (2 * x + e[c]) / 3),
    v.map((x, c) => (x + 2 * e[c]) / 3),
    v.map((x, c) => (x + 4 * e[c] + f[c]) / 6),
  ];
}
function raise(rows: Float64Array[], degree: number, stride: number): Float64Array[] {
  let list = rows;
  while (list.length <= degree) {
    const d = list.length;
    list = Array.from({ length: d + 1 }, (_, j) =>
      Float64Array.from({ length: stride }, (_, c) => (j > 0 ? (j / d) * list[j - 1][c] : 0) + (j < d ? (1 - j / d) * list[j][c] : 0)),
    );
  }
  return list;
}
const addTo = (s: Float64Array, v: ArrayLike<number>, f: number): Float64Array => {
  for (let c = 0; c < s.length; c++) s[c] += f * v[c];
  return s;
};
function cholesky(A: Float64Array[], B: Float64Array[]): void {
  const n = A.length;
  for (let i = 0; i < n; i++)
    for (let j = 0; j <= i; j++) {
      let s = A[i][j];
      for (let k = 0; k < j; k++) s -= A[i][k] * A[j][k];
      A[i][j] = i === j ? Math.sqrt(Math.max(s, 1e-30)) : s / A[j][j];
    }
  for (let i = 0; i < n; i++) {
    for (let k = 0; k < i; k++) addTo(B[i], B[k], -A[i][k]);
    for (let c = 0; c < B[i].length; c++) B[i][c] /= A[i][i];
  }
  for (let i = n - 1; i >= 0; i--) {
    for (let k = i + 1; k < n; k++) addTo(B[i], B[k], -A[k][i]);
    for (let c = 0; c < B[i].length; c++) B[i][c] /= A[i][i];
  }
}
function invert(M: number[][]): number[][] {
  const n = M.length;
  const A = M.map((r, i) => [...r, ...Array.from({ length: n }, (_, j) => (i === j ? 1 : 0))]);
  for (let c = 0; c < n; c++) {
    let p = c;
    for (let r = c; r < n; r++) if (Math.abs(A[r][c]) > Math.abs(A[p][c])) p = r;
    [A[c], A[p]] = [A[p], A[c]];
    const d = A[c][c];
    for (let k = 0; k < 2 * n; k++) A[c][k] /= d;
    for (let r = 0; r < n; r++)
      if (r !== c && A[r][c]) {
        const f = A[r][c];
        for (let k = 0; k < 2 * n; k++) A[r][k] -= f * A[c][k];
      }
  }
  return A.map((r) => r.slice(n));
}

/** Place (face, u, v) of a planar limit whose image is q: Newton from a start, over spokes into the next face. */
export function placeInPlane(
  limit: FanLimit,
  start: readonly [number, number, number],
  q: ArrayLike<number>,
): [number, number, number, number] {
  const { fan } = limit.net;
  const k = fan.faces;
  const open = fan.kind !== 'smooth';
  const run = (from: readonly [number, number, number]): [number, number, number, number] => {
    let [i, u, v] = from;
    let miss = Infinity;
    for (let it = 0; it < 60; it++) {
      const J: Jet = limit.jet(i, u, v);
      const [dx, dy] = [q[0] - J[0][0], q[1] - J[0][1]];
      miss = Math.hypot(dx, dy);
      if (miss < 1e-12) break;
      const det = J[1][0] * J[2][1] - J[1][1] * J[2][0];
      let du = (dx * J[2][1] - dy * J[2][0]) / det;
      let dv = (J[1][0] * dy - J[1][1] * dx) / det;
      const cap = (0.4 * Math.max(u, v, 1e-7)) / Math.max(1e-300, Math.hypot(du, dv));
      if (cap < 1) [du, dv] = [du * cap, dv * cap];
      [u, v] = [u + du, v + dv];
      // over a spoke: (u, -e) of face i is (e, u) of face i-1
      if (v < 0 && (!open || i > 0)) [i, u, v] = [(i + k - 1) % k, -v, Math.max(0, u)];
      else if (u < 0 && (!open || i < k - 1)) [i, u, v] = [(i + 1) % k, Math.max(0, v), -u];
      u = Math.min(1, Math.max(0, u));
      v = Math.min(1, Math.max(0, v));
    }
    return [i, u, v, miss];
  };
  let best = run(start);
  for (let lev = 0; best[3] > 1e-9 && lev < 10; lev++)
    for (let i = 0; i < k && best[3] > 1e-9; i++)
      for (const [x, y] of [
        [1, 0.2],
        [1, 1],
        [0.2, 1],
      ]) {
        const r = run([i, x * 2 ** -lev * 0.8, y * 2 ** -lev * 0.8]);
        if (r[3] < best[3]) best = r;
      }
  return best;
}

const tables = new Map<string, CapTable>();
export function capTable(fan: Fan, settings: CapSettings = CAP): CapTable {
  const key = JSON.stringify([fan, settings]);
  const known = tables.get(key);
  if (known) return known;
  const solver = new CapSolver(fan, settings);
  const plane = new FanLimit(characteristicNet(fan));
  const plan = solver.solve(plane);
  const p = settings.degree;
  let leastJacobian = Infinity;
  for (let i = 0; i < fan.faces; i++)
    for (const u of [0, 0.1, 0.3, 0.5, 0.7, 1])
      for (const v of [0, 0.1, 0.3, 0.5, 0.7, 1]) {
        const [a, b] = [patchAt(plan[i], p, 2, u, v, 1, 0), patchAt(plan[i], p, 2, u, v, 0, 1)];
        leastJacobian = Math.min(leastJacobian, a[0] * b[1] - a[1] * b[0]);
      }
  const power = 1 / -Math.log2(fanEigenvalue(fan)) - 1;
  let matchMiss = 0;
  const match = (i: number, u: number, v: number) => {
    const s = Math.max(u, v) ** power;
    const r = placeInPlane(plane, [i, Math.min(1, u * s), Math.min(1, v * s)], patchAt(plan[i], p, 2, u, v));
    matchMiss = Math.max(matchMiss, r[3]);
    return [r[0], r[1], r[2]] as const;
  };
  const points = new FanNet(fan, 2, 1).count;
  const unit = new Float64Array(points * points);
  for (let j = 0; j < points; j++) unit[j * points + j] = 1;
  const weights = solver.solve(new FanLimit(new FanNet(fan, 2, points, unit), 12), match, plan);
  // the normal equations lose some digits: weights add up to 1 all the same, so that a cap far from the origin does not move
  for (const w of weights)
    for (let r = 0; r < w.length / points; r++) {
      let sum = 0;
      for (let j = 0; j < points; j++) sum += w[r * points + j];
      if (Math.abs(sum - 1) > 1e-13) w[r * points] += 1 - sum;
    }
  const table = { fan, settings, weights, points, plan, leastJacobian, matchMiss };
  tables.set(key, table);
  return table;
}
/** Patches of a cap: rows of xyz, (p+1)^2 a face. `cage` = rows of FanNet(fan, 2, 3). */
export function capOf(table: CapTable, cage: Float64Array): Float64Array[] {
  const m = table.points;
  return table.weights.map((w) => {
    const rows = w.length / m;
    const out = new Float64Array(rows * 3);
    for (let r = 0; r < rows; r++)
      for (let j = 0; j < m; j++) {
        const f = w[r * m + j];
        out[3 * r] += f * cage[3 * j];
        out[3 * r + 1] += f * cage[3 * j + 1];
        out[3 * r + 2] += f * cage[3 * j + 2];
      }
    return out;
  });
}
