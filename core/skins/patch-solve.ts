import { insidePolygon, polygonBox, solveSymmetricBanded } from '../math/index.ts';
import { basisDerivatives, clampedKnots, findSpan, greville, interpolateInSpace } from '../nurbs/index.ts';
import { type Base, ORDERS } from './patch-base.ts';

const DEGREE = 5;
const W = DEGREE + 1;
const LOCAL = W * W;

/** A condition at a place of the rim, in chart coordinates: height, slope along d and bend along d, as far as they are asked. */
export interface RimSample {
  readonly x: number;
  readonly y: number;
  readonly z: number;
  /** Unit direction square to the projected rim. */
  readonly d: readonly [number, number];
  readonly slope?: number;
  readonly bend?: number;
}
/** A place inside that the patch passes through. */
export interface InnerSample {
  readonly x: number;
  readonly y: number;
  readonly z: number;
}
export interface HeightField {
  readonly knotsX: Float64Array;
  readonly knotsY: Float64Array;
  readonly count: number;
  readonly h: Float64Array;
  readonly steps: number;
  readonly settled: boolean;
}
export interface HeightTask {
  readonly base: Base;
  /** Functions in each direction. */
  readonly count: number;
  /** The rim in the chart, closed, anticlockwise or not. */
  readonly polygon: readonly (readonly [number, number])[];
  readonly rim: readonly RimSample[];
  readonly inner: readonly InnerSample[];
  /** Weight of the area beside the change of curvature: 0 lets a crown rise, larger keeps it low. */
  readonly taut: number;
  /** Curvature itself instead of its change: for rims met in place only, which stay flat where they are. */
  readonly bending: boolean;
  /** Heights with fewer functions over the same rim, to begin with. */
  readonly from?: HeightField;
}

/** Indices of a stencil of (DEGREE + 1)² functions of a tensor B-spline. */
class Stencil {
  private readonly bx = new Float64Array(4 * W);
  private readonly by = new Float64Array(4 * W);
  readonly index = new Int32Array(LOCAL);
  constructor(
    private readonly kx: Float64Array,
    private readonly ky: Float64Array,
    private readonly count: number,
  ) {}
  at(x: number, y: number): void {
    const sx = findSpan(this.kx, DEGREE, x);
    const sy = findSpan(this.ky, DEGREE, y);
    basisDerivatives(this.kx, DEGREE, sx, x, 3, this.bx);
    basisDerivatives(this.ky, DEGREE, sy, y, 3, this.by);
    const first = (sx - DEGREE) * this.count + sy - DEGREE;
    for (let a = 0; a < W; a++) for (let c = 0; c < W; c++) this.index[a * W + c] = first + a * this.count + c;
  }
  row(i: number, j: number, out: Float64Array, offset = 0): void {
    for (let a = 0; a < W; a++) {
      const f = this.bx[i * W + a];
      for (let c = 0; c < W; c++) out[offset + a * W + c] = f * this.by[j * W + c];
    }
  }
}
const ORDER_X = Int32Array.from(ORDERS, (o) => o[0]);
const ORDER_Y = Int32Array.from(ORDERS, (o) => o[1]);
/** Which derivatives of B + h D a derivative of h enters: places of the result and of D, and the factor, one after the other for each of the ten. */
const LEIBNIZ = (() => {
  const index = (i: number, j: number) => ((i + j) * (i + j + 1)) / 2 + j;
  const choose = (n: number, k: number) => (k === 0 || k === n ? 1 : n === 2 ? 2 : 3);
  return ORDERS.map(([p, q]) =>
    Int32Array.from(ORDERS.flatMap(([i, j], o) => (i >= p && j >= q ? [3 * o, 3 * index(i - p, j - q), choose(i, p) * choose(j, q)] : []))),
  );
})();
/** S += e x (what a derivative of the heights adds), with the ten derivatives of D at `at`. */
function addHeight(S: Float64Array, q: number, e: number, base: Float64Array, at: number, flat: boolean): void {
  const list = LEIBNIZ[q];
  for (let k = 0; k < list.length; k += 3) {
    const d = list[k + 1];
    // over a plane the directions do not change
    if (flat && d > 0) continue;
    const [o, f] = [list[k], e * list[k + 2]];
    S[o] += f * base[at + d];
    S[o + 1] += f * base[at + d + 1];
    S[o + 2] += f * base[at + d + 2];
  }
}

/** Residuals of the energy at one place from the ten derivatives of the surface: four numbers, and the area element. Called often: no closures. */
function residuals(S: Float64Array, bending: boolean, out: Float64Array): number {
  const [ux, uy, uz, vx, vy, vz] = [S[3], S[4], S[5], S[6], S[7], S[8]];
  const E = ux * ux + uy * uy + uz * uz;
  const F = ux * vx + uy * vy + uz * vz;
  const G = vx * vx + vy * vy + vz * vz;
  let nx = uy * vz - uz * vy;
  let ny = uz * vx - ux * vz;
  let nz = ux * vy - uy * vx;
  const area = Math.sqrt(nx * nx + ny * ny + nz * nz) || 1e-300;
  nx /= area;
  ny /= area;
  nz /= area;
  const L = nx * S[9] + ny * S[10] + nz * S[11];
  const M = nx * S[12] + ny * S[13] + nz * S[14];
  const N = nx * S[15] + ny * S[16] + nz * S[17];
  // orthonormal frame: e1 = (a, 0), e2 = (b, c)
  const a = 1 / Math.sqrt(E);
  const c = Math.sqrt(E) / area;
  const b = (-F / E) * c;
  if (bending) {
    out[0] = a * a * L;
    out[1] = Math.SQRT2 * a * (b * L + c * M);
    out[2] = b * b * L + 2 * b * c * M + c * c * N;
    out[3] = 0;
    return area;
  }
  // Christoffel symbols of the second kind: (p, q) for 11, 12, 22
  const D = area * area;
  let x = S[9] * ux + S[10] * uy + S[11] * uz;
  let y = S[9] * vx + S[10] * vy + S[11] * vz;
  const p11 = (x * G - y * F) / D;
  const q11 = (y * E - x * F) / D;
  x = S[12] * ux + S[13] * uy + S[14] * uz;
  y = S[12] * vx + S[13] * vy + S[14] * vz;
  const p12 = (x * G - y * F) / D;
  const q12 = (y * E - x * F) / D;
  x = S[15] * ux + S[16] * uy + S[17] * uz;
  y = S[15] * vx + S[16] * vy + S[17] * vz;
  const p22 = (x * G - y * F) / D;
  const q22 = (y * E - x * F) / D;
  // T_ijk = n . S_ijk - (II_kl G^l_ij + II_jl G^l_ik + II_il G^l_jk)
  const T111 = nx * S[18] + ny * S[19] + nz * S[20] - 3 * (L * p11 + M * q11);
  const T112 = nx * S[21] + ny * S[22] + nz * S[23] - (M * p11 + N * q11) - 2 * (L * p12 + M * q12);
  const T122 = nx * S[24] + ny * S[25] + nz * S[26] - (L * p22 + M * q22) - 2 * (M * p12 + N * q12);
  const T222 = nx * S[27] + ny * S[28] + nz * S[29] - 3 * (M * p22 + N * q22);
  out[0] = a * a * a * T111;
  out[1] = ROOT3 * a * a * (b * T111 + c * T112);
  out[2] = ROOT3 * a * (b * b * T111 + 2 * b * c * T112 + c * c * T122);
  out[3] = b * b * b * T111 + 3 * b * b * c * T112 + 3 * b * c * c * T122 + c * c * c * T222;
  return area;
}
const ROOT3 = Math.sqrt(3);

interface Places {
  readonly x: Float64Array;
  readonly y: Float64Array;
  readonly weight: Float64Array;
  readonly inside: Uint8Array;
  /** Sixty numbers of the base for each. */
  readonly base: Float64Array;
}
/** Gauss places of all cells: two by two, four by four in cells that the rim cuts; outside they count a thousandth. */
function quadrature(base: Base, polygon: HeightTask['polygon'], kx: Float64Array, ky: Float64Array, cells: number): Places {
  const inside = insidePolygon(polygon);
  const rules = [
    { at: [0.5 - Math.sqrt(1 / 12), 0.5 + Math.sqrt(1 / 12)], w: [0.5, 0.5] },
    {
      at: [0.0694318442029737, 0.3300094782075719, 0.6699905217924281, 0.9305681557970263],
      w: [0.1739274225687269, 0.3260725774312731, 0.3260725774312731, 0.1739274225687269],
    },
  ];
  // cells that the rim passes through
  const cut = new Uint8Array(cells * cells);
  const cellOf = (k: Float64Array, t: number) => Math.min(cells - 1, Math.max(0, findSpan(k, DEGREE, t) - DEGREE));
  polygon.forEach((p, i) => {
    const q = polygon[(i + 1) % polygon.length];
    for (let s = 0; s < 4; s++) cut[cellOf(kx, p[0] + ((q[0] - p[0]) * s) / 4) * cells + cellOf(ky, p[1] + ((q[1] - p[1]) * s) / 4)] = 1;
  });
  const list: [number, number, number, number][] = [];
  for (let i = 0; i < cells; i++)
    for (let j = 0; j < cells; j++) {
      const rule = rules[cut[i * cells + j]];
      const [x0, wx] = [kx[DEGREE + i], kx[DEGREE + i + 1] - kx[DEGREE + i]];
      const [y0, wy] = [ky[DEGREE + j], ky[DEGREE + j + 1] - ky[DEGREE + j]];
      rule.at.forEach((gx, p) => {
        rule.at.forEach((gy, q) => {
          const [x, y] = [x0 + gx * wx, y0 + gy * wy];
          const on = inside(x, y);
          list.push([x, y, rule.w[p] * rule.w[q] * wx * wy * (on ? 1 : 1e-3), on ? 1 : 0]);
        });
      });
    }
  const out = new Float64Array(60 * list.length);
  const one = new Float64Array(60);
  list.forEach(([x, y], k) => {
    base.at(x, y, one);
    out.set(one, 60 * k);
  });
  return {
    x: Float64Array.from(list, (l) => l[0]),
    y: Float64Array.from(list, (l) => l[1]),
    weight: Float64Array.from(list, (l) => l[2]),
    inside: Uint8Array.from(list, (l) => l[3]),
    base: out,
  };
}

/**
 * Heights over a base with the least change of curvature (Moreton & Séquin 1992) under conditions on the rim, which are linear in the heights:
 * weighted least squares, Gauss-Newton with a line search on the true energy, banded Cholesky. Lengths in mm.
 */
export function solvePatch(t: HeightTask): HeightField | undefined {
  const { base, count: K } = t;
  const [x0, x1, y0, y1] = polygonBox(t.polygon);
  const pad = 0.002 * Math.max(x1 - x0, y1 - y0);
  const range = (a: number, b: number) => clampedKnots(K, DEGREE).map((k) => a - pad + (b - a + 2 * pad) * k);
  const kx = range(x0, x1);
  const ky = range(y0, y1);
  const cells = K - DEGREE;
  // what one of the chart is in mm: the cell in space sets the scale of the rows
  const cell = Math.max((x1 - x0) / cells, (y1 - y0) / cells);
  const mm = cell * base.scale;
  const n = K * K;
  const half = DEGREE * K + DEGREE;
  const w = half + 1;
  const stencil = new Stencil(kx, ky, K);
  const places = quadrature(base, t.polygon, kx, ky, cells);
  const m = places.x.length;
  // conditions do not change between steps
  const fixedA = new Float64Array(n * w);
  const fixedB = new Float64Array(n);
  const row = new Float64Array(LOCAL);
  const rows = new Float64Array(10 * LOCAL);
  const put = (A: Float64Array, B: Float64Array | undefined, weight: number, value: number) => {
    const { index } = stencil;
    for (let a = 0; a < LOCAL; a++) {
      const f = weight * row[a];
      if (f === 0) continue;
      const i = index[a];
      const o = i * w + half - i;
      for (let c = 0; c <= a; c++) A[o + index[c]] += f * row[c];
      if (B) B[i] += f * value;
    }
  };
  const weight = 1e6 / t.rim.length;
  const conditions: { row: Float64Array; index: Int32Array; weight: number; value: number }[] = [];
  const ask = (value: number, wt: number) => {
    put(fixedA, fixedB, wt, value);
    conditions.push({ row: row.slice(), index: stencil.index.slice(), weight: wt, value });
  };
  for (const s of t.rim) {
    stencil.at(s.x, s.y);
    stencil.row(0, 0, row);
    ask(s.z, weight);
    if (s.slope !== undefined) {
      stencil.row(1, 0, rows, 0);
      stencil.row(0, 1, rows, LOCAL);
      for (let a = 0; a < LOCAL; a++) row[a] = s.d[0] * rows[a] + s.d[1] * rows[LOCAL + a];
      ask(s.slope, weight * cell ** 2);
    }
    if (s.bend !== undefined) {
      stencil.row(2, 0, rows, 0);
      stencil.row(1, 1, rows, LOCAL);
      stencil.row(0, 2, rows, 2 * LOCAL);
      for (let a = 0; a < LOCAL; a++)
        row[a] = s.d[0] ** 2 * rows[a] + 2 * s.d[0] * s.d[1] * rows[LOCAL + a] + s.d[1] ** 2 * rows[2 * LOCAL + a];
      ask(s.bend, weight * cell ** 4);
    }
  }
  for (const s of t.inner) {
    stencil.at(s.x, s.y);
    stencil.row(0, 0, row);
    ask(s.z, weight);
  }
  const h = (t.from && onKnots(t.from, kx, ky)) ?? new Float64Array(n);
  const fresh = !t.from;
  const ten = new Float64Array(10);
  const S = new Float64Array(30);
  const S2 = new Float64Array(30);
  const r0 = new Float64Array(4);
  const r1 = new Float64Array(4);
  const plane = base.kind === 'plane';
  const surfaceAt = (k: number) => {
    for (let i = 0; i < 30; i++) S[i] = places.base[60 * k + i];
    for (let q = 0; q < 10; q++) if (ten[q] !== 0) addHeight(S, q, ten[q], places.base, 60 * k + 30, plane);
  };
  // bases at all places, derivatives 0 to 3 in x and then in y
  const bases = new Float64Array(m * 8 * W);
  const firsts = new Int32Array(m);
  const one = new Float64Array(4 * W);
  for (let k = 0; k < m; k++) {
    const [sx, sy] = [findSpan(kx, DEGREE, places.x[k]), findSpan(ky, DEGREE, places.y[k])];
    basisDerivatives(kx, DEGREE, sx, places.x[k], 3, one);
    bases.set(one, k * 8 * W);
    basisDerivatives(ky, DEGREE, sy, places.y[k], 3, one);
    bases.set(one, k * 8 * W + 4 * W);
    firsts[k] = (sx - DEGREE) * K + sy - DEGREE;
  }
  const sums = new Float64Array(4 * W);
  /** The ten derivatives of the heights at a place. */
  const heightsAt = (k: number, from: Float64Array) => {
    const o = k * 8 * W;
    for (let a = 0; a < W; a++) {
      const h0 = firsts[k] + a * K;
      for (let j = 0; j < 4; j++) {
        let v = 0;
        for (let c = 0; c < W; c++) v += bases[o + 4 * W + j * W + c] * from[h0 + c];
        sums[j * W + a] = v;
      }
    }
    for (let q = 0; q < 10; q++) {
      const [i, j] = [ORDER_X[q], ORDER_Y[q]];
      let v = 0;
      for (let a = 0; a < W; a++) v += bases[o + i * W + a] * sums[j * W + a];
      ten[q] = v;
    }
  };
  const index = new Int32Array(LOCAL);
  /** The ten rows of functions at a place. */
  const rowsAt = (k: number) => {
    const o = k * 8 * W;
    for (let q = 0; q < 10; q++) {
      const [i, j] = [o + ORDER_X[q] * W, o + 4 * W + ORDER_Y[q] * W];
      for (let a = 0; a < W; a++) {
        const f = bases[i + a];
        const r = q * LOCAL + a * W;
        for (let c = 0; c < W; c++) rows[r + c] = f * bases[j + c];
      }
    }
    for (let a = 0; a < W; a++) for (let c = 0; c < W; c++) index[a * W + c] = firsts[k] + a * K + c;
  };
  // the energy beside the conditions: the sixth (fourth) power of the cell, shared over the area
  const areaOf = (from: Float64Array) => {
    let sum = 0;
    for (let k = 0; k < m; k++) {
      if (!places.inside[k]) continue;
      heightsAt(k, from);
      surfaceAt(k);
      sum += places.weight[k] * residuals(S, t.bending, r0);
    }
    return sum;
  };
  const area0 = areaOf(h);
  const unitScale = mm ** (t.bending ? 4 : 6) / Math.max(1e-300, area0);
  /** Energy with the conditions, for the line search. */
  const cost = (from: Float64Array): { total: number; energy: number; area: number } => {
    let [energy, sum] = [0, 0];
    for (let k = 0; k < m; k++) {
      heightsAt(k, from);
      surfaceAt(k);
      const a = residuals(S, t.bending, r0);
      const f = places.weight[k] * a;
      if (places.inside[k]) sum += f;
      energy += f * (r0[0] ** 2 + r0[1] ** 2 + r0[2] ** 2 + r0[3] ** 2);
    }
    let misses = 0;
    for (const c of conditions) {
      let v = -c.value;
      for (let a = 0; a < LOCAL; a++) v += c.row[a] * from[c.index[a]];
      misses += c.weight * v * v;
    }
    return { total: misses + unitScale * energy * (sum / area0) ** t.taut, energy, area: sum };
  };
  const gradient = new Float64Array(4 * LOCAL);
  let settled = false;
  let steps = 0;
  let now = cost(h);
  for (; steps < 12; steps++) {
    const A = fixedA.slice();
    const B = new Float64Array(n);
    // conditions act on the step: value less what the heights give already
    for (let i = 0; i < n; i++) B[i] = fixedB[i];
    multiplyInto(fixedA, h, B, n, half);
    const mu = t.taut > 0 && (steps > 0 || !fresh) ? (t.taut * now.energy) / now.area : 0;
    for (let k = 0; k < m; k++) {
      heightsAt(k, h);
      rowsAt(k);
      surfaceAt(k);
      const element = residuals(S, t.bending, r0);
      const f = unitScale * places.weight[k] * element;
      if (!(f > 0) || !Number.isFinite(f)) continue;
      gradient.fill(0);
      const orders = t.bending ? 6 : 10;
      for (let q = 0; q < orders; q++) {
        // the residuals are linear in the highest derivatives; for the others a small step does
        const e = q > 5 ? 1 / mm : q > 2 ? 1e-6 / mm : q > 0 ? 1e-6 : 1e-6 * mm;
        S2.set(S);
        addHeight(S2, q, e, places.base, 60 * k + 30, plane);
        residuals(S2, t.bending, r1);
        for (let i = 0; i < 4; i++) {
          const g = (r1[i] - r0[i]) / e;
          if (g !== 0) for (let a = 0; a < LOCAL; a++) gradient[i * LOCAL + a] += g * rows[q * LOCAL + a];
        }
      }
      gram(A, B, gradient, r0, f, index, w, half);
      if (mu > 0 && places.inside[k]) {
        areaTerms(A, B, S, places.base, 60 * k + 30, rows, unitScale * mu * places.weight[k], index, w, half);
      }
    }
    for (let i = 0; i < n; i++) A[i * w + half] += 1e-14 * A[i * w + half] + 1e-16 * weight;
    if (!solveSymmetricBanded(A, B, n, half)) return steps || !fresh ? { knotsX: kx, knotsY: ky, count: K, h, steps, settled } : undefined;
    // line search on the energy itself
    let taken = false;
    let size = 0;
    for (let i = 0; i < n; i++) size = Math.max(size, Math.abs(B[i]));
    const tried = new Float64Array(n);
    const earlier = now.total;
    for (const share of steps === 0 && fresh ? [1] : [1, 0.4, 0.16, 0.064]) {
      for (let i = 0; i < n; i++) tried[i] = h[i] + share * B[i];
      const next = cost(tried);
      if ((steps === 0 && fresh) || (Number.isFinite(next.total) && next.total <= now.total * (1 + 1e-9))) {
        h.set(tried);
        now = next;
        taken = true;
        size *= share;
        break;
      }
    }
    // what little is still gained moves functions beyond the rim
    const calm = taken && (steps > 0 || !fresh) && earlier - now.total < 1e-5 * now.total;
    if (!taken || calm || size < 1e-3 * Math.min(1, mm)) {
      settled = calm || size < 0.05 * mm;
      steps++;
      break;
    }
  }
  return { knotsX: kx, knotsY: ky, count: K, h, steps, settled };
}
/** The heights at the Greville places of other knots, as coefficients there. */
function onKnots(f: HeightField, kx: Float64Array, ky: Float64Array): Float64Array | undefined {
  const [gx, gy] = [greville(kx, DEGREE), greville(ky, DEGREE)];
  const K = gx.length;
  const values = new Float64Array(K * K);
  gx.forEach((x, i) => {
    gy.forEach((y, j) => {
      values[i * K + j] = heightOf(f, x, y);
    });
  });
  const rows = interpolateInSpace(DEGREE, kx, gx, values, K);
  if (!rows) return undefined;
  const turn = (a: ArrayLike<number>) => Float64Array.from({ length: K * K }, (_, k) => a[(k % K) * K + Math.floor(k / K)]);
  const columns = interpolateInSpace(DEGREE, ky, gy, turn(rows.data), K);
  return columns && turn(columns.data);
}
/** B -= A x for a symmetric banded A (lower band stored). */
function multiplyInto(A: Float64Array, x: Float64Array, B: Float64Array, n: number, half: number): void {
  const w = half + 1;
  for (let i = 0; i < n; i++) {
    const o = i * w + half - i;
    for (let j = Math.max(0, i - half); j <= i; j++) {
      const a = A[o + j];
      if (a === 0) continue;
      B[i] -= a * x[j];
      if (j < i) B[j] -= a * x[i];
    }
  }
}
/** Adds weight x (sum of the four rows' outer products) and takes their residuals to the right side. */
function gram(
  A: Float64Array,
  B: Float64Array,
  g: Float64Array,
  r: Float64Array,
  f: number,
  index: Int32Array,
  w: number,
  half: number,
): void {
  for (let a = 0; a < LOCAL; a++) {
    const [p, q, s, t] = [f * g[a], f * g[LOCAL + a], f * g[2 * LOCAL + a], f * g[3 * LOCAL + a]];
    const i = index[a];
    const o = i * w + half - i;
    B[i] -= p * r[0] + q * r[1] + s * r[2] + t * r[3];
    for (let c = 0; c <= a; c++) A[o + index[c]] += p * g[c] + q * g[LOCAL + c] + s * g[2 * LOCAL + c] + t * g[3 * LOCAL + c];
  }
}
/** Gradient of the area and the part of its second derivative that is never negative. */
function areaTerms(
  A: Float64Array,
  B: Float64Array,
  S: Float64Array,
  base: Float64Array,
  at: number,
  rows: Float64Array,
  f: number,
  index: Int32Array,
  w: number,
  half: number,
): void {
  const [ax, ay, az] = [S[3], S[4], S[5]];
  const [bx, by, bz] = [S[6], S[7], S[8]];
  let nx = ay * bz - az * by;
  let ny = az * bx - ax * bz;
  let nz = ax * by - ay * bx;
  const area = Math.sqrt(nx * nx + ny * ny + nz * nz) || 1e-300;
  nx /= area;
  ny /= area;
  nz /= area;
  const E = ax * ax + ay * ay + az * az;
  const F = ax * bx + ay * by + az * bz;
  const G = bx * bx + by * by + bz * bz;
  const D = (o: number, e: number) => base[at + 3 * o + e];
  // d(area) = n . (dS_x x S_y + S_x x dS_y); S_x x n and n x S_y are its tangent parts
  const ux = [by * nz - bz * ny, bz * nx - bx * nz, bx * ny - by * nx];
  const uy = [ny * az - nz * ay, nz * ax - nx * az, nx * ay - ny * ax];
  const along = (o: number, u: number[]) => D(o, 0) * u[0] + D(o, 1) * u[1] + D(o, 2) * u[2];
  // dS_x = dh_x D + dh D_x, dS_y = dh_y D + dh D_y
  const [cx, cy] = [along(0, ux), along(0, uy)];
  const c0 = along(1, ux) + along(2, uy);
  const dn = nx * D(0, 0) + ny * D(0, 1) + nz * D(0, 2);
  const k = (f * dn * dn) / area;
  for (let a = 0; a < LOCAL; a++) {
    const [h0, hx, hy] = [rows[a], rows[LOCAL + a], rows[2 * LOCAL + a]];
    const i = index[a];
    B[i] -= f * (c0 * h0 + cx * hx + cy * hy);
    const o = i * w + half - i;
    for (let c = 0; c <= a; c++) {
      const [px, py] = [rows[LOCAL + c], rows[2 * LOCAL + c]];
      A[o + index[c]] += k * (G * hx * px - F * (hx * py + hy * px) + E * hy * py);
    }
  }
}

/** Value of the heights at a place. */
export function heightOf(f: HeightField, x: number, y: number): number {
  const s = new Stencil(f.knotsX, f.knotsY, f.count);
  s.at(x, y);
  const row = new Float64Array(LOCAL);
  s.row(0, 0, row);
  let v = 0;
  for (let a = 0; a < LOCAL; a++) v += row[a] * f.h[s.index[a]];
  return v;
}
export const PATCH_DEGREE = DEGREE;
