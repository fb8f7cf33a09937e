import { distance, type Vec3 } from '../math/index.ts';
import {
  basisDerivatives,
  closestOnSurface,
  domainU,
  domainV,
  evaluateSurface,
  findSpan,
  fitOnKnots,
  isClosedU,
  isClosedV,
  type NurbsSurface,
  surfacePoint,
  transpose,
} from '../nurbs/index.ts';

export interface SurfaceDeviation {
  /** Largest distance between old and new skin, taken square to the new one (mm). */
  readonly deviation: number;
  readonly at: Vec3;
  /** Distances over an even grid of the new skin's parameters, for a colour map: rows of `columns`. */
  readonly map: Float64Array;
  readonly columns: number;
}
/** Measures a surface against another that runs on about the same parameters: on a grid, and on from its highest places to where it is worst. */
export function measureSurfaces(old: NurbsSurface, next: NurbsSurface, grid = 40): SurfaceDeviation {
  const [a, b] = [domainU(old), domainV(old)];
  return worstOf(next, grid, (p, x, y) => {
    const near = [a[0] + x * (a[1] - a[0]), b[0] + y * (b[1] - b[0])] as const;
    // the start may lie in another valley: never farther than the point at the same parameters
    return Math.min(closestOnSurface(old, p, near).distance, distance(p, surfacePoint(old, near[0], near[1])));
  });
}
/** Measured where the parameters of both are unlike: every start is looked for. */
const measureFree = (old: NurbsSurface, next: NurbsSurface): SurfaceDeviation =>
  worstOf(next, 30, (p) => closestOnSurface(old, p).distance);
const CLIMBS = 4;
/**
 * The largest of a distance over a surface: a grid, then from its highest places uphill by steps that shrink to a thousandth of the grid's.
 * What a peak between four places of the grid hides stays hidden only where no place beside it is among the highest.
 */
function worstOf(s: NurbsSurface, grid: number, away: (p: Vec3, x: number, y: number) => number): SurfaceDeviation {
  const [u, v] = [domainU(s), domainV(s)];
  const point = (x: number, y: number) => surfacePoint(s, u[0] + x * (u[1] - u[0]), v[0] + y * (v[1] - v[0]));
  const n = grid + 1;
  const map = new Float64Array(n * n);
  for (let i = 0; i < n; i++) for (let j = 0; j < n; j++) map[i * n + j] = away(point(i / grid, j / grid), i / grid, j / grid);
  const at = (i: number, j: number) => (i < 0 || j < 0 || i > grid || j > grid ? -1 : map[i * n + j]);
  const peaks: number[] = [];
  for (let i = 0; i < n; i++)
    for (let j = 0; j < n; j++)
      if ([at(i - 1, j), at(i + 1, j), at(i, j - 1), at(i, j + 1)].every((d) => d <= map[i * n + j])) peaks.push(i * n + j);
  peaks.sort((i, j) => map[j] - map[i]);
  let worst = { d: -1, at: point(0, 0) };
  for (const k of peaks.slice(0, CLIMBS)) {
    let [x, y, d] = [Math.floor(k / n) / grid, (k % n) / grid, map[k]];
    for (let h = 0.5 / grid; h > 1e-3 / grid; ) {
      let moved = false;
      for (const [dx, dy] of [
        [h, 0],
        [-h, 0],
        [0, h],
        [0, -h],
      ]) {
        const [nx, ny] = [Math.min(1, Math.max(0, x + dx)), Math.min(1, Math.max(0, y + dy))];
        const next = away(point(nx, ny), nx, ny);
        if (next > d) [x, y, d, moved] = [nx, ny, next, true];
      }
      if (!moved) h /= 2;
    }
    if (d > worst.d) worst = { d, at: point(x, y) };
  }
  return { deviation: Math.max(0, worst.d), at: worst.at, map, columns: n };
}

/** Even parameters by mean length: shares 0..1 to parameters of u, from eleven curves. */
function evenU(s: NurbsSurface): (share: number) => number {
  const [a, b] = domainU(s);
  const [c, d] = domainV(s);
  const n = 200;
  const sum = new Float64Array(n + 1);
  for (let k = 0; k <= 10; k++) {
    let last = surfacePoint(s, a, c + ((d - c) * k) / 10);
    for (let i = 1; i <= n; i++) {
      const p = surfacePoint(s, a + ((b - a) * i) / n, c + ((d - c) * k) / 10);
      sum[i] += distance(last, p);
      last = p;
    }
  }
  for (let i = 1; i <= n; i++) sum[i] += sum[i - 1];
  const total = sum[n] || 1;
  return (share) => {
    const x = share * total;
    let [low, high] = [0, n];
    while (high - low > 1) {
      const m = (low + high) >> 1;
      if (sum[m] <= x) low = m;
      else high = m;
    }
    const f = sum[high] > sum[low] ? (x - sum[low]) / (sum[high] - sum[low]) : 0;
    return a + ((b - a) * (low + Math.min(1, Math.max(0, f)))) / n;
  };
}
/** Smooth version of a share map, so that fitted rows keep their smoothness: the piecewise linear table is only used where speeds differ much. */
function parametersOf(s: NurbsSurface): { u: (x: number) => number; v: (x: number) => number; uneven: boolean } {
  const table = [evenU(s), evenU(transpose(s))];
  const ranges = [domainU(s), domainV(s)];
  const linear = ranges.map(
    ([a, b]) =>
      (x: number) =>
        a + x * (b - a),
  );
  // within a third the own parameters do, and keep every derivative
  const off = table.map((f, k) =>
    Math.max(...[0.1, 0.25, 0.5, 0.75, 0.9].map((x) => Math.abs(f(x) - linear[k](x)) / (ranges[k][1] - ranges[k][0]))),
  );
  const pick = (k: 0 | 1) => (off[k] > 0.33 ? table[k] : linear[k]);
  return { u: pick(0), v: pick(1), uneven: off.some((x) => x > 0.33) };
}
const evenKnots = (points: number, degree: number): Float64Array => {
  const spans = points - degree;
  return Float64Array.from({ length: points + degree + 1 }, (_, i) => Math.min(1, Math.max(0, (i - degree) / spans)));
};

export interface RefitOptions {
  readonly degreeU: number;
  readonly degreeV: number;
  readonly size: { readonly countU: number; readonly countV: number } | { readonly tolerance: number };
}
export interface SurfaceRefit extends SurfaceDeviation {
  readonly surface: NurbsSurface;
}
/**
 * A polynomial surface with chosen degrees and either chosen point counts or a tolerance: least squares in one direction after the other,
 * corners kept; knots are added where a tolerance is missed. The deviation is measured densely afterwards.
 */
export function refitSurface(s: NurbsSurface, o: RefitOptions): SurfaceRefit {
  const at = parametersOf(s);
  const closed = [isClosedU(s, 1e-7), isClosedV(s, 1e-7)];
  const point = (x: number, y: number) => surfacePoint(s, at.u(x), at.v(y));
  const samplesOf = (knots: Float64Array, degree: number) => {
    const values = [...new Set(knots)];
    const per = 2 * degree + 3;
    const out: number[] = [];
    for (let i = 0; i + 1 < values.length; i++) for (let k = 0; k < per; k++) out.push(values[i] + ((values[i + 1] - values[i]) * k) / per);
    out.push(1);
    return out;
  };
  // how many places across have to be looked at: as many as the surface can bend
  const across = (n: number, degree: number) => Math.max(24, Math.min(160, 4 * n + 2 * degree));
  let surface: NurbsSurface;
  if ('tolerance' in o.size) {
    const half = 0.45 * o.size.tolerance;
    const ys = places(across(s.countV, s.degreeV));
    const u = adaptive((x) => ys.map((y) => point(x, y)), o.degreeU, half, samplesOf);
    const rows = u.data.length / (3 * ys.length);
    // the rows of the first fit as functions across
    const first = { degree: o.degreeU, knots: u.knots };
    const fullU = adaptive((y) => fitColumn(first, samplesOf(u.knots, o.degreeU), (x) => point(x, y), rows), o.degreeV, half, samplesOf);
    surface = assemble(o.degreeU, u.knots, o.degreeV, fullU.knots, fullU.data, rows);
  } else {
    const { countU, countV } = o.size;
    const [ku, kv] = [evenKnots(countU, o.degreeU), evenKnots(countV, o.degreeV)];
    const [xs, ys] = [samplesOf(ku, o.degreeU), samplesOf(kv, o.degreeV)];
    // along u for every place across, then the rows across
    const values = new Float64Array(xs.length * ys.length * 3);
    xs.forEach((x, i) => {
      ys.forEach((y, j) => {
        values.set(point(x, y), (i * ys.length + j) * 3);
      });
    });
    const alongU = fitOnKnots(o.degreeU, ku, xs, values, ys.length * 3);
    if (!alongU) throw new Error('the refit met a singular space');
    const turned = new Float64Array(ys.length * countU * 3);
    for (let i = 0; i < countU; i++)
      for (let j = 0; j < ys.length; j++)
        turned.set(alongU.subarray((i * ys.length + j) * 3, (i * ys.length + j) * 3 + 3), (j * countU + i) * 3);
    const alongV = fitOnKnots(o.degreeV, kv, ys, turned, countU * 3);
    if (!alongV) throw new Error('the refit met a singular space');
    surface = assemble(o.degreeU, ku, o.degreeV, kv, alongV, countU);
  }
  if (closed[0] || closed[1]) surface = closeAgain(surface, closed[0], closed[1]);
  // the surface's own parameters again, so that deviations are looked for at the same places
  const measured = at.uneven ? measureFree(s, surface) : measureSurfaces(s, surface);
  return { surface, ...measured };
}
const places = (n: number) => Array.from({ length: n + 1 }, (_, i) => i / n);
type Samples = (knots: Float64Array, degree: number) => number[];
/** Least squares of a function of many points with knots halved where any of them misses. */
function adaptive(
  f: (x: number) => readonly Vec3[],
  degree: number,
  tolerance: number,
  samples: Samples,
): { knots: Float64Array; data: Float64Array } {
  const kept = new Map<number, readonly Vec3[]>();
  const value = (x: number) => {
    let v = kept.get(x);
    if (!v) {
      v = f(x);
      kept.set(x, v);
    }
    return v;
  };
  let inner: number[] = [];
  for (;;) {
    const knots = Float64Array.from([...Array<number>(degree + 1).fill(0), ...inner, ...Array<number>(degree + 1).fill(1)]);
    const xs = samples(knots, degree);
    const dim = 3 * value(0).length;
    const values = new Float64Array(xs.length * dim);
    xs.forEach((x, i) => {
      value(x).forEach((p, k) => {
        values.set(p, i * dim + 3 * k);
      });
    });
    const data = fitOnKnots(degree, knots, xs, values, dim);
    if (!data) throw new Error('the refit met a singular space');
    const b = new Float64Array(degree + 1);
    const bad: number[] = [];
    const stops = [0, ...inner, 1];
    for (let s = 0; s + 1 < stops.length; s++) {
      let worst = 0;
      for (let k = 0; k < 6; k++) {
        const x = stops[s] + ((stops[s + 1] - stops[s]) * (k + 0.41)) / 6;
        const span = findSpan(knots, degree, x);
        basisDerivatives(knots, degree, span, x, 0, b);
        value(x).forEach((p, c) => {
          const q = [0, 0, 0];
          for (let j = 0; j <= degree; j++) for (let d = 0; d < 3; d++) q[d] += b[j] * data[(span - degree + j) * dim + 3 * c + d];
          worst = Math.max(worst, Math.hypot(q[0] - p[0], q[1] - p[1], q[2] - p[2]));
        });
      }
      if (worst > tolerance) bad.push((stops[s] + stops[s + 1]) / 2);
    }
    if (!bad.length || inner.length + bad.length > 120) return { knots, data };
    inner = [...inner, ...bad].sort((x, y) => x - y);
  }
}
function fitColumn(
  space: { degree: number; knots: Float64Array },
  xs: readonly number[],
  point: (x: number) => Vec3,
  rows: number,
): Vec3[] {
  const values = new Float64Array(xs.length * 3);
  xs.forEach((x, i) => {
    values.set(point(x), 3 * i);
  });
  const data = fitOnKnots(space.degree, space.knots, xs, values, 3);
  if (!data) throw new Error('the refit met a singular space');
  return Array.from({ length: rows }, (_, i): Vec3 => [data[3 * i], data[3 * i + 1], data[3 * i + 2]]);
}
/** Rows of `countU` points for each control place across. */
function assemble(
  degreeU: number,
  knotsU: Float64Array,
  degreeV: number,
  knotsV: Float64Array,
  data: Float64Array,
  countU: number,
): NurbsSurface {
  const countV = knotsV.length - degreeV - 1;
  const control = new Float64Array(countU * countV * 4);
  for (let j = 0; j < countV; j++)
    for (let i = 0; i < countU; i++) {
      control.set(data.subarray((j * countU + i) * 3, (j * countU + i) * 3 + 3), (i * countV + j) * 4);
      control[(i * countV + j) * 4 + 3] = 1;
    }
  return { degreeU, degreeV, knotsU, knotsV, countU, countV, control, rational: false };
}
/** First and last rows of closed directions become one again, and the join smooth in its tangent. */
function closeAgain(s: NurbsSurface, u: boolean, v: boolean): NurbsSurface {
  const closeU = (x: NurbsSurface): NurbsSurface => {
    const control = new Float64Array(x.control);
    const row = x.countV * 4;
    const last = (x.countU - 1) * row;
    const [h0, h1] = [x.knotsU[x.degreeU + 1] - x.knotsU[x.degreeU], x.knotsU[x.countU] - x.knotsU[x.countU - 1]];
    for (let k = 0; k < row; k++) {
      const join = (control[k] + control[last + k]) / 2;
      // the two neighbours slide so that the join lies between them in the ratio of the spans
      const slope = (control[row + k] - control[last - row + k]) / (h0 + h1);
      if (x.countU > 4 && k % 4 !== 3) {
        control[row + k] = join + slope * h0;
        control[last - row + k] = join - slope * h1;
      }
      control[k] = join;
      control[last + k] = join;
    }
    return { ...x, control };
  };
  const a = u ? closeU(s) : s;
  return v ? transpose(closeU(transpose(a))) : a;
}
const grid3 = new Float64Array(3);
/** Points of a surface at a grid of parameters, for pictures of a deviation. */
export function gridPoint(s: NurbsSurface, x: number, y: number): Vec3 {
  const [u, v] = [domainU(s), domainV(s)];
  evaluateSurface(s, u[0] + x * (u[1] - u[0]), v[0] + y * (v[1] - v[0]), 0, grid3);
  return [grid3[0], grid3[1], grid3[2]];
}
