import { solveDense } from '../math/index.ts';
import { averagedKnots, basisDerivatives, clampedKnots, clipNet, findSpan, interpolateInSpace, type NurbsCurve } from '../nurbs/index.ts';

export interface AcrossOptions {
  readonly degree: number;
  /** Closed ring: the last row runs on into the first. */
  readonly ring: boolean;
  readonly fit: 'through' | 'near';
}
export interface Across {
  readonly degree: number;
  readonly knots: Float64Array;
  /** Control rows, each as long as the control of one given row. */
  readonly data: Float64Array;
  /** Parameters of the given rows. */
  readonly at: readonly number[];
}
/** Parameters of rows in 0..1 by the mean way between their control points. */
export function rowParameters(rows: readonly NurbsCurve[], ring: boolean): number[] {
  const stride = rows[0].control.length;
  const list = ring ? [...rows, rows[0]] : rows;
  const at = [0];
  for (let k = 1; k < list.length; k++) {
    let d = 0;
    for (let i = 0; i < stride; i += 4) {
      const [wa, wb] = [list[k - 1].control[i + 3], list[k].control[i + 3]];
      d += Math.hypot(
        list[k].control[i] / wb - list[k - 1].control[i] / wa,
        list[k].control[i + 1] / wb - list[k - 1].control[i + 1] / wa,
        list[k].control[i + 2] / wb - list[k - 1].control[i + 2] / wa,
      );
    }
    at.push(at[k - 1] + Math.max(1e-9, d));
  }
  const total = at[at.length - 1];
  return at.map((t) => t / total);
}
/** Interpolates (or approximates) whole control rows across the sections. Throws when the sections lie on each other. */
export function acrossRows(rows: readonly NurbsCurve[], options: AcrossOptions): Across {
  const stride = rows[0].control.length;
  const params = rowParameters(rows, options.ring);
  const degree = Math.max(1, Math.min(options.degree, rows.length - 1));
  const data = new Float64Array(rows.length * stride);
  rows.forEach((r, i) => data.set(r.control, i * stride));
  if (options.ring) return { ...ringAcross(data, rows.length, stride, params, degree, options.fit), at: params };
  if (options.fit === 'near') return { degree, knots: clampedKnots(rows.length, degree), data, at: params };
  const knots = averagedKnots(params, degree);
  const net = interpolateInSpace(degree, knots, Float64Array.from(params), data, stride);
  if (!net) throw new Error('the sections lie on each other');
  return { degree, knots, data: net.data, at: params };
}

/**
 * Interpolates rows of `stride` numbers at `params` with derivative rows at the two ends: `start[k]` is the (k+1)-th derivative at the
 * first parameter, `end` likewise at the last. Hermite interpolation on knots averaged over the repeated parameters (de Boor 1978, ch. XIII).
 */
export function acrossHermite(
  rows: readonly Float64Array[],
  params: readonly number[],
  start: readonly Float64Array[],
  end: readonly Float64Array[],
  wished: number,
): { degree: number; knots: Float64Array; data: Float64Array } {
  const stride = rows[0].length;
  const n = rows.length + start.length + end.length;
  const degree = Math.max(1, Math.min(n - 1, Math.max(wished, 2 * Math.max(start.length, end.length) + 1)));
  const taus = [...Array<number>(start.length).fill(params[0]), ...params, ...Array<number>(end.length).fill(params[params.length - 1])];
  const knots = averagedKnots(taus, degree);
  const A = new Float64Array(n * n);
  const B = new Float64Array(n * stride);
  const b = new Float64Array(5 * (degree + 1));
  const put = (row: number, t: number, order: number, values: Float64Array) => {
    const span = findSpan(knots, degree, t);
    basisDerivatives(knots, degree, span, t, order, b);
    for (let j = 0; j <= degree; j++) A[row * n + span - degree + j] = b[order * (degree + 1) + j];
    B.set(values, row * stride);
  };
  let r = 0;
  put(r++, params[0], 0, rows[0]);
  start.forEach((d, k) => {
    put(r++, params[0], k + 1, d);
  });
  for (let i = 1; i + 1 < rows.length; i++) put(r++, params[i], 0, rows[i]);
  [...end].reverse().forEach((d, k) => {
    put(r++, params[params.length - 1], end.length - k, d);
  });
  put(r++, params[params.length - 1], 0, rows[rows.length - 1]);
  if (!solveDense(A, B, n, stride)) throw new Error('the sections lie on each other');
  return { degree, knots, data: B };
}

function ringAcross(data: Float64Array, n: number, stride: number, params: readonly number[], degree: number, fit: 'through' | 'near') {
  const base =
    fit === 'near'
      ? Array.from({ length: n }, (_, i) => i / n)
      : degree % 2
        ? params.slice(0, n)
        : Array.from({ length: n }, (_, i) => (params[i] + params[i + 1]) / 2 - (params[1] - params[0]) / 2);
  const knot = (i: number) => base[((i % n) + n) % n] + Math.floor(i / n);
  const knots = Float64Array.from({ length: n + 2 * degree + 1 }, (_, i) => knot(i - degree));
  let rows = data;
  if (fit === 'through') {
    const A = new Float64Array(n * n);
    const B = new Float64Array(data);
    const b = new Float64Array(degree + 1);
    for (let i = 0; i < n; i++) {
      const t = params[i] < knots[degree] ? params[i] + 1 : params[i];
      const span = findSpan(knots, degree, t);
      basisDerivatives(knots, degree, span, t, 0, b);
      for (let j = 0; j <= degree; j++) A[i * n + ((span - degree + j) % n)] += b[j];
    }
    if (!solveDense(A, B, n, stride)) throw new Error('the ring of sections cannot be interpolated');
    rows = B;
  }
  const wrapped = new Float64Array((n + degree) * stride);
  for (let i = 0; i < n + degree; i++) wrapped.set(rows.subarray((i % n) * stride, ((i % n) + 1) * stride), i * stride);
  const net = clipNet({ degree, knots, data: wrapped, stride }, knots[degree], knots[n + degree]);
  return { degree, knots: net.knots, data: net.data };
}
