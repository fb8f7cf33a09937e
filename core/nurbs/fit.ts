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

/** The function with its values kept: refinement asks again at the nodes of spans that stay. */
function remembered(f: (t: number, out: Float64Array) => void, dim: number): (t: number, out: Float64Array) => void {
  const kept = new Map<number, Float64Array>();
  return (t, out) => {
    let v = kept.get(t);
    if (!v) {
      v = new Float64Array(dim);
      f(t, v);
      kept.set(t, v);
    }
    out.set(v);
  };
}

/** A break known beforehand, with the knot multiplicity its smoothness asks for (degree minus continuity). */
export interface FitSeed {
  readonly t: number;
  readonly multiplicity: number;
}
export interface SampledFit {
  readonly knots: Float64Array;
  readonly data: Float64Array;
  readonly deviation: number;
}
/** The curve of a fit whose rows are points. */
export const curveOfFit = (fit: { readonly knots: Float64Array; readonly data: Float64Array }, degree: number): NurbsCurve =>
  makeCurve(
    degree,
    Array.from({ length: fit.data.length / 3 }, (_, i) => [fit.data[3 * i], fit.data[3 * i + 1], fit.data[3 * i + 2]]),
    fit.knots,
  );
/**
 * Fits a vector function f over [a, b] (rows of `dim`) to `tolerance` (checked at points that were not fitted) by inserting knots where the
 * error is, starting from `seeds`. Rows of one result share one knot vector, so several curves can be fitted together.
 */
export function fitFunction(
  given: (t: number, out: Float64Array) => void,
  a: number,
  b: number,
  dim: number,
  degree: number,
  tolerance: number,
  seeds: readonly (number | FitSeed)[] = [],
  maxSpans = 400,
): SampledFit {
  const wanted = seeds
    .map((k): FitSeed => (typeof k === 'number' ? { t: k, multiplicity: 1 } : k))
    .filter((k) => k.t > a + 1e-6 * (b - a) && k.t < b - 1e-6 * (b - a))
    .sort((x, y) => x.t - y.t);
  const merged: FitSeed[] = [];
  for (const k of wanted) {
    const last = merged[merged.length - 1];
    if (last && k.t - last.t < 1e-7 * (b - a))
      merged[merged.length - 1] = { t: last.t, multiplicity: Math.max(last.multiplicity, k.multiplicity) };
    else merged.push(k);
  }
  const multiplicity = new Map(merged.map((k) => [k.t, Math.min(degree, k.multiplicity)]));
  let breaks = [a, ...merged.map((k) => k.t), b];
  const f = remembered(given, dim);
  const row = new Float64Array(dim);
  const value = new Float64Array(dim);
  const basis = new Float64Array(degree + 1);
  let best: SampledFit | undefined;
  for (;;) {
    const knots = Float64Array.from([
      ...Array(degree).fill(a),
      ...breaks.flatMap((t) => Array(multiplicity.get(t) ?? 1).fill(t)),
      ...Array(degree).fill(b),
    ]);
    const per = 2 * degree + 2;
    const at: number[] = [];
    for (let i = 0; i + 1 < breaks.length; i++)
      for (let k = 0; k < per; k++)
        at.push(breaks[i] + ((breaks[i + 1] - breaks[i]) * (1 - Math.cos((Math.PI * (k + (i === 0 && k === 0 ? 0 : 0.5))) / per))) / 2);
    at[0] = a;
    at.push(b);
    const values = new Float64Array(at.length * dim);
    at.forEach((t, i) => {
      f(t, row);
      values.set(row, i * dim);
    });
    const data = fitOnKnots(degree, knots, at, values, dim);
    if (!data)
      return (
        best ?? {
          knots: Float64Array.from([...Array(degree + 1).fill(a), ...Array(degree + 1).fill(b)]),
          data: new Float64Array((degree + 1) * dim),
          deviation: Infinity,
        }
      );
    let deviation = 0;
    const split: number[] = [];
    for (let i = 0; i + 1 < breaks.length; i++) {
      let worst = 0;
      for (let k = 0; k < 9; k++) {
        const t = breaks[i] + ((breaks[i + 1] - breaks[i]) * (k + 0.37)) / 9;
        f(t, row);
        const span = findSpan(knots, degree, t);
        basisDerivatives(knots, degree, span, t, 0, basis);
        value.fill(0);
        for (let j = 0; j <= degree; j++) for (let d = 0; d < dim; d++) value[d] += basis[j] * data[(span - degree + j) * dim + d];
        let e = 0;
        for (let d = 0; d < dim; d++) e += (value[d] - row[d]) ** 2;
        worst = Math.max(worst, Math.sqrt(e));
      }
      deviation = Math.max(deviation, worst);
      if (worst > tolerance) split.push(i);
    }
    if (!best || deviation < best.deviation) best = { knots, data, deviation };
    if (!split.length || breaks.length - 1 + split.length > maxSpans) return best;
    const next: number[] = [];
    breaks.forEach((t, i) => {
      next.push(t);
      if (split.includes(i)) next.push((t + breaks[i + 1]) / 2);
    });
    breaks = next;
  }
}

/**
 * Like `fitFunction`, for a function that repeats after [a, b]: the control rows repeat too, so that the join is as smooth as any other
 * place. The result is clamped to [a, b]. Least squares on the periodic basis, dense normal equations.
 */
export function fitPeriodic(
  given: (t: number, out: Float64Array) => void,
  a: number,
  b: number,
  dim: number,
  degree: number,
  tolerance: number,
  seeds: readonly FitSeed[] = [],
  maxSpans = 160,
): SampledFit {
  const period = b - a;
  // a hair before the end is the start: a knot there would make a span without length
  const wrap = (t: number) => {
    const x = ((((t - a) / period) % 1) + 1) % 1;
    return x > 1 - 1e-10 ? a : a + x * period;
  };
  const sorted = seeds.map((k) => ({ t: wrap(k.t), multiplicity: Math.min(degree, k.multiplicity) })).sort((x, y) => x.t - y.t);
  const multiplicity = new Map<number, number>();
  let breaks: number[] = [];
  for (const k of sorted) {
    const last = breaks.at(-1);
    if (last !== undefined && k.t - last < 1e-7 * period) multiplicity.set(last, Math.max(multiplicity.get(last) ?? 1, k.multiplicity));
    else if (!(breaks.length && breaks[0] + period - k.t < 1e-7 * period)) {
      breaks.push(k.t);
      multiplicity.set(k.t, k.multiplicity);
    }
  }
  for (let i = breaks.length; i < degree + 1; i++) breaks.push(wrap(a + (period * (i + 0.5)) / (degree + 1)));
  breaks = [...new Set(breaks)].sort((x, y) => x - y);
  const f = remembered(given, dim);
  const row = new Float64Array(dim);
  const basis = new Float64Array(degree + 1);
  let best: SampledFit | undefined;
  for (;;) {
    const flat = breaks.flatMap((t) => Array<number>(multiplicity.get(t) ?? 1).fill(t));
    const n = flat.length;
    const knot = (i: number) => flat[((i % n) + n) % n] + period * Math.floor(i / n);
    const knots = Float64Array.from({ length: n + 2 * degree + 1 }, (_, i) => knot(i - degree));
    const lowest = knots[degree];
    const locate = (t: number) => {
      let x = t < lowest ? t + period : t;
      if (x >= knots[n + degree]) x -= period;
      let low = degree;
      let high = n + degree;
      while (high - low > 1) {
        const mid = (low + high) >> 1;
        if (x < knots[mid]) high = mid;
        else low = mid;
      }
      return { x, span: low };
    };
    const A = new Float64Array(n * n);
    const B = new Float64Array(n * dim);
    const per = 2 * degree + 2;
    for (let i = 0; i < breaks.length; i++) {
      const [p, q] = [breaks[i], i + 1 < breaks.length ? breaks[i + 1] : breaks[0] + period];
      for (let k = 0; k < per; k++) {
        const t = p + ((q - p) * (1 - Math.cos((Math.PI * (k + 0.5)) / per))) / 2;
        f(wrap(t), row);
        const { x, span } = locate(wrap(t));
        basisDerivatives(knots, degree, span, x, 0, basis);
        for (let j = 0; j <= degree; j++) {
          const r = (span - degree + j) % n;
          for (let d = 0; d < dim; d++) B[r * dim + d] += basis[j] * row[d];
          for (let m = 0; m <= degree; m++) A[r * n + ((span - degree + m) % n)] += basis[j] * basis[m];
        }
      }
    }
    for (let i = 0; i < n; i++) A[i * n + i] += 1e-13;
    if (!solveDense(A, B, n, dim)) return best ?? fitFunction(f, a, b, dim, degree, tolerance, seeds, maxSpans);
    let deviation = 0;
    const split = new Set<number>();
    for (let i = 0; i < breaks.length; i++) {
      const [p, q] = [breaks[i], i + 1 < breaks.length ? breaks[i + 1] : breaks[0] + period];
      let worst = 0;
      for (let k = 0; k < 9; k++) {
        const t = wrap(p + ((q - p) * (k + 0.37)) / 9);
        f(t, row);
        const { x, span } = locate(t);
        basisDerivatives(knots, degree, span, x, 0, basis);
        let e = 0;
        for (let d = 0; d < dim; d++) {
          let v = 0;
          for (let j = 0; j <= degree; j++) v += basis[j] * B[((span - degree + j) % n) * dim + d];
          e += (v - row[d]) ** 2;
        }
        worst = Math.max(worst, Math.sqrt(e));
      }
      deviation = Math.max(deviation, worst);
      if (worst > tolerance) split.add(i);
    }
    if (!best || deviation < best.deviation) {
      // unrolled over three periods, then clipped to [a, b]
      const long = Float64Array.from({ length: 3 * n + degree + 1 }, (_, i) => knot(i - degree - n));
      const rows = new Float64Array(3 * n * dim);
      for (let i = 0; i < 3 * n; i++) rows.set(B.subarray((i % n) * dim, (i % n) * dim + dim), i * dim);
      const net = clipNet({ degree, knots: long, data: rows, stride: dim }, a, b);
      best = { knots: net.knots, data: net.data, deviation };
    }
    if (!split.size || breaks.length + split.size > maxSpans) return best;
    const next: number[] = [];
    breaks.forEach((t, i) => {
      next.push(t);
      if (split.has(i)) {
        const q = i + 1 < breaks.length ? breaks[i + 1] : breaks[0] + period;
        next.push(wrap((t + q) / 2));
      }
    });
    breaks = [...new Set(next)].sort((x, y) => x - y);
  }
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
