import type { Vec3 } from '../math/index.ts';
import { greville, interpolateInSpace, knotRuns } from './spline.ts';
import { evaluateSurface, type NurbsSurface } from './surface.ts';

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
  at: (u: number, v: number) => Vec3,
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
    const surface = interpolateGrid(at, degree, knotsU, knotsV);
    let deviation = 0;
    const out = new Float64Array(3);
    const missed = (u: number, v: number): number => {
      const p = at(u, v);
      evaluateSurface(surface, u, v, 0, out);
      return Math.hypot(out[0] - p[0], out[1] - p[1], out[2] - p[2]);
    };
    for (let i = 0; i + 1 < us.length; i++)
      for (let j = 0; j + 1 < vs.length; j++)
        for (const a of [0.13, 0.5, 0.87])
          for (const b of [0.13, 0.5, 0.87])
            deviation = Math.max(deviation, missed(us[i].t + a * (us[i + 1].t - us[i].t), vs[j].t + b * (vs[j + 1].t - vs[j].t)));
    if (!best || deviation < best.deviation) best = { surface, deviation };
    if (deviation <= tolerance) break;
    // on the lines that were interpolated in one direction what is missed is the other direction's doing
    const lines = (knots: Float64Array) => {
      const g = greville(knots, degree);
      const step = Math.max(1, Math.floor(g.length / 12));
      return Array.from(g).filter((_, i) => i % step === 0);
    };
    const bad = (list: typeof us, others: readonly number[], miss: (t: number, other: number) => number) => {
      const out = new Set<number>();
      for (let i = 0; i + 1 < list.length; i++)
        if ([0.13, 0.5, 0.87].some((a) => others.some((x) => miss(list[i].t + a * (list[i + 1].t - list[i].t), x) > 0.4 * tolerance)))
          out.add(i);
      return out;
    };
    const badU = bad(us, lines(knotsV), missed);
    const badV = bad(vs, lines(knotsU), (v, u) => missed(u, v));
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
export function interpolateGrid(
  at: (u: number, v: number) => Vec3,
  degree: number,
  knotsU: Float64Array,
  knotsV: Float64Array,
): NurbsSurface {
  const gu = greville(knotsU, degree);
  const gv = greville(knotsV, degree);
  const nu = gu.length;
  const nv = gv.length;
  const grid = new Float64Array(nu * nv * 3);
  for (let i = 0; i < nu; i++) for (let j = 0; j < nv; j++) grid.set(at(gu[i], gv[j]), (i * nv + j) * 3);
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
