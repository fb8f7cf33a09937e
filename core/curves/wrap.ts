import { type Body, type Face, usedRange } from '../brep/index.ts';
import { add, changeBetween, cross, DEG, distance, dot, type Frame, length, scale, toLocal, unit, type Vec3 } from '../math/index.ts';
import {
  arcLength,
  closestOnSurface,
  curvatureOf,
  curveOfFit,
  domainU,
  domainV,
  evaluateSurface,
  fitFunction,
  isClosedU,
  isClosedV,
  lengthParameter,
  type NurbsCurve,
  type NurbsSurface,
  pointAt,
  surfaceJet,
} from '../nurbs/index.ts';

export type WrapOutcome =
  | {
      readonly ok: true;
      readonly curves: readonly NurbsCurve[];
      readonly lengthError: number;
      readonly turn: number;
      readonly points: number;
    }
  | { readonly ok: false; readonly message: string; readonly place?: Vec3 };

const jet = new Float64Array(27);

/**
 * Wraps flat curves onto a developable skin, keeping lengths and angles: a point at distance r and direction phi from the anchor goes to the
 * end of the straightest line (geodesic) of length r that leaves the anchor's foot in direction phi. On a skin without Gaussian curvature
 * this map keeps all lengths (do Carmo, Differential Geometry of Curves and Surfaces, 4-4 and 4-6). Skins that are not developable are
 * refused, with the angle by which they are not: the integral of Gaussian curvature over the disc that the curve needs.
 */
export function wrapCurves(
  b: Body,
  face: number,
  curves: readonly NurbsCurve[],
  plane: Frame,
  options: { tolerance?: number; turn?: number } = {},
): WrapOutcome {
  const f: Face = b.faces[face];
  const s = f.surface;
  const anchor = closestOnSurface(s, plane.origin);
  const flat = curves.map((c) => ({ c, by: lengthParameter(c) }));
  const local = (p: Vec3) => toLocal(plane, p);
  const reach = Math.max(
    ...flat.flatMap(({ c, by }) =>
      Array.from({ length: 65 }, (_, i) => Math.hypot(...local(pointAt(c, by.at((by.total * i) / 64))).slice(0, 2))),
    ),
  );
  const off = Math.max(
    ...flat.flatMap(({ c, by }) => Array.from({ length: 33 }, (_, i) => Math.abs(local(pointAt(c, by.at((by.total * i) / 32)))[2]))),
  );
  if (off > 1e-4)
    return { ok: false, message: `The curve is not flat in its plane: it leaves it by ${off.toPrecision(3)} mm. Wrap flat curves only` };
  const bad = notDevelopable(b, face, anchor.point, reach);
  if (bad.turn > 0.05 * DEG)
    return {
      ok: false,
      message: `This skin is not developable: around here it would stretch or tear the curve by ${(bad.turn / DEG).toPrecision(3)}° of angle. Project the curve instead`,
      place: bad.at,
    };
  // directions at the anchor: the plane's x laid into the tangent plane
  const j = surfaceJet(s, anchor.u, anchor.v);
  const normal = dot(j.normal, plane.z) < 0 ? scale(j.normal, -1) : j.normal;
  const x0 = unit(add(plane.x, scale(normal, -dot(plane.x, normal))));
  const y0 = cross(normal, x0);
  const turn = options.turn ?? 0;
  const x = add(scale(x0, Math.cos(turn)), scale(y0, Math.sin(turn)));
  const y = cross(normal, x);
  const out: NurbsCurve[] = [];
  let worst = 0;
  let left: Vec3 | undefined;
  for (const { c, by } of flat) {
    const at = (l: number, row: Float64Array) => {
      const p = local(pointAt(c, by.at(l)));
      const r = Math.hypot(p[0], p[1]);
      const d = r > 0 ? add(scale(x, p[0] / r), scale(y, p[1] / r)) : x;
      const end = straightest(s, anchor.u, anchor.v, d, r);
      if (!end.inside) left ??= end.point;
      row.set(end.point);
    };
    const fit = fitFunction(at, 0, by.total, 3, 5, options.tolerance ?? 2e-6, cornersOf(c, by.total), 200);
    if (left)
      return {
        ok: false,
        message: 'The curve does not fit on this face: it runs over its border. Move its plane, or make it smaller',
        place: left,
      };
    const curve = curveOfFit(fit, 5);
    worst = Math.max(worst, Math.abs(arcLength(curve) / by.total - 1));
    out.push(curve);
  }
  return { ok: true, curves: out, lengthError: worst, turn: bad.turn, points: out.reduce((n, c) => n + c.control.length / 4, 0) };
}
function cornersOf(c: NurbsCurve, total: number) {
  // knots of low continuity, by length
  const seen = new Map<number, number>();
  for (const k of c.knots) seen.set(k, (seen.get(k) ?? 0) + 1);
  return [...seen]
    .filter(([t, m]) => t > c.knots[0] && t < c.knots[c.knots.length - 1] && m >= c.degree - 1)
    .map(([t, m]) => ({ t: Math.min(total, arcLength(c, c.knots[0], t)), multiplicity: m >= c.degree ? 5 : 4 }));
}

/** Largest turn of angle (radians) that Gaussian curvature makes over a disc of radius `reach`, and where it is strongest. */
export function notDevelopable(b: Body, face: number, centre: Vec3, reach: number): { turn: number; at: Vec3 } {
  const f = b.faces[face];
  const [u0, u1, v0, v1] = usedRange(f, b);
  let most = 0;
  let at = centre;
  let area = 0;
  const n = 24;
  for (let i = 0; i <= n; i++)
    for (let j = 0; j <= n; j++) {
      const q = surfaceJet(f.surface, u0 + ((u1 - u0) * i) / n, v0 + ((v1 - v0) * j) / n);
      if (distance(q.point, centre) > reach * 1.2 + 1e-6) continue;
      const k = Math.abs(curvatureOf(q).gaussian);
      area++;
      if (k > most) [most, at] = [k, q.point];
    }
  const here = closestOnSurface(f.surface, centre);
  const k0 = Math.abs(curvatureOf(surfaceJet(f.surface, here.u, here.v)).gaussian);
  if (k0 > most || !area) [most, at] = [Math.max(most, k0), most > k0 ? at : centre];
  return { turn: (most * Math.PI * reach * reach) / 2, at };
}

/**
 * End of the geodesic of length r from (u, v) along a tangent direction: u'' = -Γ(u', u'), fourth-order Runge-Kutta. Closed directions wrap
 * round. The number of steps follows the length and the surface; where many neighbouring ends are wanted, one number for all keeps them smooth.
 */
export function straightest(
  s: NurbsSurface,
  u0: number,
  v0: number,
  direction: Vec3,
  r: number,
  given?: number,
): { point: Vec3; u: number; v: number; inside: boolean } {
  const [ua, ub] = domainU(s);
  const [va, vb] = domainV(s);
  const wrapU = closedU(s);
  const wrapV = closedV(s);
  let inside = true;
  const bound = (x: number, a: number, b: number, wrap: boolean) => {
    if (x >= a && x <= b) return x;
    if (wrap) return x < a ? x + (b - a) : x - (b - a);
    if (x < a - 1e-9 * (b - a) || x > b + 1e-9 * (b - a)) inside = false;
    return Math.min(b, Math.max(a, x));
  };
  const slope = (y: readonly number[]): number[] => {
    // over a seam the last span simply goes on for the rest of the step: the other side has another parameter
    evaluateSurface(s, wrapU ? y[0] : bound(y[0], ua, ub, false), wrapV ? y[1] : bound(y[1], va, vb, false), 2, jet);
    const d = (a: number, c: number) => jet[a] * jet[c] + jet[a + 1] * jet[c + 1] + jet[a + 2] * jet[c + 2];
    const [E, F, G] = [d(9, 9), d(9, 3), d(3, 3)];
    const [p, q] = [y[2], y[3]];
    // second derivative of the surface along the motion, its tangential part undone
    const a: Vec3 = [0, 1, 2].map((k) => jet[18 + k] * p * p + 2 * jet[12 + k] * p * q + jet[6 + k] * q * q) as unknown as Vec3;
    const au = a[0] * jet[9] + a[1] * jet[10] + a[2] * jet[11];
    const av = a[0] * jet[3] + a[1] * jet[4] + a[2] * jet[5];
    const D = E * G - F * F || 1e-300;
    return [p, q, -(G * au - F * av) / D, -(E * av - F * au) / D];
  };
  evaluateSurface(s, u0, v0, 1, jet);
  const [su, sv]: Vec3[] = [
    [jet[6], jet[7], jet[8]],
    [jet[3], jet[4], jet[5]],
  ];
  const [E, F, G] = [dot(su, su), dot(su, sv), dot(sv, sv)];
  const D = E * G - F * F;
  const [du, dv] = [dot(direction, su), dot(direction, sv)];
  let y = [u0, v0, (G * du - F * dv) / D, (E * dv - F * du) / D];
  const steps =
    given ??
    Math.max(
      8,
      Math.min(400, Math.ceil(48 * Math.min(1, (r * length(direction)) / (Math.sqrt(Math.max(E, G)) * Math.max(ub - ua, vb - va))) + 24)),
    );
  const step = (from: readonly number[], h: number): number[] => {
    const k1 = slope(from);
    const k2 = slope(from.map((x, i) => x + (h / 2) * k1[i]));
    const k3 = slope(from.map((x, i) => x + (h / 2) * k2[i]));
    const k4 = slope(from.map((x, i) => x + h * k3[i]));
    return from.map((x, i) => x + (h / 6) * (k1[i] + 2 * k2[i] + 2 * k3[i] + k4[i]));
  };
  // over the seam of a closed direction the parameter is not smooth: a step ends there, and the next begins on the other side
  const seams = [
    [0, ua, ub, wrapU],
    [1, va, vb, wrapV],
  ] as const;
  const hop = (from: number[]): number[] => {
    const at = [...from];
    let moved = false;
    for (const [d, a, b, wrap] of seams) {
      if (!wrap) continue;
      if (at[d] <= a && at[2 + d] < 0) [at[d], moved] = [b, true];
      else if (at[d] >= b && at[2 + d] > 0) [at[d], moved] = [a, true];
    }
    if (!moved) return at;
    const velocity = (p: readonly number[]) => {
      evaluateSurface(s, p[0], p[1], 1, jet);
      return [jet[6], jet[7], jet[8], jet[3], jet[4], jet[5]];
    };
    const [x, z] = [velocity([Math.min(ub, Math.max(ua, from[0])), Math.min(vb, Math.max(va, from[1]))]), velocity(at)];
    const w: Vec3 = [0, 1, 2].map((k) => x[k] * from[2] + x[3 + k] * from[3]) as unknown as Vec3;
    const [zu, zv]: Vec3[] = [
      [z[0], z[1], z[2]],
      [z[3], z[4], z[5]],
    ];
    const [e, f, g] = [dot(zu, zu), dot(zu, zv), dot(zv, zv)];
    const det = e * g - f * f || 1e-300;
    return [at[0], at[1], (g * dot(w, zu) - f * dot(w, zv)) / det, (e * dot(w, zv) - f * dot(w, zu)) / det];
  };
  let left = r;
  for (let k = 0; k < steps + 40 && left > 1e-14 * r; k++) {
    y = hop(y);
    let h = Math.min(left, r / steps);
    let next = step(y, h);
    for (const [d, a, b, wrap] of seams) {
      if (!wrap || (next[d] >= a && next[d] <= b)) continue;
      const bar = next[d] < a ? a : b;
      const here = y;
      h = changeBetween(
        (m) => {
          const p = step(here, m)[d];
          return bar === a ? p >= a : p <= b;
        },
        0,
        h,
      )[1];
      next = step(y, h);
      next[d] = bar;
    }
    y = next;
    left -= h;
  }
  y = [bound(y[0], ua, ub, wrapU), bound(y[1], va, vb, wrapV), y[2], y[3]];
  evaluateSurface(s, y[0], y[1], 0, jet);
  return { point: [jet[0], jet[1], jet[2]], u: y[0], v: y[1], inside };
}
const closedCache = new WeakMap<NurbsSurface, [boolean, boolean]>();
function closedBoth(s: NurbsSurface): [boolean, boolean] {
  let c = closedCache.get(s);
  if (!c) closedCache.set(s, (c = [isClosedU(s, 1e-7), isClosedV(s, 1e-7)]));
  return c;
}
const closedU = (s: NurbsSurface) => closedBoth(s)[0];
const closedV = (s: NurbsSurface) => closedBoth(s)[1];
