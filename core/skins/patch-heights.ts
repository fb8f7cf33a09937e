import { type Frame, solveSymmetricBanded, type Vec3 } from '../math/index.ts';
import { basisDerivatives, clampedKnots, findSpan, greville, makeSurface, type NurbsSurface } from '../nurbs/index.ts';

import type { PatchGrade, Sample } from './patch.ts';

const DEGREE = 5;

interface Heights {
  readonly knotsX: Float64Array;
  readonly knotsY: Float64Array;
  readonly count: number;
  readonly h: Float64Array;
}

/** Values of the (DEGREE+1)² products of basis functions and their derivatives at a point. */
class Stencil {
  private readonly bx = new Float64Array(4 * (DEGREE + 1));
  private readonly by = new Float64Array(4 * (DEGREE + 1));
  first = 0;
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
    this.first = (sx - DEGREE) * this.count + sy - DEGREE;
  }
  /** Row of d^(i+j)/dx^i dy^j for the local functions. */
  row(i: number, j: number, out: Float64Array): void {
    const w = DEGREE + 1;
    for (let a = 0; a < w; a++) for (let c = 0; c < w; c++) out[a * w + c] = this.bx[i * w + a] * this.by[j * w + c];
  }
  index(local: number): number {
    const w = DEGREE + 1;
    return this.first + Math.floor(local / w) * this.count + (local % w);
  }
}

export function solveHeights(
  K: number,
  polygon: readonly (readonly [number, number])[],
  samples: readonly Sample[],
  grades: readonly PatchGrade[],
): Heights | undefined {
  const w = DEGREE + 1;
  const local = w * w;
  const [x0, x1, y0, y1] = polygon.reduce(
    (r, p) => [Math.min(r[0], p[0]), Math.max(r[1], p[0]), Math.min(r[2], p[1]), Math.max(r[3], p[1])],
    [Infinity, -Infinity, Infinity, -Infinity],
  );
  const pad = 0.002 * Math.max(x1 - x0, y1 - y0);
  const span = (a: number, b: number) => clampedKnots(K, DEGREE).map((k) => a - pad + (b - a + 2 * pad) * k);
  const knotsX = span(x0, x1);
  const knotsY = span(y0, y1);
  const cells = K - DEGREE;
  const cell = Math.max((x1 - x0) / cells, (y1 - y0) / cells);
  const n = K * K;
  const half = DEGREE * K + DEGREE;
  const stencil = new Stencil(knotsX, knotsY, K);
  const smooth = grades.some((g) => g > 0);
  const rows = Array.from({ length: 10 }, () => new Float64Array(local));
  const add = (A: Float64Array, B: Float64Array | undefined, row: Float64Array, weight: number, value: number) => {
    for (let a = 0; a < local; a++) {
      const f = weight * row[a];
      if (f === 0) continue;
      const i = stencil.index(a);
      for (let c = 0; c <= a; c++) A[i * (half + 1) + half - (i - stencil.index(c))] += f * row[c];
      if (B) B[i] += f * value;
    }
  };
  // conditions on the boundary do not change between passes
  const fixedA = new Float64Array(n * (half + 1));
  const fixedB = new Float64Array(n);
  const W = 1e7 / samples.length;
  const turned = new Float64Array(local);
  for (const s of samples) {
    stencil.at(s.x, s.y);
    stencil.row(0, 0, rows[0]);
    add(fixedA, fixedB, rows[0], W, s.z);
    if (s.slope !== undefined) {
      stencil.row(1, 0, rows[1]);
      stencil.row(0, 1, rows[2]);
      for (let a = 0; a < local; a++) turned[a] = s.d[0] * rows[1][a] + s.d[1] * rows[2][a];
      add(fixedA, fixedB, turned, W * cell ** 2, s.slope);
    }
    if (s.bend !== undefined) {
      stencil.row(2, 0, rows[1]);
      stencil.row(1, 1, rows[2]);
      stencil.row(0, 2, rows[3]);
      for (let a = 0; a < local; a++) turned[a] = s.d[0] ** 2 * rows[1][a] + 2 * s.d[0] * s.d[1] * rows[2][a] + s.d[1] ** 2 * rows[3][a];
      add(fixedA, fixedB, turned, W * cell ** 4, s.bend);
    }
  }
  const inside = insideTest(polygon);
  const gauss = [0.5 - Math.sqrt(1 / 12), 0.5 + Math.sqrt(1 / 12)];
  let h: Float64Array | undefined;
  const passes = smooth ? 4 : 1;
  for (let pass = 0; pass < passes; pass++) {
    const A = fixedA.slice();
    const B = fixedB.slice();
    for (let i = 0; i < cells; i++)
      for (let j = 0; j < cells; j++)
        for (const gx of gauss)
          for (const gy of gauss) {
            const x = knotsX[DEGREE + i] + gx * (knotsX[DEGREE + i + 1] - knotsX[DEGREE + i]);
            const y = knotsY[DEGREE + j] + gy * (knotsY[DEGREE + j + 1] - knotsY[DEGREE + j]);
            const share = (inside(x, y) ? 1 : 1e-3) / (4 * cells * cells);
            stencil.at(x, y);
            if (!smooth) {
              // position only: a thin plate, which keeps flat things flat
              [
                [2, 0, 1],
                [1, 1, 2],
                [0, 2, 1],
              ].forEach(([a, c, m]) => {
                stencil.row(a, c, rows[0]);
                add(A, undefined, rows[0], share * m * cell ** 4, 0);
              });
              continue;
            }
            curvatureVariation(stencil, rows, h, (row, m) => add(A, undefined, row, share * m * cell ** 6, 0), pass > 0);
          }
    if (!solveSymmetricBanded(A, B, n, half)) return undefined;
    h = B;
  }
  return h && { knotsX, knotsY, count: K, h };
}

/** Rows of the derivative of curvature at the stencil's point, frozen at heights h; plain third derivatives in the first pass. */
function curvatureVariation(
  stencil: Stencil,
  rows: Float64Array[],
  h: Float64Array | undefined,
  emit: (row: Float64Array, weight: number) => void,
  frozen: boolean,
): void {
  const local = (DEGREE + 1) ** 2;
  const [h20, h11, h02, h30, h21, h12, h03, out] = rows;
  stencil.row(3, 0, h30);
  stencil.row(2, 1, h21);
  stencil.row(1, 2, h12);
  stencil.row(0, 3, h03);
  if (!frozen || !h) {
    emit(h30, 1);
    emit(h21, 3);
    emit(h12, 3);
    emit(h03, 1);
    return;
  }
  stencil.row(2, 0, h20);
  stencil.row(1, 1, h11);
  stencil.row(0, 2, h02);
  const value = (row: Float64Array) => {
    let s = 0;
    for (let a = 0; a < local; a++) s += row[a] * h[stencil.index(a)];
    return s;
  };
  const [xx, xy, yy] = [value(h20), value(h11), value(h02)];
  stencil.row(1, 0, rows[8]);
  stencil.row(0, 1, rows[9]);
  const g = [value(rows[8]), value(rows[9])];
  const H = [
    [xx, xy],
    [xy, yy],
  ];
  const w2 = 1 + g[0] ** 2 + g[1] ** 2;
  const w = Math.sqrt(w2);
  const wk = [0, 1].map((k) => (g[0] * H[0][k] + g[1] * H[1][k]) / w);
  // r_kij = h_ijk/w - h_ij w_k/w² - Gamma^l_ki h_lj/w - Gamma^l_kj h_il/w, linear in h with w and Gamma frozen
  const gamma = (l: number, i: number, j: number) => (H[i][j] * g[l]) / w2;
  const second = (i: number, j: number) => (i + j === 0 ? h20 : i + j === 1 ? h11 : h02);
  const third = (s: number) => [h30, h21, h12, h03][s];
  const r: Record<string, Float64Array> = {};
  for (const k of [0, 1])
    for (const i of [0, 1])
      for (const j of [0, 1]) {
        const row = new Float64Array(local);
        const t = third(k + i + j);
        const s = second(i, j);
        for (let a = 0; a < local; a++) {
          let v = t[a] / w - (s[a] * wk[k]) / w2;
          for (const l of [0, 1]) v -= (gamma(l, k, i) * second(l, j)[a] + gamma(l, k, j) * second(i, l)[a]) / w;
          row[a] = v;
        }
        r[`${k}${i}${j}`] = row;
      }
  // orthonormal tangent frame E = g^-1/2 (symmetric square root of the inverse metric)
  const q = (1 / w - 1) / (w2 - 1 || 1);
  const E =
    w2 - 1 < 1e-14
      ? [
          [1, 0],
          [0, 1],
        ]
      : [
          [1 + q * g[0] * g[0], q * g[0] * g[1]],
          [q * g[0] * g[1], 1 + q * g[1] * g[1]],
        ];
  for (const [A, B, C, m] of [
    [0, 0, 0, 1],
    [0, 0, 1, 3],
    [0, 1, 1, 3],
    [1, 1, 1, 1],
  ]) {
    out.fill(0);
    for (const k of [0, 1])
      for (const i of [0, 1])
        for (const j of [0, 1]) {
          const f = E[A][k] * E[B][i] * E[C][j];
          const row = r[`${k}${i}${j}`];
          for (let a = 0; a < local; a++) out[a] += f * row[a];
        }
    emit(out, m * w);
  }
}

function insideTest(poly: readonly (readonly [number, number])[]): (x: number, y: number) => boolean {
  return (x, y) => {
    let odd = false;
    for (let i = 0, j = poly.length - 1; i < poly.length; j = i++)
      if (poly[i][1] > y !== poly[j][1] > y && x < ((poly[j][0] - poly[i][0]) * (y - poly[i][1])) / (poly[j][1] - poly[i][1]) + poly[i][0])
        odd = !odd;
    return odd;
  };
}

export function missesOf(H: Heights, samples: readonly Sample[]): { gap: number; kink: number; step: number } {
  const stencil = new Stencil(H.knotsX, H.knotsY, H.count);
  const row = new Float64Array((DEGREE + 1) ** 2);
  const value = (i: number, j: number) => {
    stencil.row(i, j, row);
    let s = 0;
    for (let a = 0; a < row.length; a++) s += row[a] * H.h[stencil.index(a)];
    return s;
  };
  let [gap, kink, step] = [0, 0, 0];
  const largest = Math.max(1e-9, ...samples.map((s) => Math.abs(s.bend ?? 0)));
  for (const s of samples) {
    stencil.at(s.x, s.y);
    const g = [value(1, 0), value(0, 1)];
    gap = Math.max(gap, Math.abs(value(0, 0) - s.z) / Math.hypot(1, ...g));
    if (s.slope !== undefined) {
      const own = s.d[0] * g[0] + s.d[1] * g[1];
      kink = Math.max(kink, (Math.abs(Math.atan(own) - Math.atan(s.slope)) * 180) / Math.PI);
    }
    if (s.bend !== undefined) {
      const own = s.d[0] ** 2 * value(2, 0) + 2 * s.d[0] * s.d[1] * value(1, 1) + s.d[1] ** 2 * value(0, 2);
      step = Math.max(step, Math.abs(own - s.bend) / Math.max(Math.abs(own), Math.abs(s.bend), 0.1 * largest));
    }
  }
  return { gap, kink, step };
}

export function surfaceOf(H: Heights, f: Frame): NurbsSurface {
  const gx = greville(H.knotsX, DEGREE);
  const gy = greville(H.knotsY, DEGREE);
  const points = Array.from(gx, (x, i) =>
    Array.from(
      gy,
      (y, j): Vec3 => [0, 1, 2].map((k) => f.origin[k] + x * f.x[k] + y * f.y[k] + H.h[i * H.count + j] * f.z[k]) as unknown as Vec3,
    ),
  );
  return makeSurface(DEGREE, DEGREE, points, H.knotsX, H.knotsY);
}
