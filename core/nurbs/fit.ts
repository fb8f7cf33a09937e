import { distance, solveDense, unit, type Vec3 } from '../math/index.ts';
import { closestOnCurve } from './closest.ts';
import { domain, makeCurve, type NurbsCurve, pointAt, remapCurve } from './curve.ts';
import { basisDerivatives, clampedKnots, clipNet, findSpan } from './spline.ts';

/** Parameters of points: chord length to the power 1/2 (centripetal, Lee 1989) or 1 (chord). From 0 to 1. */
export function pointParameters(points: readonly Vec3[], closed = false, power = 0.5): Float64Array {
  const list = closed ? [...points, points[0]] : points;
  const at = new Float64Array(list.length);
  for (let i = 1; i < list.length; i++) at[i] = at[i - 1] + Math.max(1e-12, distance(list[i], list[i - 1]) ** power);
  const total = at[at.length - 1];
  return at.map((t) => t / total);
}

/** Knots by averaging parameters (Piegl & Tiller 9.8). */
export function averagedKnots(at: ArrayLike<number>, degree: number): Float64Array {
  const n = at.length;
  const knots = new Float64Array(n + degree + 1);
  for (let i = 0; i <= degree; i++) {
    knots[i] = at[0];
    knots[n + i] = at[n - 1];
  }
  for (let j = 1; j < n - degree; j++) {
    let s = 0;
    for (let i = j; i < j + degree; i++) s += at[i];
    knots[j + degree] = s / degree;
  }
  return knots;
}

export interface ThroughOptions {
  readonly degree?: number;
  readonly closed?: boolean;
  /** Unit directions at the ends (open curves). */
  readonly startTangent?: Vec3;
  readonly endTangent?: Vec3;
}

/** Spline through points, C(degree-1), with optional end directions; closed ones are periodic. Throws on repeated points only through NaN-free fallback. */
export function curveThrough(points: readonly Vec3[], options: ThroughOptions = {}): NurbsCurve {
  const closed = options.closed ?? false;
  const degree = Math.max(
    1,
    Math.min(
      options.degree ?? 3,
      closed ? points.length - 1 : points.length - 1 + (options.startTangent ? 1 : 0) + (options.endTangent ? 1 : 0),
    ),
  );
  if (closed) return closedThrough(points, degree);
  const at = pointParameters(points);
  const n = points.length;
  const rows: { t: number; order: 0 | 1; value: Vec3 }[] = points.map((p, i) => ({ t: at[i], order: 0 as const, value: p }));
  const total = points.reduce((s, p, i) => (i ? s + distance(p, points[i - 1]) : 0), 0);
  if (options.endTangent)
    rows.splice(n - 1, 0, { t: 1, order: 1, value: unit(options.endTangent).map((x) => x * total) as unknown as Vec3 });
  if (options.startTangent)
    rows.splice(1, 0, { t: 0, order: 1, value: unit(options.startTangent).map((x) => x * total) as unknown as Vec3 });
  const spread = rows.map((r) => r.t);
  const knots = averagedKnots(spread, degree);
  const m = rows.length;
  const A = new Float64Array(m * m);
  const B = new Float64Array(m * 3);
  const b = new Float64Array(2 * (degree + 1));
  rows.forEach((r, i) => {
    const span = findSpan(knots, degree, r.t);
    basisDerivatives(knots, degree, span, r.t, 1, b);
    for (let j = 0; j <= degree; j++) A[i * m + span - degree + j] = b[r.order * (degree + 1) + j];
    B.set(r.value, i * 3);
  });
  if (!solveDense(A, B, m, 3)) return makeCurve(1, points, [0, ...at, 1]);
  return makeCurve(
    degree,
    Array.from({ length: m }, (_, i) => [B[3 * i], B[3 * i + 1], B[3 * i + 2]]),
    knots,
  );
}

function closedThrough(points: readonly Vec3[], degree: number): NurbsCurve {
  const n = points.length;
  const at = pointParameters(points, true);
  // periodic knots: the parameters themselves (odd degree) or their midpoints (even degree)
  const base = degree % 2 ? Array.from(at.slice(0, n)) : Array.from({ length: n }, (_, i) => (at[i] + at[i + 1]) / 2 - (at[1] - at[0]) / 2);
  const knot = (i: number) => base[((i % n) + n) % n] + Math.floor(i / n);
  const knots = Float64Array.from({ length: n + 2 * degree + 1 }, (_, i) => knot(i - degree));
  const A = new Float64Array(n * n);
  const B = new Float64Array(n * 3);
  const b = new Float64Array(degree + 1);
  for (let i = 0; i < n; i++) {
    let t = at[i];
    if (t < knots[degree]) t += 1;
    let span = degree;
    while (span < n + degree - 1 && knots[span + 1] <= t) span++;
    basisDerivatives(knots, degree, span, t, 0, b);
    for (let j = 0; j <= degree; j++) A[i * n + ((span - degree + j) % n)] += b[j];
    B.set(points[i], i * 3);
  }
  if (!solveDense(A, B, n, 3)) return makeCurve(1, [...points, points[0]], [0, ...at, 1]);
  const wrap = Array.from({ length: n + degree }, (_, i) => [B[3 * (i % n)], B[3 * (i % n) + 1], B[3 * (i % n) + 2]]);
  const open = makeCurve(degree, wrap, knots);
  const net = clipNet({ degree, knots: open.knots, data: open.control, stride: 4 }, knots[degree], knots[n + degree]);
  return remapCurve({ ...open, knots: net.knots, control: net.data }, 0, 1);
}

/** Least-squares fit of values (rows of `dim`) at increasing parameters on given knots; first and last row are kept exactly. */
export function fitOnKnots(
  degree: number,
  knots: Float64Array,
  at: ArrayLike<number>,
  values: Float64Array,
  dim: number,
): Float64Array | undefined {
  const n = knots.length - degree - 1;
  const inner = n - 2;
  const half = degree;
  const w = 2 * half + 1;
  const m = at.length;
  const first = values.subarray(0, dim);
  const last = values.subarray((m - 1) * dim, m * dim);
  const out = new Float64Array(n * dim);
  out.set(first);
  out.set(last, (n - 1) * dim);
  if (inner <= 0) return out;
  const A = new Float64Array(inner * w);
  const B = new Float64Array(inner * dim);
  const b = new Float64Array(degree + 1);
  const residual = new Float64Array(dim);
  for (let i = 1; i < m - 1; i++) {
    const span = findSpan(knots, degree, at[i]);
    basisDerivatives(knots, degree, span, at[i], 0, b);
    for (let d = 0; d < dim; d++) residual[d] = values[i * dim + d];
    for (let j = 0; j <= degree; j++) {
      const row = span - degree + j;
      if (row === 0) for (let d = 0; d < dim; d++) residual[d] -= b[j] * first[d];
      if (row === n - 1) for (let d = 0; d < dim; d++) residual[d] -= b[j] * last[d];
    }
    for (let j = 0; j <= degree; j++) {
      const row = span - degree + j - 1;
      if (row < 0 || row >= inner) continue;
      for (let d = 0; d < dim; d++) B[row * dim + d] += b[j] * residual[d];
      for (let k = 0; k <= degree; k++) {
        const col = span - degree + k - 1;
        if (col < 0 || col >= inner) continue;
        A[row * w + col - row + half] += b[j] * b[k];
      }
    }
  }
  for (let i = 0; i < inner; i++) A[i * w + half] += 1e-14;
  if (!solveNormal(A, B, inner, half, dim)) return undefined;
  out.set(B, dim);
  return out;
}
function solveNormal(A: Float64Array, B: Float64Array, n: number, half: number, m: number): boolean {
  const w = 2 * half + 1;
  for (let k = 0; k < n; k++) {
    const pivot = A[k * w + half];
    if (!(pivot > 0)) return false;
    for (let i = k + 1; i <= Math.min(n - 1, k + half); i++) {
      const f = A[i * w + k - i + half] / pivot;
      if (f === 0) continue;
      for (let j = k; j <= Math.min(n - 1, k + half); j++) A[i * w + j - i + half] -= f * A[k * w + j - k + half];
      for (let j = 0; j < m; j++) B[i * m + j] -= f * B[k * m + j];
    }
  }
  for (let k = n - 1; k >= 0; k--)
    for (let j = 0; j < m; j++) {
      let s = B[k * m + j];
      for (let i = k + 1; i <= Math.min(n - 1, k + half); i++) s -= A[k * w + i - k + half] * B[i * m + j];
      B[k * m + j] = s / A[k * w + half];
    }
  return true;
}

/** Curve with a chosen degree and control-point count, least squares over equal parameters; deviation measured densely. */
export function refitCurve(c: NurbsCurve, degree: number, points: number): { curve: NurbsCurve; deviation: number; at: Vec3 } {
  const [a, b] = domain(c);
  const knots = clampedKnots(points, degree).map((k) => a + k * (b - a));
  const n = Math.max(200, points * 12);
  const at = Float64Array.from({ length: n + 1 }, (_, i) => (i === n ? b : a + ((b - a) * i) / n));
  const values = new Float64Array((n + 1) * 3);
  at.forEach((t, i) => values.set(pointAt(c, t), i * 3));
  const data = fitOnKnots(degree, knots, at, values, 3) ?? new Float64Array(points * 3);
  const curve = makeCurve(
    degree,
    Array.from({ length: points }, (_, i) => [data[3 * i], data[3 * i + 1], data[3 * i + 2]]),
    knots,
  );
  let deviation = 0;
  let where: Vec3 = pointAt(c, a);
  for (let i = 0; i <= 400; i++) {
    const p = pointAt(c, a + ((b - a) * i) / 400);
    const d = closestOnCurve(curve, p).distance;
    if (d > deviation) {
      deviation = d;
      where = p;
    }
  }
  return { curve, deviation, at: where };
}
