/** Exact curves and surfaces. Circular arcs are rational quadratic, at most 90 degrees a span (Piegl & Tiller, ch. 7). */
import { along, cross, distance, dot, type Frame, length, scale, scatter, sub, symmetric3, unit, type Vec3 } from '../math/index.ts';
import { domain, evaluateInto, makeCurve, type NurbsCurve, pointCount } from './curve.ts';
import { clampedKnots, clipNet } from './spline.ts';
import { makeSurface, type NurbsSurface } from './surface.ts';

export const lineCurve = (a: Vec3, b: Vec3): NurbsCurve => makeCurve(1, [a, b], [0, 0, 1, 1]);

/** Polyline through points, parameterised by length. Throws on fewer than two points. */
export function polylineCurve(points: readonly Vec3[]): NurbsCurve {
  const at = [0];
  for (let i = 1; i < points.length; i++) at.push(at[i - 1] + Math.max(1e-12, distance(points[i - 1], points[i])));
  return makeCurve(1, points, [0, ...at, at[at.length - 1]]);
}

/** Arc of an ellipse centre + rx·cos a·x + ry·sin a·y, a from start to end (radians, end > start, at most one turn). Knots are in radians. */
export function ellipseArc(frame: Frame, rx: number, ry: number, start = 0, end = 2 * Math.PI): NurbsCurve {
  const n = Math.max(1, Math.ceil((end - start) / (Math.PI / 2) - 1e-9));
  const step = (end - start) / n;
  const w = Math.cos(step / 2);
  const points: Vec3[] = [];
  const weights: number[] = [];
  const knots = [start, start, start];
  const put = (a: number, r: number) =>
    points.push(along(along(frame.origin, frame.x, rx * r * Math.cos(a)), frame.y, ry * r * Math.sin(a)));
  for (let i = 0; i < n; i++) {
    const a = start + i * step;
    if (i === 0) {
      put(a, 1);
      weights.push(1);
    }
    put(a + step / 2, 1 / w);
    weights.push(w);
    put(a + step, 1);
    weights.push(1);
    const k = i === n - 1 ? end : a + step;
    knots.push(k, k);
  }
  knots.push(end);
  return makeCurve(2, points, knots, weights);
}
/**
 * Weights and unit coordinates of one smooth rational span for the angle range: theta = mid + 4·atan(u), u in [-tan(D/8), tan(D/8)].
 * Degree 4 (5 from 300 degrees up, where the quartic's inner weights come close to zero); no inner knots, speed varies by at most 2.
 */
function smoothArcNet(start: number, end: number): { degree: number; weighted: [number, number, number][] } {
  const k = Math.tan((end - start) / 8);
  const mid = (start + end) / 2;
  // Bernstein forms over [-k, k] of 1, u, u², u³, u⁴
  const one = [1, 1, 1, 1, 1];
  const u1 = [-1, -0.5, 0, 0.5, 1].map((x) => x * k);
  const u2 = [1, 0, -1 / 3, 0, 1].map((x) => x * k * k);
  const u3 = [-1, 0.5, 0, -0.5, 1].map((x) => x * k ** 3);
  const u4 = [1, -1, 1, -1, 1].map((x) => x * k ** 4);
  let rows = one.map((_, i): [number, number, number] => {
    const w = one[i] + 2 * u2[i] + u4[i];
    const c = one[i] - 6 * u2[i] + u4[i];
    const s = 4 * (u1[i] - u3[i]);
    return [c * Math.cos(mid) - s * Math.sin(mid), c * Math.sin(mid) + s * Math.cos(mid), w];
  });
  if (end - start > (300 * Math.PI) / 180) {
    rows = Array.from({ length: 6 }, (_, i): [number, number, number] => {
      const a = i / 5;
      const p = rows[i - 1] ?? [0, 0, 0];
      const q = rows[i] ?? [0, 0, 0];
      return [0, 1, 2].map((d) => a * p[d] + (1 - a) * q[d]) as [number, number, number];
    });
  }
  const w0 = rows[0][2];
  return { degree: rows.length - 1, weighted: rows.map((r) => r.map((x) => x / w0) as [number, number, number]) };
}

/** Arc of an ellipse as one smooth rational span: exact, infinitely differentiable inside. Knots run from `start` to `end`. */
export function smoothArc(frame: Frame, rx: number, ry: number, start = 0, end = 2 * Math.PI): NurbsCurve {
  const { degree, weighted } = smoothArcNet(start, end);
  const control = new Float64Array(weighted.length * 4);
  weighted.forEach(([c, s, w], i) => {
    for (let k = 0; k < 3; k++) control[i * 4 + k] = w * frame.origin[k] + c * rx * frame.x[k] + s * ry * frame.y[k];
    control[i * 4 + 3] = w;
  });
  const knots = Float64Array.from([...Array(degree + 1).fill(start), ...Array(degree + 1).fill(end)]);
  return { dim: 3, degree, knots, control, rational: true };
}
export const circleCurve = (frame: Frame, radius: number, start = 0, end = 2 * Math.PI): NurbsCurve =>
  smoothArc(frame, radius, radius, start, end);

/** Arc through three points; a straight line when they are in line. */
export function arcThrough(a: Vec3, b: Vec3, c: Vec3): NurbsCurve {
  const ab = sub(b, a);
  const ac = sub(c, a);
  const n = cross(ab, ac);
  const nn = dot(n, n);
  if (nn < 1e-20 * dot(ab, ab) * dot(ac, ac)) return lineCurve(a, c);
  const to = scale(cross(along(scale(ab, -dot(ac, ac)), ac, dot(ab, ab)), n), -1 / (2 * nn));
  const centre: Vec3 = [a[0] - to[0], a[1] - to[1], a[2] - to[2]];
  const ca = sub(a, centre);
  const check = Math.abs(distance(centre, b) - length(ca));
  const o = check < 1e-6 * length(ca) ? centre : ([a[0] + to[0], a[1] + to[1], a[2] + to[2]] as Vec3);
  const x = unit(sub(a, o));
  const z = unit(n);
  const y = cross(z, x);
  const oc = sub(c, o);
  let end = Math.atan2(dot(oc, y), dot(oc, x));
  if (end <= 0) end += 2 * Math.PI;
  return circleCurve({ origin: o, x, y, z }, distance(o, a), 0, end);
}

/** B-spline from control points with uniform knots; closed ones are smooth everywhere (periodic points, clamped afterwards). */
export function controlPointCurve(points: readonly Vec3[], degree: number, closed: boolean, weights?: readonly number[]): NurbsCurve {
  if (!closed) {
    const p = Math.min(degree, points.length - 1);
    return makeCurve(p, points, clampedKnots(points.length, p), weights);
  }
  if (degree === 1) return makeCurve(1, [...points, points[0]], clampedKnots(points.length + 1, 1));
  const n = points.length;
  const p = Math.min(degree, n - 1);
  // shifted so that the curve starts nearest to the first control point
  const shift = n - Math.floor((p + 1) / 2);
  const wrap = Array.from({ length: n + p }, (_, i) => points[(i + shift) % n]);
  const wrapped = weights && Array.from({ length: n + p }, (_, i) => weights[(i + shift) % n]);
  const knots = Array.from({ length: n + 2 * p + 1 }, (_, i) => (i - p) / n);
  const open = makeCurve(p, wrap, knots, wrapped);
  const net = clipNet({ degree: p, knots: open.knots, data: open.control, stride: 4 }, 0, 1);
  return { ...open, knots: net.knots, control: net.data };
}

/** Ruled surface between two compatible curves; u runs along the curves, v from the first (0) to the second (1). */
export function ruledSurface(a: NurbsCurve, b: NurbsCurve): NurbsSurface {
  const n = pointCount(a);
  const control = new Float64Array(n * 8);
  for (let i = 0; i < n; i++) {
    control.set(a.control.subarray(i * 4, i * 4 + 4), i * 8);
    control.set(b.control.subarray(i * 4, i * 4 + 4), i * 8 + 4);
  }
  return {
    degreeU: a.degree,
    degreeV: 1,
    knotsU: a.knots,
    knotsV: Float64Array.of(0, 0, 1, 1),
    countU: n,
    countV: 2,
    control,
    rational: a.rational || b.rational,
  };
}

/** Curve moved along a vector: u along the curve, v along the vector. */
export function extrudedSurface(c: NurbsCurve, by: Vec3): NurbsSurface {
  const moved = new Float64Array(c.control);
  for (let i = 0; i < moved.length; i += 4) for (let k = 0; k < 3; k++) moved[i + k] += by[k] * moved[i + 3];
  return ruledSurface(c, { ...c, control: moved });
}

/**
 * Surface of revolution: u along the profile, v the angle from `start` to `end` (radians) about the axis, right-handed. Exact; one smooth
 * rational span around, so that it can be offset and cut without inner kinks of the parameter.
 */
export function revolvedSurface(c: NurbsCurve, centre: Vec3, axis: Vec3, start: number, end: number): NurbsSurface {
  const z = unit(axis);
  const { degree, weighted } = smoothArcNet(start, end);
  const countU = pointCount(c);
  const countV = weighted.length;
  const control = new Float64Array(countU * countV * 4);
  for (let i = 0; i < countU; i++) {
    const w = c.control[i * 4 + 3];
    const p: Vec3 = [c.control[i * 4] / w, c.control[i * 4 + 1] / w, c.control[i * 4 + 2] / w];
    const foot = along(centre, z, dot(sub(p, centre), z));
    const x = sub(p, foot);
    const y = cross(z, x);
    weighted.forEach(([cx, sy, wk], k) => {
      const o = (i * countV + k) * 4;
      for (let d = 0; d < 3; d++) control[o + d] = w * (wk * foot[d] + cx * x[d] + sy * y[d]);
      control[o + 3] = w * wk;
    });
  }
  const knots = [...Array(degree + 1).fill(start), ...Array(degree + 1).fill(end)];
  return { degreeU: c.degree, degreeV: degree, knotsU: c.knots, knotsV: Float64Array.from(knots), countU, countV, control, rational: true };
}

/**
 * Surface of guided revolution: the profile turns about the axis through `centre` along `axis` while it is stretched so that the profile
 * point at distance `radius` and height `height` follows the guide. `still` is the height that stays. Exact: with the guide written as
 * G(v) square to the axis and h(v) along it, S(u,v) = centre + r(u)/radius G(v) + (still + (z(u)-still) (h(v)-still)/(height-still)) axis,
 * a product of two splines; r is measured along the unit vector `out`, square to the axis, in the profile's plane. When `height` equals `still` the guide's rise is added instead. u along the profile, v along the guide.
 */
export function guidedRevolution(
  c: NurbsCurve,
  guide: NurbsCurve,
  centre: Vec3,
  axis: Vec3,
  out: Vec3,
  radius: number,
  height: number,
  still: number,
): NurbsSurface {
  const z = unit(axis);
  const countU = pointCount(c);
  const countV = pointCount(guide);
  const control = new Float64Array(countU * countV * 4);
  const stretch = Math.abs(height - still) > 1e-9;
  for (let i = 0; i < countU; i++) {
    const w = c.control[i * 4 + 3];
    const p = sub([c.control[i * 4] / w, c.control[i * 4 + 1] / w, c.control[i * 4 + 2] / w], centre);
    const zu = dot(p, z);
    const r = dot(p, out);
    for (let k = 0; k < countV; k++) {
      const m = guide.control[k * 4 + 3];
      const q = sub([guide.control[k * 4] / m, guide.control[k * 4 + 1] / m, guide.control[k * 4 + 2] / m], centre);
      const h = dot(q, z);
      const flat = sub(q, scale(z, h));
      const rise = stretch ? still + ((zu - still) * (h - still)) / (height - still) : zu + h - height;
      const o = (i * countV + k) * 4;
      for (let d = 0; d < 3; d++) control[o + d] = w * m * (centre[d] + (r / radius) * flat[d] + rise * z[d]);
      control[o + 3] = w * m;
    }
  }
  return {
    degreeU: c.degree,
    degreeV: guide.degree,
    knotsU: c.knots,
    knotsV: guide.knots,
    countU,
    countV,
    control,
    rational: c.rational || guide.rational,
  };
}

/** Rectangle of a frame's plane with parameters equal to its local coordinates. */
export function planeSurface(f: Frame, x0: number, x1: number, y0: number, y1: number): NurbsSurface {
  const at = (x: number, y: number): Vec3 => along(along(f.origin, f.x, x), f.y, y);
  return makeSurface(
    1,
    1,
    [
      [at(x0, y0), at(x0, y1)],
      [at(x1, y0), at(x1, y1)],
    ],
    [x0, x0, x1, x1],
    [y0, y0, y1, y1],
  );
}

/** The curve seen in a plane's own coordinates: exact 2D curve. */
export function curveInFrame(c: NurbsCurve, f: Frame): NurbsCurve {
  const n = pointCount(c);
  const control = new Float64Array(n * 3);
  for (let i = 0; i < n; i++) {
    const w = c.control[i * 4 + 3];
    const d: Vec3 = [c.control[i * 4] - w * f.origin[0], c.control[i * 4 + 1] - w * f.origin[1], c.control[i * 4 + 2] - w * f.origin[2]];
    control.set([dot(d, f.x), dot(d, f.y), w], i * 3);
  }
  return { dim: 2, degree: c.degree, knots: c.knots, control, rational: c.rational };
}

export const line2 = (a: readonly [number, number], b: readonly [number, number], t0 = 0, t1 = 1): NurbsCurve =>
  makeCurve(1, [a, b], [t0, t0, t1, t1]);

/** Largest distance of the curve's control points from the best plane, with that plane's frame. Flat when the deviation is small. */
export function planeOf(curves: readonly NurbsCurve[]): { frame: Frame; deviation: number } | undefined {
  const pts: Vec3[] = [];
  const at = new Float64Array(3);
  for (const c of curves) {
    const [a, b] = domain(c);
    const n = Math.max(8, 4 * pointCount(c));
    for (let i = 0; i <= n; i++) {
      evaluateInto(c, a + ((b - a) * i) / n, 0, at);
      pts.push([at[0], at[1], at[2]]);
    }
  }
  const centre = scale(
    pts.reduce<Vec3>((s, p) => [s[0] + p[0], s[1] + p[1], s[2] + p[2]], [0, 0, 0]),
    1 / pts.length,
  );
  // least squares: the direction in which the samples spread least
  const spread = symmetric3(scatter(pts.map((p) => sub(p, centre))));
  if (!(spread.values[1] > 1e-18 * spread.values[2]) || spread.values[2] < 1e-24) return undefined;
  const z = unit(spread.axes[0]);
  let deviation = 0;
  for (const p of pts) deviation = Math.max(deviation, Math.abs(dot(sub(p, centre), z)));
  const far = pts.reduce((m, p) => (distance(p, centre) > distance(m, centre) ? p : m), pts[0]);
  const x = unit(along(sub(far, centre), z, -dot(sub(far, centre), z)));
  return { frame: { origin: centre, x, y: cross(z, x), z }, deviation };
}
