import { distance, solveDense, type Vec3 } from '../math/index.ts';
import {
  averagedKnots,
  basisDerivatives,
  clampedKnots,
  closestOnCurve,
  curveOfFit,
  domain,
  findSpan,
  fitFunction,
  fitPeriodic,
  isClosed,
  knotRuns,
  lengthParameter,
  makeCurve,
  type NurbsCurve,
  pointAt,
} from '../nurbs/index.ts';
import { arcLengthJet, type Grade, matchEnd } from './ends.ts';

export interface Refit {
  readonly curve: NurbsCurve;
  /** Largest distance between the two curves, mm, checked densely; and where. */
  readonly deviation: number;
  readonly at: Vec3;
}

/** Distance from the old curve to the new one at 60 places a span of either, and where it is largest. */
export function measureRefit(old: NurbsCurve, next: NurbsCurve): { deviation: number; at: Vec3 } {
  let worst = { deviation: 0, at: pointAt(old, domain(old)[0]) };
  for (const [from, to] of [
    [old, next],
    [next, old],
  ]) {
    const { values } = knotRuns(from.knots, from.degree);
    const per = Math.max(16, Math.ceil(600 / values.length));
    for (let i = 0; i + 1 < values.length; i++)
      for (let k = 0; k <= per; k++) {
        const p = pointAt(from, values[i] + ((values[i + 1] - values[i]) * k) / per);
        const d = closestOnCurve(to, p).distance;
        if (d > worst.deviation) worst = { deviation: d, at: p };
      }
  }
  return worst;
}

/**
 * Refit with a chosen degree and number of control points: least squares with rounds of parameter correction (Hoschek 1988),
 * ends kept; then, if asked, tangents (grade 1) and curvatures (grade 2) at both ends are kept exactly.
 */
export function refitByCount(c: NurbsCurve, degree: number, points: number, keepEnds: Grade = 0): Refit {
  const by = lengthParameter(c);
  const m = Math.max(240, points * 16);
  const [a, b] = domain(c);
  const knots = clampedKnots(points, degree);
  let best: { curve: NurbsCurve; residual: number } | undefined;
  // two starts: even length, and the curve's own parameter; the better one is kept
  for (const place of [(x: number) => by.at(by.total * x), (x: number) => a + (b - a) * x]) {
    const samples = Array.from({ length: m + 1 }, (_, i) => pointAt(c, place(i / m)));
    let at = Float64Array.from({ length: m + 1 }, (_, i) => i / m);
    for (let round = 0; round < 6; round++) {
      const curve = leastSquares(samples, at, degree, knots, c, keepEnds);
      const feet = samples.map((p, i) => (i === 0 || i === m ? { t: i / m, distance: 0 } : closestOnCurve(curve, p)));
      const residual = Math.max(...feet.map((f) => f.distance));
      if (!best || residual < best.residual) best = { curve, residual };
      if (residual < 1e-9) break;
      at = Float64Array.from(feet, (f) => f.t);
      for (let i = 1; i <= m; i++) at[i] = Math.max(at[i], at[i - 1]);
    }
  }
  const { curve } = best as { curve: NurbsCurve };
  return { curve, ...measureRefit(c, curve) };
}

/** Least squares with both ends fixed; with `keep` the end derivatives are put right first and the rest is fitted around them. */
function leastSquares(
  samples: readonly Vec3[],
  at: Float64Array,
  degree: number,
  knots: Float64Array,
  like: NurbsCurve,
  keep: Grade,
): NurbsCurve {
  const n = knots.length - degree - 1;
  const solve = (fixed: Map<number, Vec3>): Vec3[] => {
    const free = Array.from({ length: n }, (_, i) => i).filter((i) => !fixed.has(i));
    const place = new Map(free.map((i, k) => [i, k]));
    const A = new Float64Array(free.length * free.length);
    const B = new Float64Array(free.length * 3);
    const b = new Float64Array(degree + 1);
    samples.forEach((p, s) => {
      const span = findSpan(knots, degree, at[s]);
      basisDerivatives(knots, degree, span, at[s], 0, b);
      const rest = [...p];
      for (let j = 0; j <= degree; j++) {
        const f = fixed.get(span - degree + j);
        if (f) for (let x = 0; x < 3; x++) rest[x] -= b[j] * f[x];
      }
      for (let j = 0; j <= degree; j++) {
        const r = place.get(span - degree + j);
        if (r === undefined) continue;
        for (let x = 0; x < 3; x++) B[r * 3 + x] += b[j] * rest[x];
        for (let k = 0; k <= degree; k++) {
          const q = place.get(span - degree + k);
          if (q !== undefined) A[r * free.length + q] += b[j] * b[k];
        }
      }
    });
    for (let i = 0; i < free.length; i++) A[i * free.length + i] += 1e-13;
    if (free.length) solveDense(A, B, free.length, 3);
    return Array.from({ length: n }, (_, i) => {
      const k = place.get(i);
      return k === undefined ? (fixed.get(i) as Vec3) : [B[3 * k], B[3 * k + 1], B[3 * k + 2]];
    });
  };
  const fixed = new Map<number, Vec3>([
    [0, samples[0]],
    [n - 1, samples[samples.length - 1]],
  ]);
  let points = solve(fixed);
  if (!keep) return makeCurve(degree, points, knots);
  const [a, z] = domain(like);
  for (let round = 0; round < 3; round++) {
    let c = makeCurve(degree, points, knots);
    const start = matchEnd(c, 'start', arcLengthJet(like, a), keep);
    if (start.ok) c = start.curve;
    const j = arcLengthJet(like, z);
    const end = matchEnd(
      c,
      'end',
      {
        point: j.point,
        tangent: [-j.tangent[0], -j.tangent[1], -j.tangent[2]],
        curvature: j.curvature,
        third: [-j.third[0], -j.third[1], -j.third[2]],
      },
      keep,
    );
    if (end.ok) c = end.curve;
    for (let i = 0; i <= keep; i++)
      for (const k of [i, n - 1 - i]) fixed.set(k, [c.control[4 * k], c.control[4 * k + 1], c.control[4 * k + 2]]);
    if (fixed.size >= n) return c;
    points = solve(fixed);
  }
  return makeCurve(degree, points, knots);
}

/** Refit within a tolerance: knots are put in only where they are needed. Closed curves without a corner at their start stay smooth there. */
export function refitWithin(c: NurbsCurve, degree: number, tolerance: number): Refit {
  const by = lengthParameter(c);
  const closed = isClosed(c);
  const f = (s: number, out: Float64Array) => {
    out.set(pointAt(c, by.at(s)));
  };
  const fit = (closed ? fitPeriodic : fitFunction)(f, 0, by.total, 3, degree, 0.8 * tolerance, [], 300);
  const curve = curveOfFit(fit, degree);
  return { curve, ...measureRefit(c, curve) };
}

/** The control points of one curve taken as points to pass, or as control points of another degree: for showing what the degree does. */
export function sameDegreePoints(points: readonly Vec3[], degree: number): NurbsCurve {
  const p = Math.max(1, Math.min(degree, points.length - 1));
  return makeCurve(p, points, p === 1 ? polygonKnots(points) : clampedKnots(points.length, p));
}
function polygonKnots(points: readonly Vec3[]): Float64Array {
  const at = [0];
  for (let i = 1; i < points.length; i++) at.push(at[i - 1] + Math.max(1e-12, distance(points[i - 1], points[i])));
  return averagedKnots(at, 1);
}
