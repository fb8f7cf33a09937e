import type { Vec3 } from '../math/index.ts';
import { evaluateInto, type NurbsCurve } from './curve.ts';
import { knotRuns } from './spline.ts';
import { domainU, domainV, evaluateSurface, type NurbsSurface } from './surface.ts';

export interface CurveFoot {
  readonly t: number;
  readonly point: Vec3;
  readonly distance: number;
}

const jc = new Float64Array(12);

/** Closest point of the curve (Newton on (C-p)·C' from the best samples; ends count as candidates). */
export function closestOnCurve(c: NurbsCurve, p: Vec3): CurveFoot {
  const samples = curveSamples(c);
  const n = samples.t.length;
  const order: number[] = [];
  const d2 = new Float64Array(n);
  for (let i = 0; i < n; i++)
    d2[i] = (samples.x[3 * i] - p[0]) ** 2 + (samples.x[3 * i + 1] - p[1]) ** 2 + (samples.x[3 * i + 2] - p[2]) ** 2;
  for (let i = 0; i < n; i++) if ((i === 0 || d2[i] <= d2[i - 1]) && (i === n - 1 || d2[i] <= d2[i + 1])) order.push(i);
  order.sort((a, b) => d2[a] - d2[b]);
  let best: CurveFoot = { t: samples.t[order[0]], point: [0, 0, 0], distance: Infinity };
  for (const i of order.slice(0, 4)) {
    const t = newtonCurve(c, p, samples.t[i], samples.t[Math.max(0, i - 1)], samples.t[Math.min(n - 1, i + 1)]);
    evaluateInto(c, t, 0, jc);
    const z = c.dim === 3 ? jc[2] : 0;
    const distance = Math.hypot(jc[0] - p[0], jc[1] - p[1], z - p[2]);
    if (distance < best.distance) best = { t, point: [jc[0], jc[1], z], distance };
  }
  return best;
}
function newtonCurve(c: NurbsCurve, p: Vec3, t0: number, low: number, high: number): number {
  let t = t0;
  const s = c.dim;
  for (let k = 0; k < 30; k++) {
    evaluateInto(c, t, 2, jc);
    let f = 0;
    let g = 0;
    for (let d = 0; d < s; d++) {
      const r = jc[d] - p[d];
      f += r * jc[s + d];
      g += jc[s + d] * jc[s + d] + r * jc[2 * s + d];
    }
    if (g <= 0) {
      let q = 0;
      for (let d = 0; d < s; d++) q += jc[s + d] * jc[s + d];
      g = q || 1;
    }
    const next = Math.min(high, Math.max(low, t - f / g));
    if (Math.abs(next - t) <= 1e-15 * Math.max(1, Math.abs(t))) return next;
    t = next;
  }
  return t;
}

const curveCache = new WeakMap<NurbsCurve, { t: Float64Array; x: Float64Array }>();
function curveSamples(c: NurbsCurve) {
  let s = curveCache.get(c);
  if (s) return s;
  const { values } = knotRuns(c.knots, c.degree);
  const per = c.degree === 1 ? 2 : 2 * c.degree + 2;
  let ts: number[] = [];
  for (let i = 0; i + 1 < values.length; i++) for (let k = 0; k < per; k++) ts.push(values[i] + ((values[i + 1] - values[i]) * k) / per);
  ts.push(values[values.length - 1]);
  // where it turns fast between two samples, as round a tight tip, there are more
  const between = (a: number, b: number, depth: number): number[] => {
    evaluateInto(c, a, 1, jc);
    const va = jc.slice(c.dim, 2 * c.dim);
    evaluateInto(c, b, 1, jc);
    let [dot, aa, bb] = [0, 0, 0];
    for (let d = 0; d < c.dim; d++) {
      const vb = jc[c.dim + d];
      dot += va[d] * vb;
      aa += va[d] * va[d];
      bb += vb * vb;
    }
    const m = (a + b) / 2;
    return depth && dot < 0.87 * Math.sqrt(aa * bb) ? [...between(a, m, depth - 1), m, ...between(m, b, depth - 1)] : [];
  };
  if (c.degree > 1) ts = ts.flatMap((t, i) => (i ? [...between(ts[i - 1], t, 6), t] : [t]));
  const x = new Float64Array(ts.length * 3);
  ts.forEach((t, i) => {
    evaluateInto(c, t, 0, jc);
    for (let d = 0; d < c.dim; d++) x[3 * i + d] = jc[d];
  });
  s = { t: Float64Array.from(ts), x };
  curveCache.set(c, s);
  return s;
}

export interface SurfaceFoot {
  readonly u: number;
  readonly v: number;
  readonly point: Vec3;
  readonly distance: number;
}

interface SurfaceSamples {
  readonly us: Float64Array;
  readonly vs: Float64Array;
  readonly x: Float64Array;
  /** Samples of a border that is one point: nothing there tells which way is nearer. */
  readonly atPole: (i: number, j: number) => boolean;
}
const surfaceCache = new WeakMap<NurbsSurface, SurfaceSamples>();
function samplesOf(s: NurbsSurface): SurfaceSamples {
  let r = surfaceCache.get(s);
  if (r) return r;
  const list = (knots: Float64Array, degree: number) => {
    const { values } = knotRuns(knots, degree);
    const per = degree === 1 && values.length > 3 ? 2 : Math.max(3, degree + 1);
    const out: number[] = [];
    for (let i = 0; i + 1 < values.length; i++) for (let k = 0; k < per; k++) out.push(values[i] + ((values[i + 1] - values[i]) * k) / per);
    out.push(values[values.length - 1]);
    return Float64Array.from(out);
  };
  const us = list(s.knotsU, s.degreeU);
  const vs = list(s.knotsV, s.degreeV);
  const x = new Float64Array(us.length * vs.length * 3);
  for (let i = 0; i < us.length; i++)
    for (let j = 0; j < vs.length; j++) {
      evaluateSurface(s, us[i], vs[j], 0, js);
      x.set(js.subarray(0, 3), (i * vs.length + j) * 3);
    }
  const [nu, nv] = [us.length, vs.length];
  const one = (from: number, step: number, count: number): boolean => {
    for (let k = 1; k < count; k++)
      for (let d = 0; d < 3; d++) if (Math.abs(x[3 * (from + k * step) + d] - x[3 * from + d]) > 1e-9) return false;
    return true;
  };
  const poles = { u0: one(0, 1, nv), u1: one((nu - 1) * nv, 1, nv), v0: one(0, nv, nu), v1: one(nv - 1, nv, nu) };
  const atPole = (i: number, j: number) =>
    (i === 0 && poles.u0) || (i === nu - 1 && poles.u1) || (j === 0 && poles.v0) || (j === nv - 1 && poles.v1);
  r = { us, vs, x, atPole };
  surfaceCache.set(s, r);
  return r;
}

const js = new Float64Array(48);
/** The longest step of Newton's method on a surface, as a part of the domain. */
const LONGEST = 0.25;
/** Directions looked at from a pole. */
const POLE_SAMPLES = 32;

/**
 * Closest point of the whole (untrimmed) surface: Newton with second-order terms from `start`, or from the best local minima of a sample grid.
 * Boundaries hold the parameter; the other one goes on converging. From a start, `around` lets it go over the seam of a surface that is closed
 * in itself; without it the foot stays on the side of the seam where it began, which is what a curve traced along the seam needs.
 */
export function closestOnSurface(s: NurbsSurface, p: Vec3, start?: readonly [number, number], around = false): SurfaceFoot {
  if (start) return newtonSurface(s, p, start[0], start[1], around);
  const g = samplesOf(s);
  const nu = g.us.length;
  const nv = g.vs.length;
  const d2 = new Float64Array(nu * nv);
  for (let i = 0; i < d2.length; i++) d2[i] = (g.x[3 * i] - p[0]) ** 2 + (g.x[3 * i + 1] - p[1]) ** 2 + (g.x[3 * i + 2] - p[2]) ** 2;
  const minima: number[] = [];
  for (let i = 0; i < nu; i++)
    for (let j = 0; j < nv; j++) {
      const d = d2[i * nv + j];
      if (
        (i > 0 && d2[(i - 1) * nv + j] < d) ||
        (i < nu - 1 && d2[(i + 1) * nv + j] < d) ||
        (j > 0 && d2[i * nv + j - 1] < d) ||
        (j < nv - 1 && d2[i * nv + j + 1] < d)
      )
        continue;
      if (!g.atPole(i, j)) minima.push(i * nv + j);
      else {
        // the nearest sample beside the pole instead
        let next = -1;
        for (let k = -1; k <= 1; k++)
          for (let l = -1; l <= 1; l++) {
            const [x, y] = [i + k, j + l];
            if (x < 0 || y < 0 || x >= nu || y >= nv || g.atPole(x, y)) continue;
            if (next < 0 || d2[x * nv + y] < d2[next]) next = x * nv + y;
          }
        if (next >= 0) minima.push(next);
      }
    }
  minima.sort((a, b) => d2[a] - d2[b]);
  let best: SurfaceFoot | undefined;
  for (const m of [...new Set(minima)].slice(0, 5)) {
    const [i, j] = [Math.floor(m / nv), m % nv];
    // beside a border sample there may be another minimum that the grid does not show: one more start half a sample inside
    const starts = [[g.us[i], g.vs[j]]];
    if (i === 0 || i === nu - 1) starts.push([(g.us[i] + g.us[i ? i - 1 : 1]) / 2, g.vs[j]]);
    if (j === 0 || j === nv - 1) starts.push([g.us[i], (g.vs[j] + g.vs[j ? j - 1 : 1]) / 2]);
    for (const [u, v] of starts) {
      const f = newtonSurface(s, p, u, v);
      if (!best || f.distance < best.distance) best = f;
    }
  }
  return best as SurfaceFoot;
}

/**
 * Newton's method within the domain: a parameter at its border with the slope pointing out is held and the other goes on by itself; where
 * the distance is not convex in what moves, Gauss-Newton takes its place; a step that does not come nearer is halved.
 */
function newtonSurface(s: NurbsSurface, p: Vec3, u0: number, v0: number, around = false): SurfaceFoot {
  const [ua, ub] = domainU(s);
  const [va, vb] = domainV(s);
  let u = Math.min(ub, Math.max(ua, u0));
  let v = Math.min(vb, Math.max(va, v0));
  const distance2 = () => (js[0] - p[0]) ** 2 + (js[1] - p[1]) ** 2 + (js[2] - p[2]) ** 2;
  const dotD = (a: number, b: number) => js[a] * js[b] + js[a + 1] * js[b + 1] + js[a + 2] * js[b + 2];
  evaluateSurface(s, u, v, 2, js);
  let d = distance2();
  let point: Vec3 = [js[0], js[1], js[2]];
  /** At a pole the other parameter is free: goes on where the way down from it is the steepest. False when all lead up. */
  const leavePole = (along: boolean): boolean => {
    const [from, to] = along ? [ua, ub] : [va, vb];
    const inward = (along ? v <= va : u <= ua) ? 1 : -1;
    const o = along ? 3 : 6;
    let best = -1e-12 * Math.sqrt(d);
    let found: number | undefined;
    for (let i = 0; i < POLE_SAMPLES; i++) {
      const t = from + ((to - from) * i) / POLE_SAMPLES;
      evaluateSurface(s, along ? t : u, along ? v : t, 1, js);
      const r = (js[0] - p[0]) * js[o] + (js[1] - p[1]) * js[o + 1] + (js[2] - p[2]) * js[o + 2];
      const slope = (inward * r) / (Math.hypot(js[o], js[o + 1], js[o + 2]) || 1);
      if (slope < best) [best, found] = [slope, t];
    }
    for (let step = found === undefined ? 0 : 0.02; step > 1e-7; step /= 4) {
      const [nu, nv] = along ? [found as number, v + inward * step * (vb - va)] : [u + inward * step * (ub - ua), found as number];
      evaluateSurface(s, nu, nv, 2, js);
      const next = distance2();
      if (next >= d) continue;
      [u, v, d, point] = [nu, nv, next, [js[0], js[1], js[2]]];
      return true;
    }
    evaluateSurface(s, u, v, 2, js);
    return false;
  };
  let wraps = 0;
  let open = around ? 0 : 3;
  /** Where the surface is closed in itself a way that ends at its seam goes on from the other side. False when there is no seam. */
  const wrapped = (inU: boolean): boolean => {
    const bit = inU ? 1 : 2;
    if (open & bit) return false;
    const [nu, nv] = [inU ? (u <= ua ? ub : ua) : u, inU ? v : v <= va ? vb : va];
    evaluateSurface(s, nu, nv, 2, js);
    if (Math.abs(js[0] - point[0]) + Math.abs(js[1] - point[1]) + Math.abs(js[2] - point[2]) <= 1e-12 * (1 + Math.hypot(...point))) {
      [u, v, d, point] = [nu, nv, distance2(), [js[0], js[1], js[2]]];
      wraps++;
      return true;
    }
    open |= bit;
    evaluateSurface(s, u, v, 2, js);
    return false;
  };
  for (let k = 0; k < 40; k++) {
    const [rx, ry, rz] = [js[0] - p[0], js[1] - p[1], js[2] - p[2]];
    const dotR = (o: number) => rx * js[o] + ry * js[o + 1] + rz * js[o + 2];
    // layout for order 2: v at 3, vv at 6, u at 9, uv at 12, uu at 18
    const f = dotR(9);
    const g = dotR(3);
    const E = dotD(9, 9);
    const F = dotD(9, 3);
    const G = dotD(3, 3);
    const holdU = (u <= ua && f > 0) || (u >= ub && f < 0);
    const holdV = (v <= va && g > 0) || (v >= vb && g < 0);
    const [across, along] = [E * (ub - ua) ** 2, G * (vb - va) ** 2];
    if ((u <= ua || u >= ub) && along < 1e-18 * across && leavePole(false)) continue;
    if ((v <= va || v >= vb) && across < 1e-18 * along && leavePole(true)) continue;
    if (around && wraps < 3 && ((holdU && wrapped(true)) || (holdV && wrapped(false)))) continue;
    if (holdU && holdV) break;
    let a = E + dotR(18);
    let b = F + dotR(12);
    let c = G + dotR(6);
    if (holdV ? !(a > 1e-10 * E) : holdU ? !(c > 1e-10 * G) : !(a * c - b * b > 1e-10 * E * G) || a <= 0) {
      a = E * (1 + 1e-9) + 1e-30;
      b = F;
      c = G * (1 + 1e-9) + 1e-30;
    }
    const det = a * c - b * b;
    let du = holdU ? 0 : holdV ? -f / a : -(c * f - b * g) / det;
    let dv = holdV ? 0 : holdU ? -g / c : -(a * g - b * f) / det;
    if (!Number.isFinite(du)) du = 0;
    if (!Number.isFinite(dv)) dv = 0;
    // both shortened alike: a direction that leads down does so still
    const least = Math.min(1, (LONGEST * (ub - ua)) / Math.abs(du || 1e-300), (LONGEST * (vb - va)) / Math.abs(dv || 1e-300));
    du *= least;
    dv *= least;
    const [lengthU, lengthV] = [Math.sqrt(E), Math.sqrt(G)];
    let moved = false;
    let small = false;
    for (let half = 0; half < 24; half++) {
      if (half === 12) {
        // held by the border or beside a pole the step may not lead down: each parameter by its own slope does
        du = holdU ? 0 : Math.max(-LONGEST * (ub - ua), Math.min(LONGEST * (ub - ua), -f / (E || 1e-300)));
        dv = holdV ? 0 : Math.max(-LONGEST * (vb - va), Math.min(LONGEST * (vb - va), -g / (G || 1e-300)));
      }
      const nu = Math.min(ub, Math.max(ua, u + du));
      const nv = Math.min(vb, Math.max(va, v + dv));
      small = Math.abs(nu - u) * lengthU + Math.abs(nv - v) * lengthV < 1e-13;
      evaluateSurface(s, nu, nv, 2, js);
      const next = distance2();
      // close to the foot both distances are equal but for rounding, and the smaller slope is the better foot
      if (
        next < d ||
        small ||
        (half === 0 && next <= d * (1 + 4e-15) + 1e-30 && Math.abs(nu - u) * lengthU + Math.abs(nv - v) * lengthV < 1e-7)
      ) {
        [u, v, d, point, moved] = [nu, nv, next, [js[0], js[1], js[2]], true];
        break;
      }
      du /= 2;
      dv /= 2;
    }
    if (!moved || small) break;
  }
  return { u, v, point, distance: Math.sqrt(d) };
}
