import { type Affine, applyPoint, type Box, boxOf, cross, dot, length, scale, type Vec3 } from '../math/index.ts';
import type { NurbsCurve } from './curve.ts';
import {
  basisDerivatives,
  checkDegree,
  clipNet,
  domainOf,
  elevateNet,
  findSpan,
  insertKnots,
  makeCompatible,
  type Net,
  remapNet,
  reverseNet,
} from './spline.ts';

/**
 * A rational tensor-product B-spline surface. `control` holds homogeneous points (wx, wy, wz, w), u-major: row i = constant u index,
 * entry (i, j) starts at (i*countV + j)*4. Clamped in both directions.
 */
export interface NurbsSurface {
  readonly degreeU: number;
  readonly degreeV: number;
  readonly knotsU: Float64Array;
  readonly knotsV: Float64Array;
  readonly countU: number;
  readonly countV: number;
  readonly control: Float64Array;
  readonly rational: boolean;
}

/** Surface from points[i][j] (i along u), optional weights. */
export function makeSurface(
  degreeU: number,
  degreeV: number,
  points: readonly (readonly Vec3[])[],
  knotsU: ArrayLike<number>,
  knotsV: ArrayLike<number>,
  weights?: readonly (readonly number[])[],
): NurbsSurface {
  checkDegree(degreeU);
  checkDegree(degreeV);
  const countU = points.length;
  const countV = points[0].length;
  const control = new Float64Array(countU * countV * 4);
  let rational = false;
  points.forEach((row, i) =>
    row.forEach((p, j) => {
      const w = weights?.[i][j] ?? 1;
      if (Math.abs(w - (weights?.[0][0] ?? 1)) > 1e-14) rational = true;
      control.set([p[0] * w, p[1] * w, p[2] * w, w], (i * countV + j) * 4);
    }),
  );
  return { degreeU, degreeV, knotsU: Float64Array.from(knotsU), knotsV: Float64Array.from(knotsV), countU, countV, control, rational };
}

export const domainU = (s: NurbsSurface) => domainOf(s.knotsU, s.degreeU);
export const domainV = (s: NurbsSurface) => domainOf(s.knotsV, s.degreeV);

export const netU = (s: NurbsSurface): Net => ({ degree: s.degreeU, knots: s.knotsU, data: s.control, stride: s.countV * 4 });
export function transpose(s: NurbsSurface): NurbsSurface {
  const control = new Float64Array(s.control.length);
  for (let i = 0; i < s.countU; i++)
    for (let j = 0; j < s.countV; j++)
      control.set(s.control.subarray((i * s.countV + j) * 4, (i * s.countV + j) * 4 + 4), (j * s.countU + i) * 4);
  return {
    degreeU: s.degreeV,
    degreeV: s.degreeU,
    knotsU: s.knotsV,
    knotsV: s.knotsU,
    countU: s.countV,
    countV: s.countU,
    control,
    rational: s.rational,
  };
}
/** Applies a net operation along u. */
export function mapU(s: NurbsSurface, op: (n: Net) => Net): NurbsSurface {
  const n = op(netU(s));
  return { ...s, degreeU: n.degree, knotsU: n.knots, control: n.data, countU: n.data.length / n.stride };
}
export const mapV = (s: NurbsSurface, op: (n: Net) => Net): NurbsSurface => transpose(mapU(transpose(s), op));

export const elevateSurface = (s: NurbsSurface, byU: number, byV: number): NurbsSurface =>
  mapV(
    mapU(s, (n) => elevateNet(n, byU)),
    (n) => elevateNet(n, byV),
  );
export const insertSurfaceKnots = (s: NurbsSurface, u: readonly number[], v: readonly number[]): NurbsSurface => {
  const a = u.length ? mapU(s, (n) => insertKnots(n, u)) : s;
  return v.length ? mapV(a, (n) => insertKnots(n, v)) : a;
};
export const reverseU = (s: NurbsSurface): NurbsSurface => mapU(s, reverseNet);
export const reverseV = (s: NurbsSurface): NurbsSurface => mapV(s, reverseNet);
export const clipSurface = (s: NurbsSurface, u0: number, u1: number, v0: number, v1: number): NurbsSurface =>
  mapV(
    mapU(s, (n) => clipNet(n, u0, u1)),
    (n) => clipNet(n, v0, v1),
  );
export const remapSurface = (s: NurbsSurface, u0: number, u1: number, v0: number, v1: number): NurbsSurface =>
  mapV(
    mapU(s, (n) => remapNet(n, u0, u1)),
    (n) => remapNet(n, v0, v1),
  );

/** Curve of constant u (runs along v). */
export function isoU(s: NurbsSurface, u: number): NurbsCurve {
  const span = findSpan(s.knotsU, s.degreeU, u);
  basisDerivatives(s.knotsU, s.degreeU, span, u, 0, bu);
  const control = new Float64Array(s.countV * 4);
  for (let a = 0; a <= s.degreeU; a++) {
    const row = (span - s.degreeU + a) * s.countV * 4;
    for (let k = 0; k < control.length; k++) control[k] += bu[a] * s.control[row + k];
  }
  return { dim: 3, degree: s.degreeV, knots: s.knotsV, control, rational: s.rational };
}
/** Curve of constant v (runs along u). */
export const isoV = (s: NurbsSurface, v: number): NurbsCurve => isoU(transpose(s), v);

/** Surface whose iso-u curves at the Greville rows are the control curves of a net over compatible curves. */
export function surfaceFromRows(rows: readonly NurbsCurve[], degreeU: number, knotsU: ArrayLike<number>): NurbsSurface {
  const countV = rows[0].control.length / 4;
  const control = new Float64Array(rows.length * countV * 4);
  rows.forEach((r, i) => control.set(r.control, i * countV * 4));
  return {
    degreeU,
    degreeV: rows[0].degree,
    knotsU: Float64Array.from(knotsU),
    knotsV: rows[0].knots,
    countU: rows.length,
    countV,
    control,
    rational: rows.some((r) => r.rational),
  };
}

export function compatibleCurves(list: readonly NurbsCurve[]): NurbsCurve[] {
  const nets = makeCompatible(list.map((c) => ({ degree: c.degree, knots: c.knots, data: c.control, stride: c.dim + 1 })));
  const rational = list.some((c) => c.rational);
  return nets.map((n, i) => ({ dim: list[i].dim, degree: n.degree, knots: n.knots, control: n.data, rational }));
}

const bu = new Float64Array(64);
const bv = new Float64Array(64);
const hom = new Float64Array(64);
const BINOMIAL = [[1], [1, 1], [1, 2, 1], [1, 3, 3, 1]];

/**
 * Partial derivatives S^(k,l), k+l <= order (0..3), at (u, v). out[(k*(order+1)+l)*3 ...]. No allocation.
 * Rational rule: Piegl & Tiller A4.4.
 */
export function evaluateSurface(s: NurbsSurface, u: number, v: number, order: number, out: Float64Array): void {
  const { degreeU: p, degreeV: q, countV, control } = s;
  const su = findSpan(s.knotsU, p, u);
  const sv = findSpan(s.knotsV, q, v);
  basisDerivatives(s.knotsU, p, su, u, order, bu);
  basisDerivatives(s.knotsV, q, sv, v, order, bv);
  if (order <= 1) {
    firstOrder(s, su - p, sv - q, order, out);
    return;
  }
  const w = order + 1;
  for (let i = 0; i < w * w * 4; i++) hom[i] = 0;
  for (let a = 0; a <= p; a++) {
    const row = ((su - p + a) * countV + sv - q) * 4;
    for (let l = 0; l <= order; l++) {
      let x = 0;
      let y = 0;
      let z = 0;
      let h = 0;
      for (let b = 0; b <= q; b++) {
        const f = bv[l * (q + 1) + b];
        const c = row + b * 4;
        x += f * control[c];
        y += f * control[c + 1];
        z += f * control[c + 2];
        h += f * control[c + 3];
      }
      for (let k = 0; k + l <= order; k++) {
        const f = bu[k * (p + 1) + a];
        const o = (k * w + l) * 4;
        hom[o] += f * x;
        hom[o + 1] += f * y;
        hom[o + 2] += f * z;
        hom[o + 3] += f * h;
      }
    }
  }
  const w0 = hom[3];
  for (let k = 0; k <= order; k++)
    for (let l = 0; k + l <= order; l++)
      for (let d = 0; d < 3; d++) {
        let x = hom[(k * w + l) * 4 + d];
        if (s.rational) {
          for (let i = 0; i <= k; i++)
            for (let j = 0; j <= l; j++)
              if (i + j > 0) x -= BINOMIAL[k][i] * BINOMIAL[l][j] * hom[(i * w + j) * 4 + 3] * out[((k - i) * w + l - j) * 3 + d];
        }
        out[(k * w + l) * 3 + d] = x / w0;
      }
}

/** Points and first derivatives from the basis values at hand, which is what almost everything asks for. */
function firstOrder(s: NurbsSurface, firstU: number, firstV: number, order: number, out: Float64Array): void {
  const { degreeU: p, degreeV: q, countV, control } = s;
  let x = 0;
  let y = 0;
  let z = 0;
  let h = 0;
  let xu = 0;
  let yu = 0;
  let zu = 0;
  let hu = 0;
  let xv = 0;
  let yv = 0;
  let zv = 0;
  let hv = 0;
  for (let a = 0; a <= p; a++) {
    let c = ((firstU + a) * countV + firstV) * 4;
    let rx = 0;
    let ry = 0;
    let rz = 0;
    let rh = 0;
    let sx = 0;
    let sy = 0;
    let sz = 0;
    let sh = 0;
    for (let b = 0; b <= q; b++, c += 4) {
      const f = bv[b];
      rx += f * control[c];
      ry += f * control[c + 1];
      rz += f * control[c + 2];
      rh += f * control[c + 3];
      if (order) {
        const g = bv[q + 1 + b];
        sx += g * control[c];
        sy += g * control[c + 1];
        sz += g * control[c + 2];
        sh += g * control[c + 3];
      }
    }
    const f = bu[a];
    x += f * rx;
    y += f * ry;
    z += f * rz;
    h += f * rh;
    if (order) {
      const g = bu[p + 1 + a];
      xu += g * rx;
      yu += g * ry;
      zu += g * rz;
      hu += g * rh;
      xv += f * sx;
      yv += f * sy;
      zv += f * sz;
      hv += f * sh;
    }
  }
  x /= h;
  y /= h;
  z /= h;
  out[0] = x;
  out[1] = y;
  out[2] = z;
  if (!order) return;
  // by v at 3, by u at 6
  out[3] = s.rational ? (xv - hv * x) / h : xv / h;
  out[4] = s.rational ? (yv - hv * y) / h : yv / h;
  out[5] = s.rational ? (zv - hv * z) / h : zv / h;
  out[6] = s.rational ? (xu - hu * x) / h : xu / h;
  out[7] = s.rational ? (yu - hu * y) / h : yu / h;
  out[8] = s.rational ? (zu - hu * z) / h : zu / h;
}

const jet = new Float64Array(48);
export function surfacePoint(s: NurbsSurface, u: number, v: number): Vec3 {
  evaluateSurface(s, u, v, 0, jet);
  return [jet[0], jet[1], jet[2]];
}

/** Position, first and second derivatives and the unit normal. The normal at a pole is taken from a point close by. */
export interface SurfaceJet {
  readonly point: Vec3;
  readonly u: Vec3;
  readonly v: Vec3;
  readonly uu: Vec3;
  readonly uv: Vec3;
  readonly vv: Vec3;
  readonly normal: Vec3;
}
const at3 = (o: number): Vec3 => [jet[o * 3], jet[o * 3 + 1], jet[o * 3 + 2]];
export function surfaceJet(s: NurbsSurface, u: number, v: number): SurfaceJet {
  evaluateSurface(s, u, v, 2, jet);
  const r = { point: at3(0), v: at3(1), vv: at3(2), u: at3(3), uv: at3(4), uu: at3(6) };
  return { ...r, normal: normalFrom(s, u, v, r.u, r.v) };
}
export function surfaceNormal(s: NurbsSurface, u: number, v: number): Vec3 {
  evaluateSurface(s, u, v, 1, jet);
  return normalFrom(s, u, v, at3(2), at3(1));
}
function normalFrom(s: NurbsSurface, u: number, v: number, du: Vec3, dv: Vec3): Vec3 {
  const n = cross(du, dv);
  const l = length(n);
  if (l > 1e-12 * (dot(du, du) + dot(dv, dv)) && l > 0) return scale(n, 1 / l);
  const [u0, u1] = domainU(s);
  const [v0, v1] = domainV(s);
  // in a pole one derivative is nothing: its change beside the pole takes its place (l'Hospital), turned the way it is inside
  evaluateSurface(s, u, v, 2, jet);
  const [ofV, mixed, ofU] = [at3(1), at3(4), at3(3)];
  const alongU = length(ofU) > length(ofV);
  const limit = alongU ? cross(ofU, mixed) : cross(mixed, ofV);
  const size = length(limit);
  if (size > 1e-9 * length(mixed) * length(alongU ? ofU : ofV) && size > 0) {
    const inward = (alongU ? u > (u0 + u1) / 2 : v > (v0 + v1) / 2) ? -1 : 1;
    return scale(limit, inward / size);
  }
  const near = 1e-4;
  evaluateSurface(s, u + near * ((u0 + u1) / 2 - u), v + near * ((v0 + v1) / 2 - v), 1, jet);
  const m = cross(at3(2), at3(1));
  const k = length(m);
  return k > 0 ? scale(m, 1 / k) : [0, 0, 1];
}

export interface Curvature {
  readonly gaussian: number;
  readonly mean: number;
  readonly largest: number;
  readonly smallest: number;
}
/** Principal curvatures (1/mm), positive where the surface bends towards its normal. */
export function curvatureOf(j: SurfaceJet): Curvature {
  const E = dot(j.u, j.u);
  const F = dot(j.u, j.v);
  const G = dot(j.v, j.v);
  const L = dot(j.uu, j.normal);
  const M = dot(j.uv, j.normal);
  const N = dot(j.vv, j.normal);
  const D = E * G - F * F;
  if (!(D > 1e-20)) return { gaussian: 0, mean: 0, largest: 0, smallest: 0 };
  const gaussian = (L * N - M * M) / D;
  const mean = (E * N - 2 * F * M + G * L) / (2 * D);
  const root = Math.sqrt(Math.max(0, mean * mean - gaussian));
  return { gaussian, mean, largest: mean + root, smallest: mean - root };
}
/** Normal curvature (1/mm) in the direction of the world vector t. */
export function normalCurvature(j: SurfaceJet, t: Vec3): number {
  const E = dot(j.u, j.u);
  const F = dot(j.u, j.v);
  const G = dot(j.v, j.v);
  const D = E * G - F * F;
  const a = dot(t, j.u);
  const b = dot(t, j.v);
  const x = (a * G - b * F) / D;
  const y = (b * E - a * F) / D;
  const first = E * x * x + 2 * F * x * y + G * y * y;
  return first > 0 ? (dot(j.uu, j.normal) * x * x + 2 * dot(j.uv, j.normal) * x * y + dot(j.vv, j.normal) * y * y) / first : 0;
}

/**
 * Derivative by arc length of the normal curvature along the section that leaves the point in direction `along` (unit, tangent) in the
 * plane of `along` and the normal: third derivative of the height over the tangent plane. Zero where the parameters are singular.
 */
export function curvatureFlow(s: NurbsSurface, u: number, v: number, along: Vec3): number {
  const d = new Float64Array(48);
  evaluateSurface(s, u, v, 3, d);
  // S^(k,l) stands at (4k + l)*3
  const at = (k: number, l: number): Vec3 => [d[(4 * k + l) * 3], d[(4 * k + l) * 3 + 1], d[(4 * k + l) * 3 + 2]];
  const n = surfaceNormal(s, u, v);
  const side = cross(n, along);
  const flat = (x: Vec3): [number, number] => [dot(x, along), dot(x, side)];
  const [a, b] = [flat(at(1, 0)), flat(at(0, 1))];
  const det = a[0] * b[1] - a[1] * b[0];
  if (Math.abs(det) < 1e-14) return 0;
  const solve = (r: readonly [number, number]): [number, number] => [(r[0] * b[1] - r[1] * b[0]) / det, (a[0] * r[1] - a[1] * r[0]) / det];
  const mixed2 = (p: readonly [number, number], q: readonly [number, number]): Vec3 => {
    const [uu, uv, vv] = [at(2, 0), at(1, 1), at(0, 2)];
    return [0, 1, 2].map((k) => uu[k] * p[0] * q[0] + uv[k] * (p[0] * q[1] + p[1] * q[0]) + vv[k] * p[1] * q[1]) as unknown as Vec3;
  };
  const [x1, y1] = solve([1, 0]);
  const second = mixed2([x1, y1], [x1, y1]);
  const s2 = flat(second);
  const two = solve([-s2[0], -s2[1]]);
  const [uuu, uuv, uvv, vvv] = [at(3, 0), at(2, 1), at(1, 2), at(0, 3)];
  const bend = mixed2([x1, y1], two);
  const third = [0, 1, 2].map(
    (k) => uuu[k] * x1 ** 3 + 3 * uuv[k] * x1 * x1 * y1 + 3 * uvv[k] * x1 * y1 * y1 + vvv[k] * y1 ** 3 + 3 * bend[k],
  ) as unknown as Vec3;
  return dot(third, n);
}

export function transformSurface(s: NurbsSurface, map: Affine): NurbsSurface {
  const control = new Float64Array(s.control.length);
  for (let i = 0; i < control.length; i += 4) {
    const w = s.control[i + 3];
    const p = applyPoint(map, [s.control[i] / w, s.control[i + 1] / w, s.control[i + 2] / w]);
    control[i] = p[0] * w;
    control[i + 1] = p[1] * w;
    control[i + 2] = p[2] * w;
    control[i + 3] = w;
  }
  return { ...s, control };
}

export function surfaceControlPoint(s: NurbsSurface, i: number, j: number): Vec3 {
  const o = (i * s.countV + j) * 4;
  const w = s.control[o + 3];
  return [s.control[o] / w, s.control[o + 1] / w, s.control[o + 2] / w];
}
export function surfaceBox(s: NurbsSurface): Box {
  const flat: number[] = [];
  for (let i = 0; i < s.control.length; i += 4)
    flat.push(s.control[i] / s.control[i + 3], s.control[i + 1] / s.control[i + 3], s.control[i + 2] / s.control[i + 3]);
  return boxOf(flat);
}
export function isClosedU(s: NurbsSurface, tolerance: number): boolean {
  for (let j = 0; j < s.countV; j++)
    if (Math.hypot(...[0, 1, 2].map((k) => surfaceControlPoint(s, 0, j)[k] - surfaceControlPoint(s, s.countU - 1, j)[k])) > tolerance)
      return false;
  return true;
}
export const isClosedV = (s: NurbsSurface, tolerance: number): boolean => isClosedU(transpose(s), tolerance);
