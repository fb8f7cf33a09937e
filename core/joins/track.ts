import { type Edge, type Face, type Trace, toAngle, toRational, tracePoint, usePoint } from '../brep/index.ts';
import { distance } from '../math/index.ts';
import {
  averagedKnots,
  basisDerivatives,
  evaluateSurface,
  type FitSeed,
  findSpan,
  fitOnKnots,
  interpolateInSpace,
  knotRuns,
  makeCurve,
  type NurbsSurface,
} from '../nurbs/index.ts';
import { type CellTree, cellsOf } from './cells.ts';
import { type Branch, correctSpot, SPOT, type Spot } from './meeting.ts';

const jet = new Float64Array(12);
const row10 = new Float64Array(SPOT);

/** A branch with a parameter near to its length (mm). */
export interface Track {
  readonly branch: Branch;
  readonly total: number;
  readonly count: number;
  /** Place on both surfaces at a length, by Newton's method. */
  exact(s: number): Spot;
  /** The same, interpolated. */
  rough(s: number, out: Float64Array): void;
  /** Length at which a place (the first seven numbers of a spot) lies on the track, if it does. */
  locate(x: ArrayLike<number>, tolerance: number): number | undefined;
}

interface Spline {
  readonly at: readonly number[];
  readonly total: number;
  readonly evaluate: (s: number, out: Float64Array) => void;
}
/** Cubic through spots by length, with its tangent; closed ones are run through twice, so that they repeat. */
function splineOf(list: readonly Spot[], closed: boolean): Spline {
  const rows = closed ? [...list, ...list, list[0]] : list;
  const at = [0];
  for (let i = 1; i < rows.length; i++) at.push(at[i - 1] + arcStep(rows[i - 1], rows[i]));
  const degree = Math.min(3, rows.length - 1);
  const data = new Float64Array(rows.length * 7);
  rows.forEach((x, i) => data.set(x.subarray(0, 7), i * 7));
  const knots = averagedKnots(at, degree);
  const net = interpolateInSpace(degree, knots, Float64Array.from(at), data, 7);
  if (!net) throw new Error('places along a cut fall together');
  const basis = new Float64Array(2 * (degree + 1));
  return {
    at,
    total: closed ? at[list.length] : at[at.length - 1],
    evaluate: (s, out) => {
      const span = findSpan(knots, degree, s);
      basisDerivatives(knots, degree, span, s, 1, basis);
      out.fill(0);
      for (let j = 0; j <= degree; j++) {
        const o = (span - degree + j) * 7;
        for (let d = 0; d < 7; d++) out[d] += basis[j] * net.data[o + d];
        for (let d = 0; d < 3; d++) out[7 + d] += basis[degree + 1 + j] * net.data[o + 4 + d];
      }
    },
  };
}
/** Length of the arc between two places with known tangents: chord times 1 + turn²/24. */
function arcStep(p: Spot, q: Spot): number {
  const turn = Math.acos(Math.min(1, Math.abs(p[7] * q[7] + p[8] * q[8] + p[9] * q[9])));
  return Math.max(1e-12, Math.hypot(q[4] - p[4], q[5] - p[5], q[6] - p[6]) * (1 + (turn * turn) / 24));
}

export function trackOf(branch: Branch, a: NurbsSurface, b: NurbsSurface): Track {
  const [ta, tb] = [cellsOf(a), cellsOf(b)];
  const own = branch.closed ? branch.spots.slice(0, -1) : branch.spots;
  const coarse = splineOf(own, branch.closed);
  // denser once, so that the parameter is smooth
  const spots: Spot[] = [];
  const gaps = branch.closed ? own.length : own.length - 1;
  const per = gaps < 6 ? 8 : 4;
  for (let i = 0; i < gaps; i++) {
    spots.push(own[i]);
    for (let k = 1; k < per; k++) spots.push(settle(ta, tb, coarse, coarse.at[i] + ((coarse.at[i + 1] - coarse.at[i]) * k) / per));
  }
  if (!branch.closed) spots.push(own[own.length - 1]);
  const fine = splineOf(spots, branch.closed);
  return {
    branch,
    total: fine.total,
    count: spots.length,
    exact: (s) => settle(ta, tb, fine, s),
    rough: fine.evaluate,
    locate: (x, tolerance) =>
      locate(branch.closed, spots, fine, [...ta.domain, ...tb.domain], x, tolerance, (s) => settle(ta, tb, fine, s)),
  };
}
function settle(a: CellTree, b: CellTree, line: Spline, s: number): Spot {
  const q = new Float64Array(SPOT);
  line.evaluate(s, q);
  const l = Math.hypot(q[7], q[8], q[9]) || 1;
  const t = [q[7] / l, q[8] / l, q[9] / l];
  const x = q.slice();
  for (let m = 0; m < 4; m++) {
    const d = (m < 2 ? a : b).domain;
    x[m] = Math.min(d[2 * (m % 2) + 1], Math.max(d[2 * (m % 2)], x[m]));
  }
  if (!(correctSpot(a, b, x, [q[4], q[5], q[6]], t, 8) < 1e-8)) x.set(q.subarray(0, 7));
  x[7] = t[0];
  x[8] = t[1];
  x[9] = t[2];
  return x;
}
function locate(
  closed: boolean,
  spots: readonly Spot[],
  line: Spline,
  domain: readonly number[],
  x: ArrayLike<number>,
  tolerance: number,
  exact: (s: number) => Spot,
): number | undefined {
  let best: number | undefined;
  let least = Infinity;
  const far = (p: Spot) => Math.hypot(p[4] - x[4], p[5] - x[5], p[6] - x[6]);
  const count = spots.length - (closed ? 0 : 1);
  for (let i = 0; i < count; i++) {
    const p = spots[i];
    const e = spots[(i + 1) % spots.length];
    const l = line.at[i + 1] - line.at[i];
    if (far(p) > 2 * l + tolerance) continue;
    const along = ((x[4] - p[4]) * (e[4] - p[4]) + (x[5] - p[5]) * (e[5] - p[5]) + (x[6] - p[6]) * (e[6] - p[6])) / (l * l || 1);
    if (along < -0.02 - tolerance / l || along > 1.02 + tolerance / l) continue;
    const k = Math.min(1, Math.max(0, along));
    let same = true;
    for (let m = 0; m < 4; m++) {
      const wide = domain[2 * m + 1] - domain[2 * m];
      if (Math.abs(x[m] - (p[m] + k * (e[m] - p[m]))) > 0.02 * wide + 0.3 * Math.abs(e[m] - p[m])) same = false;
    }
    if (!same) continue;
    let s = line.at[i] + k * l;
    for (let r = 0; r < 5; r++) {
      line.evaluate(s, row10);
      const g = (x[4] - row10[4]) * row10[7] + (x[5] - row10[5]) * row10[8] + (x[6] - row10[6]) * row10[9];
      const speed = row10[7] ** 2 + row10[8] ** 2 + row10[9] ** 2;
      s = Math.min(closed ? 2 * line.total : line.total, Math.max(0, s + g / speed));
    }
    line.evaluate(s, row10);
    let d = far(row10);
    // where the cut bends suddenly the spline leaves it by more than it does elsewhere: the place itself counts
    if (d >= Math.max(tolerance, 1e-4 * l) && d < 0.02 * l) d = far(exact(s));
    if (d < Math.max(tolerance, 1e-4 * l) && d < least) {
      least = d;
      best = s;
    }
  }
  return best !== undefined && closed && best >= line.total ? best - line.total : best;
}

/** A stretch of a track as an edge: the curve and its images on both faces over one parameter, [0, length]. */
export interface FittedPiece {
  readonly curve: Edge['curve'];
  readonly length: number;
  readonly images: readonly [Trace, Trace];
  /** Largest distance of the curve from either face, mm. */
  readonly off: number;
}
/**
 * Fits a stretch of a track between two given places (which lie on old edges and may be off by their tolerance: the difference is spread
 * over the stretch). One fit of degree 5 for the curve and both images; its error is measured in space, so that it holds near poles too.
 */
export function fitStretch(
  track: Track,
  first: Face,
  second: Face,
  from: number,
  to: number,
  start: ArrayLike<number>,
  end: ArrayLike<number>,
  tolerance: number,
): FittedPiece {
  const length = to - from;
  const mid = track.exact((from + to) / 2);
  const faces = [first, second] as const;
  const turns = [first.turnU, first.turnV, second.turnU, second.turnV];
  const stretch: number[] = [];
  faces.forEach((f, k) => {
    evaluateSurface(f.surface, mid[2 * k], mid[2 * k + 1], 1, jet);
    stretch.push(Math.hypot(jet[6], jet[7], jet[8]) || 1, Math.hypot(jet[3], jet[4], jet[5]) || 1);
  });
  const at0 = track.exact(from);
  const at1 = track.exact(to);
  const put = (x: ArrayLike<number>, out: Float64Array) => {
    for (let d = 0; d < 3; d++) out[d] = x[4 + d];
    for (let m = 0; m < 4; m++) out[3 + m] = toAngle(turns[m], x[m]) * stretch[m];
  };
  const sample = (s: number, out: Float64Array) => {
    if (s <= 0) return put(start, out);
    if (s >= length) return put(end, out);
    const x = track.exact(from + s);
    const k = s / length;
    for (let i = 0; i < 7; i++) x[i] += (1 - k) * (start[i] - at0[i]) + k * (end[i] - at1[i]);
    put(x, out);
  };
  const offBoth = (row: ArrayLike<number>, exact: ArrayLike<number>): number => {
    let e = Math.hypot(row[0] - exact[0], row[1] - exact[1], row[2] - exact[2]);
    faces.forEach((f, k) => {
      const d = cellsOf(f.surface).domain;
      const u = toRational(turns[2 * k], row[3 + 2 * k] / stretch[2 * k]);
      const v = toRational(turns[2 * k + 1], row[4 + 2 * k] / stretch[2 * k + 1]);
      evaluateSurface(f.surface, Math.min(d[1], Math.max(d[0], u)), Math.min(d[3], Math.max(d[2], v)), 0, jet);
      e = Math.max(e, Math.hypot(jet[0] - row[0], jet[1] - row[1], jet[2] - row[2]));
    });
    return e;
  };
  const fit = fitMeasured(sample, offBoth, length, tolerance, knotsCrossed(track, faces, from, length));
  const rows = Array.from({ length: fit.data.length / 7 }, (_, r) => fit.data.subarray(r * 7, r * 7 + 7));
  const curve = makeCurve(
    5,
    rows.map((r) => [r[0], r[1], r[2]]),
    fit.knots,
  );
  const image = (k: 0 | 1): Trace => ({
    curve: makeCurve(
      5,
      rows.map((r) => [r[3 + 2 * k] / stretch[2 * k], r[4 + 2 * k] / stretch[2 * k + 1]]),
      fit.knots,
    ),
  });
  const images = [image(0), image(1)] as const;
  // measured by span, at places that were not fitted
  let off = 0;
  const { values } = knotRuns(fit.knots, 5);
  for (let i = 0; i + 1 < values.length; i++)
    for (const k of [0.15, 0.4, 0.63, 0.88]) {
      const t = values[i] + k * (values[i + 1] - values[i]);
      const c = tracePoint({ curve }, t);
      faces.forEach((f, m) => {
        off = Math.max(off, distance(c, usePoint(f, { edge: 0, pcurve: images[m as 0 | 1], reversed: false }, t)));
      });
    }
  return { curve, length, images, off };
}

/** Lengths at which the track crosses knot lines of either surface: it is no smoother there than they are. */
function knotsCrossed(track: Track, faces: readonly Face[], from: number, length: number): FitSeed[] {
  const seeds: FitSeed[] = [];
  const rough = (s: number, m: number) => {
    track.rough(s, row10);
    return row10[m];
  };
  faces.forEach((f, face) => {
    for (const d of [0, 1] as const) {
      const degree = d ? f.surface.degreeV : f.surface.degreeU;
      const runs = knotRuns(d ? f.surface.knotsV : f.surface.knotsU, degree);
      if (runs.values.length < 3) continue;
      const m = 2 * face + d;
      const n = Math.max(8, Math.min(400, track.count));
      let last = rough(from, m);
      for (let i = 1; i <= n; i++) {
        const now = rough(from + (length * i) / n, m);
        for (let j = 1; j + 1 < runs.values.length; j++) {
          const knot = runs.values[j];
          const smooth = degree - runs.multiplicities[j];
          if ((last - knot) * (now - knot) >= 0 || smooth >= 5) continue;
          let [low, high] = [from + (length * (i - 1)) / n, from + (length * i) / n];
          for (let k = 0; k < 45; k++) {
            const half = (low + high) / 2;
            if ((rough(half, m) - knot) * (last - knot) > 0) low = half;
            else high = half;
          }
          seeds.push({ t: (low + high) / 2 - from, multiplicity: Math.max(1, 5 - smooth) });
        }
        last = now;
      }
    }
  });
  return seeds;
}

/** Rows of seven fitted over [0, length] by halving spans whose error, told by `off`, is beyond the tolerance. */
function fitMeasured(
  given: (t: number, out: Float64Array) => void,
  off: (row: Float64Array, exact: Float64Array) => number,
  length: number,
  tolerance: number,
  seeds: readonly FitSeed[],
): { knots: Float64Array; data: Float64Array } {
  const [degree, dim, most] = [5, 7, 200];
  const multiplicity = new Map<number, number>();
  let breaks = [0];
  for (const k of [...seeds].sort((x, y) => x.t - y.t)) {
    if (!(k.t > 1e-6 * length && k.t < length * (1 - 1e-6))) continue;
    const last = breaks[breaks.length - 1];
    if (breaks.length > 1 && k.t - last < 1e-7 * length) multiplicity.set(last, Math.max(multiplicity.get(last) ?? 1, k.multiplicity));
    else {
      breaks.push(k.t);
      multiplicity.set(k.t, Math.min(degree, k.multiplicity));
    }
  }
  breaks.push(length);
  const kept = new Map<number, Float64Array>();
  const f = (t: number) => {
    let v = kept.get(t);
    if (!v) {
      v = new Float64Array(dim);
      given(t, v);
      kept.set(t, v);
    }
    return v;
  };
  breaks = locallyEven(f, off, breaks, LOCAL * tolerance, dim);
  const value = new Float64Array(dim);
  const basis = new Float64Array(degree + 1);
  let best: { knots: Float64Array; data: Float64Array; deviation: number } | undefined;
  for (;;) {
    const knots = Float64Array.from([
      ...Array(degree).fill(0),
      ...breaks.flatMap((t) => Array(multiplicity.get(t) ?? 1).fill(t)),
      ...Array(degree).fill(length),
    ]);
    const per = degree + 3;
    const at: number[] = [0];
    for (let i = 0; i + 1 < breaks.length; i++)
      for (let k = 0; k < per; k++) at.push(breaks[i] + ((breaks[i + 1] - breaks[i]) * (1 - Math.cos((Math.PI * (k + 0.5)) / per))) / 2);
    at.push(length);
    const values = new Float64Array(at.length * dim);
    at.forEach((t, i) => {
      values.set(f(t), i * dim);
    });
    const data = fitOnKnots(degree, knots, at, values, dim);
    if (!data) break;
    let deviation = 0;
    const split = new Set<number>();
    for (let i = 0; i + 1 < breaks.length; i++) {
      let worst = 0;
      for (let k = 0; k < 5 && worst <= tolerance; k++) {
        const t = breaks[i] + ((breaks[i + 1] - breaks[i]) * (k + 0.42)) / 5;
        const span = findSpan(knots, degree, t);
        basisDerivatives(knots, degree, span, t, 0, basis);
        value.fill(0);
        for (let j = 0; j <= degree; j++) for (let d = 0; d < dim; d++) value[d] += basis[j] * data[(span - degree + j) * dim + d];
        worst = Math.max(worst, off(value, f(t)));
      }
      deviation = Math.max(deviation, worst);
      if (worst > tolerance) split.add(i);
    }
    if (!best || deviation < best.deviation) best = { knots, data, deviation };
    if (!split.size || breaks.length - 1 + split.size > most) break;
    breaks = breaks.flatMap((t, i) => (split.has(i) ? [t, (t + breaks[i + 1]) / 2] : [t]));
  }
  if (!best) throw new Error('a cut could not be fitted');
  return best;
}

/** Spans that one polynomial of its own would miss by this many times the tolerance are halved before anything is fitted over all. */
const LOCAL = 50;
/** Places and barycentric weights of six Chebyshev points of the second kind in [0, 1]. */
const NODES = [0, 1, 2, 3, 4, 5].map((k) => (1 - Math.cos((Math.PI * k) / 5)) / 2);
const WEIGHTS = NODES.map((_, k) => (k % 2 ? -1 : 1) * (k === 0 || k === 5 ? 0.5 : 1));
/** Breaks with more where the rows bend fast, as an image does beside a pole: a fit over all would ring there. */
function locallyEven(
  f: (t: number) => Float64Array,
  off: (row: Float64Array, exact: Float64Array) => number,
  breaks: readonly number[],
  tolerance: number,
  dim: number,
): number[] {
  const out: number[] = [breaks[0]];
  const value = new Float64Array(dim);
  const least = 1e-5 * (breaks[breaks.length - 1] - breaks[0]);
  const misses = (a: number, b: number): boolean => {
    const rows = NODES.map((x) => f(a + x * (b - a)));
    return [0.21, 0.5, 0.79].some((x) => {
      value.fill(0);
      let sum = 0;
      NODES.forEach((node, k) => {
        const w = WEIGHTS[k] / (x - node);
        sum += w;
        for (let d = 0; d < dim; d++) value[d] += w * rows[k][d];
      });
      for (let d = 0; d < dim; d++) value[d] /= sum;
      return off(value, f(a + x * (b - a))) > tolerance;
    });
  };
  const go = (a: number, b: number): void => {
    if (b - a > least && out.length < 150 && misses(a, b)) {
      const m = (a + b) / 2;
      go(a, m);
      go(m, b);
    } else out.push(b);
  };
  for (let i = 0; i + 1 < breaks.length; i++) go(breaks[i], breaks[i + 1]);
  return out;
}
