import { type Affine, applyPoint, type Box, boxOf, gaussRule, type Vec3 } from '../math/index.ts';
import {
  basisDerivatives,
  checkDegree,
  clipNet,
  domainOf,
  elevateNet,
  findSpan,
  insertKnots,
  knotRuns,
  type Net,
  raiseMultiplicity,
  remapNet,
  removeKnotOnce,
  reverseNet,
  splitNet,
} from './spline.ts';

/**
 * A rational B-spline curve. `control` holds homogeneous points: `dim` weighted coordinates followed by the weight.
 * Clamped unless said otherwise; parameters run over `domain(curve)`.
 */
export interface NurbsCurve {
  readonly dim: 2 | 3;
  readonly degree: number;
  readonly knots: Float64Array;
  readonly control: Float64Array;
  readonly rational: boolean;
}

export type Point = readonly number[];

export const curveNet = (c: NurbsCurve): Net => ({ degree: c.degree, knots: c.knots, data: c.control, stride: c.dim + 1 });
const fromNet = (n: Net, c: { dim: 2 | 3; rational: boolean }): NurbsCurve => ({
  dim: c.dim,
  degree: n.degree,
  knots: n.knots,
  control: n.data,
  rational: c.rational,
});

/** Curve from points (each of 2 or 3 numbers), optional weights and knots (uniform clamped by default). */
export function makeCurve(degree: number, points: readonly Point[], knots: ArrayLike<number>, weights?: readonly number[]): NurbsCurve {
  checkDegree(degree);
  const dim = points[0].length as 2 | 3;
  const rational = !!weights && weights.some((w) => Math.abs(w - weights[0]) > 1e-14);
  const control = new Float64Array(points.length * (dim + 1));
  points.forEach((p, i) => {
    const w = rational ? weights[i] : 1;
    for (let k = 0; k < dim; k++) control[i * (dim + 1) + k] = p[k] * w;
    control[i * (dim + 1) + dim] = w;
  });
  return { dim, degree, knots: Float64Array.from(knots), control, rational };
}

export const domain = (c: NurbsCurve): readonly [number, number] => domainOf(c.knots, c.degree);
export const pointCount = (c: NurbsCurve): number => c.control.length / (c.dim + 1);
export const spanCount = (c: NurbsCurve): number => knotRuns(c.knots, c.degree).values.length - 1;

/** Euclidean control points. */
export function controlPoints(c: NurbsCurve): number[][] {
  const s = c.dim + 1;
  return Array.from({ length: pointCount(c) }, (_, i) =>
    Array.from({ length: c.dim }, (_, k) => c.control[i * s + k] / c.control[i * s + c.dim]),
  );
}
export const weightsOf = (c: NurbsCurve): number[] => Array.from({ length: pointCount(c) }, (_, i) => c.control[i * (c.dim + 1) + c.dim]);

const basis = new Float64Array(4 * 16);
const homogeneous = new Float64Array(4 * 4);
const BINOMIAL = [[1], [1, 1], [1, 2, 1], [1, 3, 3, 1]];

/**
 * Point and derivatives up to `order` (0..3) at t, written to out as (order+1) rows of dim numbers.
 * Rational quotient rule: Piegl & Tiller A4.2.
 */
export function evaluateInto(c: NurbsCurve, t: number, order: number, out: Float64Array): void {
  evaluateSpan(c, findSpan(c.knots, c.degree, t), t, order, out);
}
/** Like `evaluateInto`, of the polynomial piece over a given knot span: at a knot this gives the derivatives from that side. */
export function evaluateSpan(c: NurbsCurve, span: number, t: number, order: number, out: Float64Array): void {
  const { dim, degree: p, control } = c;
  const s = dim + 1;
  basisDerivatives(c.knots, p, span, t, order, basis);
  for (let k = 0; k <= order; k++) {
    for (let d = 0; d < s; d++) {
      let sum = 0;
      for (let j = 0; j <= p; j++) sum += basis[k * (p + 1) + j] * control[(span - p + j) * s + d];
      homogeneous[k * 4 + d] = sum;
    }
  }
  const w0 = homogeneous[dim];
  for (let k = 0; k <= order; k++)
    for (let d = 0; d < dim; d++) {
      let v = homogeneous[k * 4 + d];
      if (c.rational) for (let i = 1; i <= k; i++) v -= BINOMIAL[k][i] * homogeneous[i * 4 + dim] * out[(k - i) * dim + d];
      out[k * dim + d] = v / w0;
    }
}

const scratch = new Float64Array(12);
export function pointAt(c: NurbsCurve, t: number): Vec3 {
  evaluateInto(c, t, 0, scratch);
  return [scratch[0], scratch[1], c.dim === 3 ? scratch[2] : 0];
}
/** [point, first, second, third derivative] up to `order`. */
export function derivativesAt(c: NurbsCurve, t: number, order: number): Vec3[] {
  evaluateInto(c, t, order, scratch);
  return Array.from(
    { length: order + 1 },
    (_, k) => [scratch[k * c.dim], scratch[k * c.dim + 1], c.dim === 3 ? scratch[k * c.dim + 2] : 0] as Vec3,
  );
}

export const startPoint = (c: NurbsCurve): Vec3 => pointAt(c, domain(c)[0]);
export const endPoint = (c: NurbsCurve): Vec3 => pointAt(c, domain(c)[1]);

export const insertCurveKnots = (c: NurbsCurve, values: readonly number[]): NurbsCurve => fromNet(insertKnots(curveNet(c), values), c);
export const raiseCurveKnot = (c: NurbsCurve, t: number, to: number): NurbsCurve => fromNet(raiseMultiplicity(curveNet(c), t, to), c);
export const elevateCurve = (c: NurbsCurve, by: number): NurbsCurve => fromNet(elevateNet(curveNet(c), by), c);
export const reverseCurve = (c: NurbsCurve): NurbsCurve => fromNet(reverseNet(curveNet(c)), c);
export const clipCurve = (c: NurbsCurve, a: number, b: number): NurbsCurve => fromNet(clipNet(curveNet(c), a, b), c);
export const remapCurve = (c: NurbsCurve, a: number, b: number): NurbsCurve => fromNet(remapNet(curveNet(c), a, b), c);
export const splitCurve = (c: NurbsCurve, t: number): [NurbsCurve, NurbsCurve] =>
  splitNet(curveNet(c), t).map((n) => fromNet(n, c)) as [NurbsCurve, NurbsCurve];
export const removeCurveKnot = (c: NurbsCurve, t: number, tolerance: number): NurbsCurve | undefined => {
  const n = removeKnotOnce(curveNet(c), t, tolerance);
  return n && fromNet(n, c);
};

/** Joins curves end to start into one C0 (or smoother, where knots can be removed within 1e-12 x size) curve; the ends must meet. */
export function joinCurves(list: readonly NurbsCurve[]): NurbsCurve {
  if (list.length === 1) return list[0];
  const degree = Math.max(...list.map((c) => c.degree));
  const parts = list.map((c) => elevateCurve(c, degree - c.degree));
  const s = parts[0].dim + 1;
  const knots: number[] = [];
  const data: number[] = [];
  let at = 0;
  let weight = 1;
  parts.forEach((c, i) => {
    const [a, b] = domain(c);
    const f = i === 0 ? 1 : weight / c.control[s - 1];
    const inner = Array.from(c.knots, (k) => k - a + at);
    if (i === 0) knots.push(...inner.slice(0, -1));
    else knots.push(...inner.slice(degree + 1, -1));
    const rows = Array.from(c.control, (x) => x * f);
    if (i > 0) rows.splice(0, s);
    data.push(...rows);
    weight = data[data.length - 1];
    at += b - a;
    if (i === parts.length - 1) knots.push(at);
  });
  return {
    dim: parts[0].dim,
    degree,
    knots: Float64Array.from(knots),
    control: Float64Array.from(data),
    rational: parts.some((c) => c.rational),
  };
}

/** Start point of a closed curve moved to parameter t. */
export function moveStart(c: NurbsCurve, t: number): NurbsCurve {
  const [a, b] = domain(c);
  if (t <= a + 1e-12 * (b - a) || t >= b - 1e-12 * (b - a)) return c;
  const [first, second] = splitCurve(c, t);
  return remapCurve(joinCurves([second, first]), a, b);
}

export const isClosed = (c: NurbsCurve, tolerance = 1e-6): boolean => {
  const a = startPoint(c);
  const b = endPoint(c);
  return Math.hypot(a[0] - b[0], a[1] - b[1], a[2] - b[2]) <= tolerance;
};

export function transformCurve(c: NurbsCurve, map: Affine): NurbsCurve {
  const control = new Float64Array(c.control.length);
  for (let i = 0; i < control.length; i += 4) {
    const w = c.control[i + 3];
    const p = applyPoint(map, [c.control[i] / w, c.control[i + 1] / w, c.control[i + 2] / w]);
    control[i] = p[0] * w;
    control[i + 1] = p[1] * w;
    control[i + 2] = p[2] * w;
    control[i + 3] = w;
  }
  return { ...c, control };
}

export function curveBox(c: NurbsCurve): Box {
  return boxOf(controlPoints(c).flatMap((p) => [p[0], p[1], p[2] ?? 0]));
}

/** Arc length over [a, b], Gauss-Legendre per knot span, refined until two orders agree to 1e-11 relative. */
export function arcLength(c: NurbsCurve, a = domain(c)[0], b = domain(c)[1]): number {
  const d = c.dim;
  return integralAlong(c, (j) => Math.hypot(j[d], j[d + 1], d === 3 ? j[d + 2] : 0), 1e-14, a, b);
}
/** Integral over the parameter of what `f` makes of point and first derivative (`jet`, dim numbers each), to 1e-11 of itself or `within`, span by span, halved where 12 and 20 Gauss points differ. */
export function integralAlong(c: NurbsCurve, f: (jet: Float64Array) => number, within: number, a = domain(c)[0], b = domain(c)[1]): number {
  const { values } = knotRuns(c.knots, c.degree);
  const cuts = [a, ...values.filter((t) => t > a && t < b), b];
  let total = 0;
  for (let i = 0; i + 1 < cuts.length; i++) total += spanIntegral(c, f, within, cuts[i], cuts[i + 1], 0);
  return total;
}
function gaussIntegral(c: NurbsCurve, f: (jet: Float64Array) => number, a: number, b: number, n: number): number {
  const { nodes, weights } = gaussRule(n);
  const h = (b - a) / 2;
  let sum = 0;
  for (let i = 0; i < n; i++) {
    evaluateInto(c, a + h * (1 + nodes[i]), 1, scratch);
    sum += weights[i] * f(scratch);
  }
  return sum * h;
}
function spanIntegral(c: NurbsCurve, f: (jet: Float64Array) => number, within: number, a: number, b: number, depth: number): number {
  const coarse = gaussIntegral(c, f, a, b, 12);
  const fine = gaussIntegral(c, f, a, b, 20);
  if (depth > 12 || Math.abs(fine - coarse) <= 1e-11 * Math.abs(fine) + within) return fine;
  const m = (a + b) / 2;
  return spanIntegral(c, f, within, a, m, depth + 1) + spanIntegral(c, f, within, m, b, depth + 1);
}

/** Curvature (1/mm) at t; 0 where the curve stands still. */
export function curvatureAt(c: NurbsCurve, t: number): number {
  const [, d1, d2] = derivativesAt(c, t, 2);
  const cx = d1[1] * d2[2] - d1[2] * d2[1];
  const cy = d1[2] * d2[0] - d1[0] * d2[2];
  const cz = d1[0] * d2[1] - d1[1] * d2[0];
  const l = Math.hypot(d1[0], d1[1], d1[2]);
  return l > 1e-12 ? Math.hypot(cx, cy, cz) / (l * l * l) : 0;
}

/** Points for display: chord error below `chord` (mm) and turning below `angle` (rad) per step. Returns parameters. */
export function displayParameters(c: NurbsCurve, chord: number, angle = 0.2): number[] {
  const { values } = knotRuns(c.knots, c.degree);
  const out: number[] = [values[0]];
  const refine = (a: number, b: number, depth: number) => {
    const m = (a + b) / 2;
    const [pa, ta] = derivativesAt(c, a, 1);
    const [pb, tb] = derivativesAt(c, b, 1);
    const pm = pointAt(c, m);
    const dev = Math.hypot(pm[0] - (pa[0] + pb[0]) / 2, pm[1] - (pa[1] + pb[1]) / 2, pm[2] - (pa[2] + pb[2]) / 2);
    const la = Math.hypot(ta[0], ta[1], ta[2]);
    const lb = Math.hypot(tb[0], tb[1], tb[2]);
    const turn = la > 0 && lb > 0 ? Math.acos(Math.min(1, Math.max(-1, (ta[0] * tb[0] + ta[1] * tb[1] + ta[2] * tb[2]) / (la * lb)))) : 0;
    if (depth < 12 && (dev > chord || (turn > angle && dev > 1e-9))) {
      refine(a, m, depth + 1);
      refine(m, b, depth + 1);
    } else out.push(b);
  };
  for (let i = 0; i + 1 < values.length; i++) {
    if (c.degree === 1) out.push(values[i + 1]);
    else {
      const m = (values[i] + values[i + 1]) / 2;
      refine(values[i], m, 0);
      refine(m, values[i + 1], 0);
    }
  }
  return out;
}
