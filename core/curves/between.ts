import { changeBetween, cross, distance, dot, type Frame, length, lerp, sub, unit, type Vec3 } from '../math/index.ts';
import {
  compatibleCurves,
  curveOfFit,
  domain,
  evaluateInto,
  fitFunction,
  fitPeriodic,
  isClosed,
  lengthParameter,
  moveStart,
  type NurbsCurve,
  pointAt,
  pointCount,
  remapCurve,
  reverseCurve,
} from '../nurbs/index.ts';
import { refitByCount } from './refit.ts';

/** The second curve turned, and for closed curves started, so that it runs beside the first with the least distance. */
export function alongside(a: NurbsCurve, b: NurbsCurve): NurbsCurve {
  const n = 64;
  const sample = (c: NurbsCurve) => {
    const by = lengthParameter(c);
    return Array.from({ length: n + 1 }, (_, i) => pointAt(c, by.near((by.total * i) / n)));
  };
  const pa = sample(a);
  const cost = (q: readonly Vec3[], shift: number, step: 1 | -1) =>
    pa.slice(0, n).reduce((s, p, i) => s + distance(p, q[(((shift + step * i) % n) + n) % n]) ** 2, 0);
  if (isClosed(a) && isClosed(b)) {
    const q = sample(b);
    let best = { shift: 0, step: 1 as 1 | -1, value: Infinity };
    for (const step of [1, -1] as const)
      for (let shift = 0; shift < n; shift++) {
        const value = cost(q, shift, step);
        if (value < best.value - 1e-12) best = { shift, step, value };
      }
    // between the samples: the lowest point of the parabola through three neighbours
    const [before, after] = [cost(q, best.shift - 1, best.step), cost(q, best.shift + 1, best.step)];
    const curvature = before - 2 * best.value + after;
    const shift = (((best.shift + (curvature > 0 ? (before - after) / (2 * curvature) : 0)) % n) + n) % n;
    const by = lengthParameter(b);
    const moved = shift > 1e-9 && shift < n - 1e-9 ? moveStart(b, by.at((by.total * shift) / n)) : b;
    return best.step === 1 ? moved : reverseCurve(moved);
  }
  const pb = sample(b);
  const straight = distance(pa[0], pb[0]) + distance(pa[n], pb[n]);
  const crossed = distance(pa[0], pb[n]) + distance(pa[n], pb[0]);
  return crossed < straight ? reverseCurve(b) : b;
}

export type Matching = 'parameter' | 'length' | 'refit';
/**
 * Curves at shares (0 to 1) of the way between two: of equal parameter (exact, on common degree and knots), of equal share of length
 * (fitted within `tolerance`), or after both were refitted to `points` control points.
 */
export function between(
  a: NurbsCurve,
  b: NurbsCurve,
  shares: readonly number[],
  matching: Matching,
  options: { tolerance?: number; points?: number } = {},
): { curves: NurbsCurve[]; deviation: number } {
  const other = alongside(a, b);
  if (matching === 'length') {
    const [pa, pb] = [lengthParameter(a), lengthParameter(other)];
    const periodic = isClosed(a) && isClosed(other);
    let deviation = 0;
    const curves = shares.map((s) => {
      const fit = (periodic ? fitPeriodic : fitFunction)(
        (t, out) => {
          out.set(lerp(pointAt(a, pa.at(t * pa.total)), pointAt(other, pb.at(t * pb.total)), s));
        },
        0,
        1,
        3,
        5,
        options.tolerance ?? 1e-5,
        [],
        200,
      );
      deviation = Math.max(deviation, fit.deviation);
      return curveOfFit(fit, 5);
    });
    return { curves, deviation };
  }
  let pair: NurbsCurve[] = [remapCurve(a, 0, 1), remapCurve(other, 0, 1)];
  let deviation = 0;
  if (matching === 'refit') {
    const points = options.points ?? Math.max(pointCount(a), pointCount(other));
    const degree = Math.min(points - 1, Math.max(3, a.degree, other.degree));
    const fits = pair.map((c) => refitByCount(c, degree, points));
    deviation = Math.max(...fits.map((f) => f.deviation));
    pair = fits.map((f) => f.curve);
  }
  const [p, q] = compatibleCurves(pair);
  return {
    deviation,
    curves: shares.map((s) => {
      // weights are blended too, so that the curve is the mean of the two and not of their nets alone
      const control = new Float64Array(p.control.length);
      for (let i = 0; i < control.length; i += 4) {
        const [wp, wq] = [p.control[i + 3], q.control[i + 3]];
        const w = wp * (1 - s) + wq * s;
        for (let x = 0; x < 3; x++) control[i + x] = ((p.control[i + x] / wp) * (1 - s) + (q.control[i + x] / wq) * s) * w;
        control[i + 3] = w;
      }
      return { ...p, control, rational: p.rational || q.rational };
    }),
  };
}

export type TwoViews =
  | { readonly ok: true; readonly curve: NurbsCurve; readonly deviation: number }
  | { readonly ok: false; readonly message: string; readonly place?: Vec3 };
const jet = new Float64Array(12);
/**
 * The curve in space that looks like one flat curve along the normal of its plane and like the other along the normal of its own: for each
 * place of the first, the place of the second at the same height across both normals (Newton's method), then both lines of sight meet.
 */
export function fromTwoViews(a: NurbsCurve, planeA: Frame, b: NurbsCurve, planeB: Frame, tolerance = 1e-6): TwoViews {
  const axis = cross(planeA.z, planeB.z);
  if (length(axis) < 0.02) return { ok: false, message: 'The two planes are parallel: both curves show the same view. Turn one of them' };
  const w = unit(axis);
  const height = (c: NurbsCurve, t: number) => dot(pointAt(c, t), w);
  const [b0, b1] = domain(b);
  const n = 200;
  const table = Array.from({ length: n + 1 }, (_, i) => ({ t: b0 + ((b1 - b0) * i) / n, h: height(b, b0 + ((b1 - b0) * i) / n) }));
  const rising = Math.sign(table[n].h - table[0].h) || 1;
  for (let i = 1; i <= n; i++)
    if ((table[i].h - table[i - 1].h) * rising < -1e-9)
      return {
        ok: false,
        message: 'The second curve turns back on itself in the direction both views share: split it there',
        place: pointAt(b, table[i].t),
      };
  const find = (h: number): number | undefined => {
    const i = table.findIndex((x, k) => k > 0 && (h - table[k - 1].h) * rising >= -1e-7 && (x.h - h) * rising >= -1e-7);
    if (i < 1) return undefined;
    let [low, high] = [table[i - 1].t, table[i].t];
    let t = (low + high) / 2;
    for (let k = 0; k < 60; k++) {
      evaluateInto(b, t, 1, jet);
      const f = jet[0] * w[0] + jet[1] * w[1] + jet[2] * w[2] - h;
      const slope = jet[3] * w[0] + jet[4] * w[1] + jet[5] * w[2];
      if (f * rising > 0) high = t;
      else low = t;
      let next = t - f / slope;
      if (!(next > low && next < high)) next = (low + high) / 2;
      if (Math.abs(next - t) < 1e-15 * (1 + Math.abs(t))) break;
      t = next;
    }
    return t;
  };
  const by = lengthParameter(a);
  const heights = Array.from({ length: n + 1 }, (_, i) => height(a, by.near((by.total * i) / n)));
  const [least, most] = [Math.min(table[0].h, table[n].h) - 1e-7, Math.max(table[0].h, table[n].h) + 1e-7];
  const good = heights.map((h) => h >= least && h <= most);
  const first = good.indexOf(true);
  const last = good.lastIndexOf(true);
  if (first < 0) return { ok: false, message: 'The two curves do not overlap in the direction that both views share' };
  // the part of the first curve that the second covers, to the last digit
  const covered = (l: number) => {
    const h = height(a, by.at(l));
    return h >= least && h <= most;
  };
  const edge = (inside: number, outside: number) => changeBetween(covered, (by.total * inside) / n, (by.total * outside) / n)[0];
  const from = first > 0 ? edge(first, first - 1) : 0;
  const to = last < n ? edge(last, last + 1) : by.total;
  // P = A + alpha·zA = B + beta·zB
  const zz = dot(planeA.z, planeB.z);
  const fit = fitFunction(
    (s, out) => {
      const p = pointAt(a, by.at(s));
      const t = find(dot(p, w)) ?? (Math.abs(dot(p, w) - table[0].h) < Math.abs(dot(p, w) - table[n].h) ? b0 : b1);
      const d = sub(pointAt(b, t), p);
      const alpha = (dot(d, planeA.z) - zz * dot(d, planeB.z)) / (1 - zz * zz);
      out.set([p[0] + alpha * planeA.z[0], p[1] + alpha * planeA.z[1], p[2] + alpha * planeA.z[2]]);
    },
    from,
    to,
    3,
    5,
    tolerance,
    [],
    200,
  );
  return { ok: true, curve: curveOfFit(fit, 5), deviation: fit.deviation };
}
