import { solveDense } from '../math/index.ts';
import { makeCurve, type NurbsCurve } from './curve.ts';
import { fitOnKnots } from './fit.ts';
import { basisDerivatives, clipNet, findSpan } from './spline.ts';

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

/** How often a function is asked for in every span: for the fit, and for the check. */
export interface FitSampling {
  readonly fit: number;
  readonly check: number;
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
  sampling: FitSampling = { fit: 2 * degree + 2, check: 9 },
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
  const f = merged.length >= maxSpans ? given : remembered(given, dim);
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
    const per = sampling.fit;
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
      for (let k = 0; k < sampling.check; k++) {
        const t = breaks[i] + ((breaks[i + 1] - breaks[i]) * (k + 0.37)) / sampling.check;
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
      // a jump is never reached by halving: spans of no width end the search
      if (worst > tolerance && breaks[i + 1] - breaks[i] > 1e-9 * (b - a)) split.push(i);
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
  sampling: FitSampling = { fit: 2 * degree + 2, check: 9 },
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
  const f = breaks.length >= maxSpans ? given : remembered(given, dim);
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
    const per = sampling.fit;
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
      for (let k = 0; k < sampling.check; k++) {
        const t = wrap(p + ((q - p) * (k + 0.37)) / sampling.check);
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
      if (worst > tolerance && q - p > 1e-9 * period) split.add(i);
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
