import {
  add,
  along,
  anyPerpendicular,
  cross,
  dot,
  type Frame,
  gaussRule,
  length,
  scale,
  scatter,
  solveSymmetricBanded,
  sub,
  symmetric3,
  toLocal,
  translation,
  unit,
  type Vec3,
} from '../math/index.ts';
import {
  basisDerivatives,
  clampedKnots,
  closestOnSurface,
  domainU,
  domainV,
  findSpan,
  fitOnKnots,
  knotRuns,
  lineCurve,
  makeCurve,
  type NurbsCurve,
  type NurbsSurface,
  planeSurface,
  revolvedSurface,
  surfaceNormal,
  transformCurve,
} from '../nurbs/index.ts';
import { compatibleSurfaces } from '../skins/gordon.ts';
import { fitPlane, type Shape } from './recognise.ts';

/** Angles that hold all given ones: from the end of the largest gap to its start; a whole turn when there is hardly a gap. */
function angleRange(angles: readonly number[]): readonly [number, number] {
  const s = angles.map((a) => ((a % (2 * Math.PI)) + 2 * Math.PI) % (2 * Math.PI)).sort((a, b) => a - b);
  let gap = { size: s[0] + 2 * Math.PI - s[s.length - 1], at: 0 };
  for (let i = 1; i < s.length; i++) if (s[i] - s[i - 1] > gap.size) gap = { size: s[i] - s[i - 1], at: i };
  if (gap.size < 0.15) return [0, 2 * Math.PI];
  const from = s[gap.at];
  return [from, from + 2 * Math.PI - gap.size];
}
const rangeOf = (list: readonly number[]): readonly [number, number] => [
  list.reduce((m, x) => Math.min(m, x), Infinity),
  list.reduce((m, x) => Math.max(m, x), -Infinity),
];
/** Frame of a point cloud: longest spread along x, least along z. */
export function cloudFrame(points: readonly Vec3[]): Frame {
  const plane = fitPlane(points);
  const d = points.map((p) => sub(p, plane.origin));
  const axes = symmetric3(scatter(d)).axes;
  const z = axes[0];
  const x = axes[2];
  return { origin: plane.origin, x, y: cross(z, x), z };
}

export interface SurfaceSize {
  /** Way beyond the points on all sides (mm). */
  readonly margin: number;
  /** Control points of profiles that are fitted. */
  readonly profile: number;
}
/** The piece of an analytic shape (or of a profile turned or led along) that covers the points. */
export function surfaceOfShape(s: Shape, points: readonly Vec3[], o: SurfaceSize): NurbsSurface {
  if (s.kind === 'plane') {
    const f = { ...cloudFrame(points) };
    const local = points.map((p) => toLocal(f, p));
    const [x, y] = [rangeOf(local.map((q) => q[0])), rangeOf(local.map((q) => q[1]))];
    return planeSurface(f, x[0] - o.margin, x[1] + o.margin, y[0] - o.margin, y[1] + o.margin);
  }
  if (s.kind === 'sphere') {
    // the poles stand square to the middle of the region
    const middle = points.reduce((m, p) => add(m, unit(sub(p, s.centre))), [0, 0, 0] as Vec3);
    const out = length(middle) > 1e-6 ? unit(middle) : ([1, 0, 0] as Vec3);
    const axis = anyPerpendicular(out);
    const lat = rangeOf(points.map((p) => Math.asin(Math.min(1, Math.max(-1, dot(unit(sub(p, s.centre)), axis))))));
    const more = o.margin / s.radius;
    const [a, b] = [Math.max(-Math.PI / 2, lat[0] - more), Math.min(Math.PI / 2, lat[1] + more)];
    return turned(
      arcPoints(s.centre, out, axis, s.radius, a, b),
      s.centre,
      axis,
      widened(
        points.map((p) => angleAbout(p, s.centre, axis, out)),
        more,
      ),
    );
  }
  if (s.kind === 'extruded') {
    const d = s.direction;
    const frame = cloudFrame(points);
    const [x, y] = flatAxes(d, frame.z);
    const c = points.reduce((m, p) => add(m, p), [0, 0, 0] as Vec3);
    const origin = scale(c, 1 / points.length);
    const local = points.map((p): [number, number, number] => {
      const q = sub(p, origin);
      return [dot(q, y), dot(q, x), dot(q, d)];
    });
    const profile = profileThrough(
      local.map((q) => [q[0], q[1]] as const),
      o.profile,
      o.margin,
      (a, b) => add(origin, add(scale(y, a), scale(x, b))),
    );
    const h = rangeOf(local.map((q) => q[2]));
    return ruledAlong(transformCurve(profile, translation(scale(d, h[0] - o.margin))), scale(d, h[1] - h[0] + 2 * o.margin));
  }
  const axis = s.axis;
  const origin = s.kind === 'cone' ? s.apex : s.origin;
  const out = anyPerpendicular(axis);
  const heights = points.map((p) => dot(sub(p, origin), axis));
  const h = rangeOf(heights);
  const radiusAt = (p: Vec3) => {
    const q = sub(p, origin);
    return length(along(q, axis, -dot(q, axis)));
  };
  const mean = points.reduce((m, p) => m + radiusAt(p), 0) / points.length;
  const angles = widened(
    points.map((p) => angleAbout(p, origin, axis, out)),
    o.margin / Math.max(1e-6, mean),
  );
  const at = (r: number, z: number): Vec3 => add(origin, add(scale(out, r), scale(axis, z)));
  let profile: NurbsCurve;
  if (s.kind === 'cylinder') profile = lineCurve(at(s.radius, h[0] - o.margin), at(s.radius, h[1] + o.margin));
  else if (s.kind === 'cone') {
    const [a, b] = [Math.max(1e-6, h[0] - o.margin), h[1] + o.margin];
    profile = lineCurve(at(a * Math.tan(s.angle), a), at(b * Math.tan(s.angle), b));
  } else
    profile = profileThrough(
      points.map((p, k) => [heights[k], radiusAt(p)] as const),
      o.profile,
      o.margin,
      (z, r) => at(r, z),
    );
  return turned(profile, origin, axis, angles);
}
const flatAxes = (d: Vec3, towards: Vec3): readonly [Vec3, Vec3] => {
  const x0 = along(towards, d, -dot(towards, d));
  const x = length(x0) > 1e-6 ? unit(x0) : anyPerpendicular(d);
  return [x, cross(d, x)];
};
const angleAbout = (p: Vec3, origin: Vec3, axis: Vec3, out: Vec3): number => {
  const d = sub(p, origin);
  return Math.atan2(dot(d, cross(axis, out)), dot(d, out));
};
function widened(angles: readonly number[], by: number): readonly [number, number] {
  const [a, b] = angleRange(angles);
  return b - a + 2 * by >= 2 * Math.PI - 1e-6 ? [0, 2 * Math.PI] : [a - by, b + by];
}
function turned(profile: NurbsCurve, origin: Vec3, axis: Vec3, [a, b]: readonly [number, number]): NurbsSurface {
  return revolvedSurface(profile, origin, axis, a, b);
}
function arcPoints(centre: Vec3, out: Vec3, axis: Vec3, r: number, a: number, b: number): NurbsCurve {
  // exact arc in the plane of the axis, from latitude a to b: rational quadratics of at most ninety degrees
  const n = Math.max(1, Math.ceil((b - a) / (Math.PI / 2) - 1e-9));
  const step = (b - a) / n;
  const w = Math.cos(step / 2);
  const at = (t: number, f: number): Vec3 => add(centre, add(scale(out, r * f * Math.cos(t)), scale(axis, r * f * Math.sin(t))));
  const points: Vec3[] = [at(a, 1)];
  const weights = [1];
  const knots = [0, 0, 0];
  for (let i = 0; i < n; i++) {
    points.push(at(a + (i + 0.5) * step, 1 / w), at(a + (i + 1) * step, 1));
    weights.push(w, 1);
    knots.push(i + 1, i + 1);
  }
  knots.push(n);
  return makeCurve(2, points, knots, weights);
}
function ruledAlong(c: NurbsCurve, by: Vec3): NurbsSurface {
  const n = c.control.length / 4;
  const control = new Float64Array(n * 8);
  for (let i = 0; i < n; i++) {
    const w = c.control[4 * i + 3];
    for (let k = 0; k < 4; k++) control[8 * i + k] = control[8 * i + 4 + k] = c.control[4 * i + k];
    for (let k = 0; k < 3; k++) control[8 * i + 4 + k] += by[k] * w;
  }
  return {
    degreeU: c.degree,
    degreeV: 1,
    knotsU: c.knots,
    knotsV: Float64Array.of(0, 0, 1, 1),
    countU: n,
    countV: 2,
    control,
    rational: c.rational,
  };
}
/** Least-squares spline y(x) through scattered pairs, as a curve in space. */
function profileThrough(
  pairs: readonly (readonly [number, number])[],
  count: number,
  margin: number,
  at: (x: number, y: number) => Vec3,
): NurbsCurve {
  const [x0, x1] = rangeOf(pairs.map((p) => p[0]));
  const sorted = [...pairs].sort((a, b) => a[0] - b[0]);
  // strips of equal width, each a mean: ends and gaps count as the rest
  const strips = 6 * count;
  const xs: number[] = [];
  const ys: number[] = [];
  let k = 0;
  for (let i = 0; i < strips; i++) {
    const end = x0 + ((x1 - x0) * (i + 1)) / strips;
    let [sx, sy, n] = [0, 0, 0];
    while (k < sorted.length && (sorted[k][0] <= end || i === strips - 1)) {
      sx += sorted[k][0];
      sy += sorted[k][1];
      n++;
      k++;
    }
    if (n) {
      xs.push(sx / n);
      ys.push(sy / n);
    }
  }
  const degree = Math.min(3, xs.length - 1);
  const points = Math.max(degree + 1, Math.min(count, Math.floor(xs.length / 2)));
  const t = xs.map((x) => (x - xs[0]) / (xs[xs.length - 1] - xs[0] || 1));
  const knots = clampedKnots(points, degree);
  const data = fitOnKnots(degree, knots, t, Float64Array.from(xs.flatMap((x, i) => [x, ys[i]])), 2);
  const rows = Array.from({ length: points }, (_, i) => [data?.[2 * i] ?? xs[0], data?.[2 * i + 1] ?? ys[0]]);
  // straight on to the margin at both ends
  const out = rows.map(([x, y]) => at(x, y));
  if (margin > 0 && rows.length > 1) {
    const grow = (i: number, j: number) => {
      const d = sub(out[i], out[j]);
      const l = length(d) || 1;
      out[i] = add(out[i], scale(d, margin / l));
    };
    grow(0, 1);
    grow(out.length - 1, out.length - 2);
  }
  return makeCurve(degree, out, knots);
}

export interface ScatterFit {
  readonly surface: NurbsSurface;
  /** Parameters and signed distance of each point. */
  readonly feet: readonly { readonly u: number; readonly v: number; readonly d: number }[];
}
export interface ScatterOptions {
  readonly degree: number;
  readonly countU: number;
  readonly countV: number;
  /** Weight of evenness, as a share of the points' weight. */
  readonly calm: number;
  readonly margin: number;
}
/**
 * A spline surface near scattered points: least squares on a tensor grid with a little thin-plate energy that holds places without points,
 * parameters corrected by projection (Hoschek & Lasser 1993, ch. 4). The first parameters come from the frame of the cloud, or from the
 * cylinder that wraps round it where normals turn far.
 */
export function fitScatter(points: readonly Vec3[], normals: readonly Vec3[], o: ScatterOptions, rounds = 3): ScatterFit {
  let uv = firstParameters(points, normals);
  let surface = solveScatter(points, uv, o);
  for (let k = 0; k < rounds; k++) {
    uv = points.map((p, i) => {
      const foot = closestOnSurface(surface, p, uv[i]);
      return [foot.u, foot.v] as const;
    });
    surface = solveScatter(points, uv, o);
  }
  const feet = points.map((p, i) => {
    const foot = closestOnSurface(surface, p, uv[i]);
    const n = surfaceNormal(surface, foot.u, foot.v);
    return { u: foot.u, v: foot.v, d: Math.sign(dot(sub(p, foot.point), n)) * foot.distance };
  });
  return { surface, feet };
}
function firstParameters(points: readonly Vec3[], normals: readonly Vec3[]): (readonly [number, number])[] {
  const f = cloudFrame(points);
  const mean = normals.reduce((m, n) => add(m, n), [0, 0, 0] as Vec3);
  const lean = length(mean) > 1e-9 ? normals.reduce((w, n) => Math.min(w, dot(n, unit(mean))), 1) : -1;
  if (lean > 0.35) {
    // seen along the mean normal
    const z = unit(mean);
    const x = unit(along(f.x, z, -dot(f.x, z)));
    const g: Frame = { origin: f.origin, x, y: cross(z, x), z };
    const local = points.map((p) => toLocal(g, p));
    const [a, b] = [rangeOf(local.map((q) => q[0])), rangeOf(local.map((q) => q[1]))];
    return local.map((q) => [(q[0] - a[0]) / (a[1] - a[0]), (q[1] - b[0]) / (b[1] - b[0])] as const);
  }
  // round an axis that the normals are square to
  const axis = symmetric3(scatter(normals)).axes[0];
  const out = anyPerpendicular(axis);
  const origin = scale(
    points.reduce((m, p) => add(m, p), [0, 0, 0] as Vec3),
    1 / points.length,
  );
  // angles of normals tell the place round better than those of points
  const angles = normals.map((n) => Math.atan2(dot(n, cross(axis, out)), dot(n, out)));
  const [a0, a1] = angleRange(angles);
  const h = points.map((p) => dot(sub(p, origin), axis));
  const [h0, h1] = rangeOf(h);
  return points.map((_, k) => {
    const turn = (((angles[k] - a0) % (2 * Math.PI)) + 2 * Math.PI) % (2 * Math.PI);
    return [Math.min(1, turn / (a1 - a0)), (h[k] - h0) / (h1 - h0 || 1)] as const;
  });
}
function solveScatter(points: readonly Vec3[], uv: readonly (readonly [number, number])[], o: ScatterOptions): NurbsSurface {
  const p = o.degree;
  const [nu, nv] = [o.countU, o.countV];
  const [ku, kv] = [clampedKnots(nu, p), clampedKnots(nv, p)];
  const n = nu * nv;
  const half = Math.min(n - 1, p * nv + p);
  const w = half + 1;
  const A = new Float64Array(n * w);
  const B = [0, 1, 2].map(() => new Float64Array(n));
  const [bu, bv] = [new Float64Array(p + 1), new Float64Array(p + 1)];
  points.forEach((q, k) => {
    const [u, v] = [Math.min(1, Math.max(0, uv[k][0])), Math.min(1, Math.max(0, uv[k][1]))];
    const [su, sv] = [findSpan(ku, p, u), findSpan(kv, p, v)];
    basisDerivatives(ku, p, su, u, 0, bu);
    basisDerivatives(kv, p, sv, v, 0, bv);
    for (let a = 0; a <= p; a++)
      for (let b = 0; b <= p; b++) {
        const i = (su - p + a) * nv + sv - p + b;
        const x = bu[a] * bv[b];
        for (let d = 0; d < 3; d++) B[d][i] += x * q[d];
        for (let c = 0; c <= p; c++)
          for (let e = 0; e <= p; e++) {
            const j = (su - p + c) * nv + sv - p + e;
            if (j <= i) A[i * w + half - i + j] += x * bu[c] * bv[e];
          }
      }
  });
  addEnergy(A, half, ku, kv, p, nu, nv, o.calm * points.length);
  for (let i = 0; i < n; i++) A[i * w + half] += 1e-10 * points.length;
  // the tiny diagonal pulls nothing: it is matched on the right by the mean place
  const mean = scale(
    points.reduce((m, q) => add(m, q), [0, 0, 0] as Vec3),
    1 / points.length,
  );
  for (let d = 0; d < 3; d++) for (let i = 0; i < n; i++) B[d][i] += 1e-10 * points.length * mean[d];
  const control = new Float64Array(4 * n);
  for (let d = 0; d < 3; d++) {
    if (!solveSymmetricBanded(Float64Array.from(A), B[d], n, half))
      throw new Error('the fit has too few points: choose fewer control points');
    for (let i = 0; i < n; i++) control[4 * i + d] = B[d][i];
  }
  for (let i = 0; i < n; i++) control[4 * i + 3] = 1;
  return { degreeU: p, degreeV: p, knotsU: ku, knotsV: kv, countU: nu, countV: nv, control, rational: false };
}
/** Thin-plate energy of a tensor grid, added to a banded normal matrix. */
function addEnergy(
  A: Float64Array,
  half: number,
  ku: Float64Array,
  kv: Float64Array,
  p: number,
  nu: number,
  nv: number,
  weight: number,
  index?: Int32Array,
): void {
  const [U, V] = [grams(ku, p, nu), grams(kv, p, nv)];
  const w = half + 1;
  for (let i = 0; i < nu; i++)
    for (let j = 0; j < nv; j++) {
      const a = index ? index[i * nv + j] : i * nv + j;
      if (a < 0) continue;
      for (let k = Math.max(0, i - p); k <= Math.min(nu - 1, i + p); k++)
        for (let l = Math.max(0, j - p); l <= Math.min(nv - 1, j + p); l++) {
          const b = index ? index[k * nv + l] : k * nv + l;
          if (b < 0 || b > a) continue;
          A[a * w + half - a + b] +=
            weight * (U[2][i * nu + k] * V[0][j * nv + l] + 2 * U[1][i * nu + k] * V[1][j * nv + l] + U[0][i * nu + k] * V[2][j * nv + l]);
        }
    }
}
function grams(knots: Float64Array, p: number, n: number): Float64Array[] {
  const out = [0, 1, 2].map(() => new Float64Array(n * n));
  const { values } = knotRuns(knots, p);
  const { nodes, weights } = gaussRule(p + 1);
  const b = new Float64Array(3 * (p + 1));
  for (let i = 0; i + 1 < values.length; i++) {
    const h = (values[i + 1] - values[i]) / 2;
    for (let q = 0; q < nodes.length; q++) {
      const t = values[i] + h * (1 + nodes[q]);
      const span = findSpan(knots, p, t);
      basisDerivatives(knots, p, span, t, 2, b);
      for (let k = 0; k < 3; k++)
        for (let x = 0; x <= p; x++)
          for (let y = 0; y <= p; y++)
            out[k][(span - p + x) * n + span - p + y] += weights[q] * h * b[k * (p + 1) + x] * b[k * (p + 1) + y];
    }
  }
  return out;
}

/**
 * A surface with given borders bent towards scattered points inside: heights over it along its normals, zero on the border, least squares.
 * Points whose foot lies on the border are left out.
 */
export function bendTo(
  base: NurbsSurface,
  points: readonly Vec3[],
  o: { readonly countU: number; readonly countV: number; readonly calm: number },
): NurbsSurface {
  let surface = base;
  for (let pass = 0; pass < 2; pass++) surface = bendOnce(surface, points, o);
  return surface;
}
function bendOnce(
  base: NurbsSurface,
  points: readonly Vec3[],
  o: { readonly countU: number; readonly countV: number; readonly calm: number },
): NurbsSurface {
  const p = 3;
  const [nu, nv] = [Math.max(p + 1, o.countU), Math.max(p + 1, o.countV)];
  const [ku, kv] = [clampedKnots(nu, p), clampedKnots(nv, p)];
  const [ru, rv] = [domainU(base), domainV(base)];
  const inner = (i: number, j: number) => i > 0 && i < nu - 1 && j > 0 && j < nv - 1;
  const index = new Int32Array(nu * nv).fill(-1);
  let n = 0;
  for (let i = 0; i < nu; i++) for (let j = 0; j < nv; j++) if (inner(i, j)) index[i * nv + j] = n++;
  if (!n) return base;
  const half = Math.min(n - 1, p * (nv - 2) + p);
  const w = half + 1;
  const A = new Float64Array(n * w);
  const B = new Float64Array(n);
  const [bu, bv] = [new Float64Array(p + 1), new Float64Array(p + 1)];
  let used = 0;
  for (const q of points) {
    const foot = closestOnSurface(base, q);
    const [u, v] = [(foot.u - ru[0]) / (ru[1] - ru[0]), (foot.v - rv[0]) / (rv[1] - rv[0])];
    if (u < 1e-6 || u > 1 - 1e-6 || v < 1e-6 || v > 1 - 1e-6) continue;
    used++;
    const h = dot(sub(q, foot.point), surfaceNormal(base, foot.u, foot.v));
    const [su, sv] = [findSpan(ku, p, u), findSpan(kv, p, v)];
    basisDerivatives(ku, p, su, u, 0, bu);
    basisDerivatives(kv, p, sv, v, 0, bv);
    for (let a = 0; a <= p; a++)
      for (let b = 0; b <= p; b++) {
        const i = index[(su - p + a) * nv + sv - p + b];
        if (i < 0) continue;
        const x = bu[a] * bv[b];
        B[i] += x * h;
        for (let c = 0; c <= p; c++)
          for (let e = 0; e <= p; e++) {
            const j = index[(su - p + c) * nv + sv - p + e];
            if (j >= 0 && j <= i) A[i * w + half - i + j] += x * bu[c] * bv[e];
          }
      }
  }
  if (!used) return base;
  addEnergy(A, half, ku, kv, p, nu, nv, o.calm * used, index);
  for (let i = 0; i < n; i++) A[i * w + half] += 1e-10 * used;
  if (!solveSymmetricBanded(A, B, n, half)) return base;
  const control = new Float64Array(4 * nu * nv);
  for (let i = 0; i < nu; i++)
    for (let j = 0; j < nv; j++) {
      const k = i * nv + j;
      if (index[k] >= 0) {
        const g = (knots: Float64Array, x: number) => (knots[x + 1] + knots[x + 2] + knots[x + 3]) / 3;
        const d = surfaceNormal(base, ru[0] + g(ku, i) * (ru[1] - ru[0]), rv[0] + g(kv, j) * (rv[1] - rv[0]));
        for (let c = 0; c < 3; c++) control[4 * k + c] = d[c] * B[index[k]];
      }
      control[4 * k + 3] = 1;
    }
  const shift: NurbsSurface = { degreeU: p, degreeV: p, knotsU: ku, knotsV: kv, countU: nu, countV: nv, control, rational: false };
  const one = (k: Float64Array) => k.map((t) => (t - k[0]) / (k[k.length - 1] - k[0]));
  const [x, y] = compatibleSurfaces([{ ...base, knotsU: one(base.knotsU), knotsV: one(base.knotsV) }, shift]);
  return { ...x, control: Float64Array.from(x.control, (c, i) => (i % 4 === 3 ? 1 : c + y.control[i])), rational: false };
}

/** Largest, usual and 95th of 100 distance of points from a surface, with the feet. */
export function distancesTo(
  s: NurbsSurface,
  points: readonly Vec3[],
  start?: readonly (readonly [number, number])[],
): { feet: { u: number; v: number; d: number }[]; worst: number; at: Vec3; rms: number; most: number } {
  let worst = { d: 0, at: points[0] ?? ([0, 0, 0] as Vec3) };
  const feet = points.map((p, i) => {
    const f = start ? closestOnSurface(s, p, start[i]) : closestOnSurface(s, p);
    if (f.distance > worst.d) worst = { d: f.distance, at: p };
    return { u: f.u, v: f.v, d: f.distance };
  });
  const sorted = feet.map((f) => f.d).sort((a, b) => a - b);
  return {
    feet,
    worst: worst.d,
    at: worst.at,
    rms: Math.sqrt(feet.reduce((m, f) => m + f.d * f.d, 0) / Math.max(1, feet.length)),
    most: sorted[Math.floor(0.95 * (sorted.length - 1))] ?? 0,
  };
}
