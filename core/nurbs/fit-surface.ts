import type { Vec3 } from '../math/index.ts';
import { evaluateGrid } from './grid.ts';
import { greville, interpolateInSpace, knotRuns } from './spline.ts';
import type { NurbsSurface } from './surface.ts';

/** Points over a grid of parameters, u-major: three numbers each. */
export type GridFunction = (us: ArrayLike<number>, vs: ArrayLike<number>) => Float64Array;
export const gridOf =
  (at: (u: number, v: number) => Vec3): GridFunction =>
  (us, vs) => {
    const out = new Float64Array(us.length * vs.length * 3);
    for (let i = 0; i < us.length; i++) for (let j = 0; j < vs.length; j++) out.set(at(us[i], vs[j]), (i * vs.length + j) * 3);
    return out;
  };

export interface SurfaceFit {
  readonly surface: NurbsSurface;
  /** Largest distance (mm) at points between the interpolation points. */
  readonly deviation: number;
}

/**
 * Fits a point function over [u0,u1] x [v0,v1] by tensor interpolation at Greville points (de Boor 1978, ch. XVII), halving the spans where
 * the error between points exceeds `tolerance`. Breaks and smoothness are taken from `like`, the surface the function is derived from.
 */
export function fitSurface(
  at: GridFunction,
  range: readonly [number, number, number, number],
  like: NurbsSurface,
  tolerance: number,
  degree = 5,
  maxSpans = 64,
): SurfaceFit {
  const breaksOf = (knots: Float64Array, p: number, a: number, b: number) => {
    const r = knotRuns(knots, p);
    const inner: { t: number; m: number }[] = [];
    r.values.forEach((t, i) => {
      if (t > a + 1e-9 * (b - a) && t < b - 1e-9 * (b - a)) inner.push({ t, m: Math.min(degree, degree - (p - r.multiplicities[i]) + 1) });
    });
    return [{ t: a, m: degree + 1 }, ...inner, { t: b, m: degree + 1 }];
  };
  let us = breaksOf(like.knotsU, like.degreeU, range[0], range[1]);
  let vs = breaksOf(like.knotsV, like.degreeV, range[2], range[3]);
  let best: SurfaceFit | undefined;
  for (let round = 0; round < 9; round++) {
    const knotsU = Float64Array.from(us.flatMap((k) => Array(k.m).fill(k.t)));
    const knotsV = Float64Array.from(vs.flatMap((k) => Array(k.m).fill(k.t)));
    const surface = interpolateOn(at, degree, knotsU, knotsV);
    /** How far the fit is off on a grid, by place. */
    const missed = (u: readonly number[], v: readonly number[]): Float64Array => {
      const [p, q] = [at(u, v), evaluateGrid(surface, u, v).positions];
      return Float64Array.from({ length: u.length * v.length }, (_, i) =>
        Math.hypot(p[3 * i] - q[3 * i], p[3 * i + 1] - q[3 * i + 1], p[3 * i + 2] - q[3 * i + 2]),
      );
    };
    const between = (list: typeof us) => list.slice(1).flatMap((k, i) => [0.13, 0.5, 0.87].map((a) => list[i].t + a * (k.t - list[i].t)));
    const [placesU, placesV] = [between(us), between(vs)];
    const deviation = missed(placesU, placesV).reduce((m, x) => (x > m || Number.isNaN(x) ? x : m), 0);
    if (!best || deviation < best.deviation) best = { surface, deviation };
    if (deviation <= tolerance) break;
    // on the lines that were interpolated in one direction what is missed is the other direction's doing
    const lines = (knots: Float64Array) => {
      const g = greville(knots, degree);
      const step = Math.max(1, Math.floor(g.length / 12));
      return Array.from(g).filter((_, i) => i % step === 0);
    };
    const [acrossV, acrossU] = [lines(knotsV), lines(knotsU)];
    const [missU, missV] = [missed(placesU, acrossV), missed(acrossU, placesV)];
    const badU = new Set<number>();
    placesU.forEach((_, i) => {
      for (let j = 0; j < acrossV.length; j++) if (missU[i * acrossV.length + j] > 0.4 * tolerance) badU.add(Math.floor(i / 3));
    });
    const badV = new Set<number>();
    placesV.forEach((_, j) => {
      for (let i = 0; i < acrossU.length; i++) if (missV[i * placesV.length + j] > 0.4 * tolerance) badV.add(Math.floor(j / 3));
    });
    if (!badU.size && !badV.size) break;
    if (us.length + badU.size > maxSpans || vs.length + badV.size > maxSpans) break;
    const halve = (list: typeof us, bad: Set<number>) =>
      list.flatMap((k, i) => (bad.has(i) ? [k, { t: (k.t + list[i + 1].t) / 2, m: 1 }] : [k]));
    us = halve(us, badU);
    vs = halve(vs, badV);
  }
  return best as SurfaceFit;
}

/** Tensor interpolation at the Greville points of the given space. */
export const interpolateGrid = (
  at: (u: number, v: number) => Vec3,
  degree: number,
  knotsU: Float64Array,
  knotsV: Float64Array,
): NurbsSurface => interpolateOn(gridOf(at), degree, knotsU, knotsV);
function interpolateOn(at: GridFunction, degree: number, knotsU: Float64Array, knotsV: Float64Array): NurbsSurface {
  const gu = greville(knotsU, degree);
  const gv = greville(knotsV, degree);
  const nu = gu.length;
  const nv = gv.length;
  const grid = at(gu, gv);
  const alongU = interpolateInSpace(degree, knotsU, gu, grid, nv * 3);
  if (!alongU) throw new Error('surface fit met a singular space');
  const turned = new Float64Array(nu * nv * 3);
  for (let i = 0; i < nu; i++)
    for (let j = 0; j < nv; j++) turned.set(alongU.data.subarray((i * nv + j) * 3, (i * nv + j) * 3 + 3), (j * nu + i) * 3);
  const alongV = interpolateInSpace(degree, knotsV, gv, turned, nu * 3);
  if (!alongV) throw new Error('surface fit met a singular space');
  const control = new Float64Array(nu * nv * 4);
  for (let i = 0; i < nu; i++)
    for (let j = 0; j < nv; j++) {
      control.set(alongV.data.subarray((j * nu + i) * 3, (j * nu + i) * 3 + 3), (i * nv + j) * 4);
      control[(i * nv + j) * 4 + 3] = 1;
    }
  return { degreeU: degree, degreeV: degree, knotsU, knotsV, countU: nu, countV: nv, control, rational: false };
}
