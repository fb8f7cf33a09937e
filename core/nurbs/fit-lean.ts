import { type FitSeed, fitFunction, fitPeriodic, type SampledFit } from './fit-function.ts';
import { evaluateNet, knotRuns, type Net } from './spline.ts';

/**
 * A fit of degree p over [a, b] with as few knots as a tolerance needs: halving spans where the error is leaves up to twice too many. A
 * rough fit tells how the function bends; knots are laid so that every span carries the same share of the (p+1)th root of the next
 * derivative (de Boor, A Practical Guide to Splines, ch. XII), and their number follows from the error, which falls with its (p+1)th power.
 * Breaks in `seeds` of more than one knot stay where they are. The error is checked at places that were not fitted.
 */
export function fitLean(
  f: (t: number, out: Float64Array) => void,
  a: number,
  b: number,
  dim: number,
  degree: number,
  tolerance: number,
  seeds: readonly FitSeed[],
  periodic: boolean,
  maxSpans = 400,
): SampledFit {
  const fitted = periodic ? fitPeriodic : fitFunction;
  // neighbouring spans share all but one coefficient: few samples in each are plenty
  const fit = degree + 2;
  const rough = fitted(f, a, b, dim, degree, ROUGH * tolerance, seeds, maxSpans, { fit, check: 9 });
  const spansOf = (r: SampledFit) => knotRuns(r.knots, degree).values.length - 1;
  const whole = (r: SampledFit) => r.deviation <= tolerance;
  const fixed = seeds.filter((s) => s.multiplicity > 1 && s.t > a && s.t < b);
  let best: SampledFit | undefined = whole(rough) ? rough : undefined;
  let told = rough;
  // a rough fit that holds has as few as halving can give, and is thinned too
  let [low, high] = [periodic ? degree : 0, best ? spansOf(best) : Infinity];
  let n = Math.ceil(1.05 * guessed(told, tolerance, degree, spansOf(told)));
  for (let k = 0; k < 8 && high - low > 0.06 * low + 1; k++) {
    n = Math.min(high - 1, Math.max(low + 1, n));
    if (n > maxSpans || spansOf(told) < 3) break;
    const breaks = layKnots(told, dim, degree, n, fixed, periodic);
    if (!breaks) break;
    const r = fitted(f, a, b, dim, degree, tolerance, breaks, breaks.length, { fit, check: 9 });
    if (whole(r)) {
      if (!best || r.data.length < best.data.length) best = r;
      high = n;
      // another try has to save something
      const next = Math.ceil(guessed(r, tolerance, degree, n));
      if (next > 0.9 * n) break;
      n = next;
    } else {
      low = n;
      if (Number.isFinite(r.deviation) && r.deviation < told.deviation) told = r;
      n = Math.ceil(guessed(r, tolerance, degree, n) + 0.3);
    }
  }
  if (best) return best;
  // narrow places that a rough fit does not see: halving finds them, and what it leaves is thinned
  const close = fitted(f, a, b, dim, degree, 0.3 * tolerance, seeds, maxSpans);
  return close.deviation < 0.9 * tolerance ? leanFit(close, dim, degree, tolerance - close.deviation, seeds, periodic) : close;
}
/** A rough fit may be this many times off. */
const ROUGH = 8;
const guessed = (r: SampledFit, tolerance: number, degree: number, spans: number) =>
  spans * Math.max(0.3, Math.min(2, (r.deviation / tolerance) ** (1 / (degree + 1))));

/**
 * The same curve with as few knots as a tolerance needs: halving spans where the error is leaves up to twice too many. Knots are laid so
 * that every span carries the same share of the (p+1)th root of the next derivative (de Boor, A Practical Guide to Splines, ch. XII), and
 * their number is guessed from the error. Breaks in `seeds` of more than one knot stay where they are. The result is within `tolerance` of the
 * given fit (checked at places that were not fitted), or is the given fit.
 */
export function leanFit(
  fit: SampledFit,
  dim: number,
  degree: number,
  tolerance: number,
  seeds: readonly FitSeed[],
  periodic: boolean,
): SampledFit {
  const net: Net = { degree, knots: fit.knots, data: fit.data, stride: dim };
  const { values } = knotRuns(fit.knots, degree);
  const [a, b] = [values[0], values[values.length - 1]];
  const spans = values.length - 1;
  if (spans < 4) return fit;
  const fixed = seeds.filter((s) => s.multiplicity > 1 && s.t > a && s.t < b);
  const again = (n: number): SampledFit | undefined => {
    const breaks = layKnots(fit, dim, degree, n, fixed, periodic);
    if (!breaks) return undefined;
    return (periodic ? fitPeriodic : fitFunction)(
      (t, out) => evaluateNet(net, t, out),
      a,
      b,
      dim,
      degree,
      tolerance,
      breaks,
      breaks.length,
    );
  };
  let best = fit;
  // the error falls with the (p+1)th power of the number: a few guesses between one that fails and one that holds
  let [low, high] = [periodic ? degree : 0, spans];
  let n = Math.max(low + 1, Math.floor(0.7 * spans));
  for (let k = 0; k < 5 && high - low > 1; k++) {
    const r = again(n);
    if (!r) return fit;
    if (r.deviation <= tolerance) {
      if (r.data.length < best.data.length) best = { ...r, deviation: r.deviation + fit.deviation };
      high = n;
    } else low = n;
    const guess = Math.ceil(n * Math.max(0.3, Math.min(2, (r.deviation / tolerance) ** (1 / (degree + 1)))) + 0.3);
    n = Math.min(high - 1, Math.max(low + 1, guess));
  }
  return best;
}

/** Breaks for about `n` spans, even in what each of them carries of the way the net bends. */
function layKnots(
  fit: SampledFit,
  dim: number,
  degree: number,
  n: number,
  fixed: readonly FitSeed[],
  periodic: boolean,
): FitSeed[] | undefined {
  const { values } = knotRuns(fit.knots, degree);
  const [a, b] = [values[0], values[values.length - 1]];
  const spans = values.length - 1;
  const weight = weights({ degree, knots: fit.knots, data: fit.data, stride: dim }, dim, values);
  const whole = weight.reduce((x, y) => x + y, 0);
  if (!(whole > 0 && whole < Infinity)) return undefined;
  const stops = [a, ...fixed.map((s) => s.t), b];
  const out: FitSeed[] = [...fixed];
  for (let k = 0; k + 1 < stops.length; k++) {
    const inside = weight.map((w, i) => w * share(values[i], values[i + 1], stops[k], stops[k + 1]));
    const part = inside.reduce((x, y) => x + y, 0);
    const count = Math.max(1, Math.round((n * part) / whole));
    let [i, before] = [0, 0];
    for (let j = 1; j < count; j++) {
      const want = (part * j) / count;
      while (i < spans - 1 && before + inside[i] < want) before += inside[i++];
      const [from, to] = [Math.max(values[i], stops[k]), Math.min(values[i + 1], stops[k + 1])];
      out.push({ t: from + ((to - from) * (want - before)) / (inside[i] || 1), multiplicity: 1 });
    }
  }
  return periodic ? [...out, { t: a, multiplicity: 1 }] : out;
}

/** The share of [p, q] that lies in [a, b]. */
const share = (p: number, q: number, a: number, b: number) => Math.max(0, Math.min(q, b) - Math.max(p, a)) / (q - p);

/** Per span: its length times the (p+1)th root of the next derivative, which is told from the steps of the pth at the knots around it. */
function weights(net: Net, dim: number, values: readonly number[] | Float64Array): number[] {
  const p = net.degree;
  const spans = values.length - 1;
  const rows = Array.from({ length: spans }, (_, i) => topDerivative(net, dim, values[i], values[i + 1]));
  const steps = Array.from({ length: spans - 1 }, (_, i) => {
    let d = 0;
    for (let k = 0; k < dim; k++) d += (rows[i + 1][k] - rows[i][k]) ** 2;
    return (2 * Math.sqrt(d)) / (values[i + 2] - values[i]);
  });
  return rows.map((_, i) => {
    const around = [steps[i - 1], steps[i]].filter((x): x is number => x !== undefined);
    return (values[i + 1] - values[i]) * (Math.max(...around) || 1e-300) ** (1 / (p + 1));
  });
}
/** The pth derivative, constant on a span: divided differences of p + 1 values in it. */
function topDerivative(net: Net, dim: number, a: number, b: number): Float64Array {
  const p = net.degree;
  const row = new Float64Array(dim);
  const out = new Float64Array(dim);
  const at = Array.from({ length: p + 1 }, (_, i) => (a + b) / 2 - ((b - a) / 2) * Math.cos((Math.PI * (i + 0.5)) / (p + 1)));
  let factorial = 1;
  for (let i = 2; i <= p; i++) factorial *= i;
  at.forEach((t, i) => {
    evaluateNet(net, t, row);
    const w = at.reduce((x, s, j) => (j === i ? x : x / (t - s)), factorial);
    for (let k = 0; k < dim; k++) out[k] += w * row[k];
  });
  return out;
}
