import { curvatureHeight } from '../brep/index.ts';
import {
  add,
  cross,
  DEG,
  distance,
  dot,
  type Frame,
  frameFromNormal,
  length,
  polygonCrossing,
  scale,
  solveDense,
  sub,
  toLocal,
  unit,
  type Vec3,
} from '../math/index.ts';
import { type Base, ballAxes, ballThrough, centralBase, ellipsoidThrough, planeBase, type Quadric, splineBase } from './patch-base.ts';
import { developed } from './patch-develop.ts';
import type { ExactShape } from './patch-exact.ts';
import type { PatchGrade, Spot, Tilt } from './patch-rim.ts';
import type { RimSample } from './patch-solve.ts';
import { quadricSurface } from './patch-surface.ts';

/** Neighbours that tilt more than this from the middle of all are not seen square on any more (degrees). */
const TILT = 50;

export interface Over {
  readonly base: Base;
  readonly frame?: Frame;
  /** The exact shape over the rim's samples, where there is one. */
  readonly exact?: (rim: readonly (RimSample | undefined)[]) => ExactShape;
  /** Chart coordinates of spots where Newton needs a start. */
  readonly start?: (side: number, share: number) => readonly [number, number];
}
export type Candidate = { readonly make: () => Over | { readonly message: string; readonly place?: Vec3 } | undefined };

/** What the patch may be built over, the likeliest first. */
export function candidates(
  spots: readonly Spot[],
  tilt: Tilt,
  smooth: boolean,
  wished: 'plane' | 'ball' | 'spline' | undefined,
): Candidate[] {
  const pts = spots.map((s) => s.point);
  const middle = scale(
    pts.reduce<Vec3>((s, p) => add(s, p), [0, 0, 0]),
    1 / pts.length,
  );
  let area: Vec3 = [0, 0, 0];
  pts.forEach((p, i) => {
    area = add(area, cross(sub(p, middle), sub(pts[(i + 1) % pts.length], middle)));
  });
  const plane = (): ReturnType<Candidate['make']> => {
    if (length(area) < 1e-12) return { message: 'the opening encloses no area' };
    const frame = smallestRectangle(middle, unit(area), pts);
    const flat = pts.map((p): [number, number] => {
      const q = toLocal(frame, p);
      return [q[0], q[1]];
    });
    const fold = polygonCrossing(flat);
    if (fold)
      return {
        message: 'seen square on, the rim crosses itself: divide the opening with a curve first',
        place: add(frame.origin, add(scale(frame.x, fold[0]), scale(frame.y, fold[1]))),
      };
    return { base: planeBase(frame), frame };
  };
  const central = (exactOnly: boolean): ReturnType<Candidate['make']> => {
    const held = spots.filter((s) => s.normal && s.jet);
    if (held.length < 12) return undefined;
    const [P, N] = [held.map((s) => s.point), held.map((s) => s.normal as Vec3)];
    const ball = ballThrough(P, N);
    const size = Math.max(...P.map((p) => distance(p, middle)));
    const found: { q: Quadric; R: number; exact: boolean }[] = [];
    if (ball) {
      const q: Quadric = { centre: ball.centre, axes: ballAxes(Math.abs(ball.radius), [0, 0, 1]) };
      found.push({ q, R: Math.abs(ball.radius), exact: ball.miss < 1e-5 * size && curvesAs(held, q) });
    }
    if (!found[0]?.exact) {
      const e = ellipsoidThrough(P, N);
      if (e && e.miss < 1e-5 * size && e.lean < 1e-4 && curvesAs(held, e.quadric)) {
        const R = Math.cbrt(length(e.quadric.axes[0]) * length(e.quadric.axes[1]) * length(e.quadric.axes[2]));
        found.unshift({ q: e.quadric, R, exact: true });
      }
    }
    for (const f of found) {
      if (exactOnly && !f.exact) continue;
      if (f.R > 40 * size) continue;
      const turned = facing(f.q, spots);
      if (!turned) continue;
      const base = centralBase(turned, f.R);
      // directions must not lie in the skin, and the rim must stay clear of the far pole
      let fits = true;
      for (const s of held) {
        const q = base.inverse(s.point);
        if (!q) fits = false;
        else if (Math.atan2(Math.hypot(q[0], q[1]), 2 * f.R) * 2 > 160 * DEG) fits = false;
        else if (Math.abs(dot(unit(sub(s.point, turned.centre)), s.normal as Vec3)) < Math.cos((exactOnly ? 89 : 50) * DEG)) fits = false;
      }
      if (!fits) continue;
      const flat = spots.map((s): [number, number] => {
        const q = base.inverse(s.point) as Vec3;
        return [q[0], q[1]];
      });
      if (polygonCrossing(flat)) continue;
      const planar = (p: Vec3) => {
        const q = base.inverse(p);
        return q && ([q[0], q[1]] as const);
      };
      return {
        base,
        ...(f.exact
          ? {
              exact: (rim) => ({
                surface: quadricSurface(
                  turned,
                  f.R,
                  rim.flatMap((r): [number, number][] => (r ? [[r.x, r.y]] : [])),
                ),
                inverse: planar,
              }),
            }
          : {}),
      };
    }
    return undefined;
  };
  const spline = (): ReturnType<Candidate['make']> => {
    const d = developed(spots, area);
    if (!d) return undefined;
    return { base: splineBase(d.base, d.directions, 1), start: d.start };
  };
  if (wished) return [{ make: wished === 'plane' ? plane : wished === 'ball' ? () => central(false) : spline }, { make: plane }];
  if (!smooth) return [{ make: plane }, { make: spline }];
  const square = length(area) > 1e-12 && spots.every((s) => !s.normal || Math.abs(dot(s.normal, unit(area))) > Math.cos(62 * DEG));
  // seen along the area's normal, the way into the opening must lead inside
  const right = square && opensInward(spots, unit(area));
  const exact = { make: () => central(true) };
  const list: Candidate[] = tilt.degrees > 12 ? [exact] : [];
  if (tilt.degrees < TILT && right) list.push({ make: plane }, { make: () => central(false) }, { make: spline });
  else list.push({ make: () => central(false) }, { make: spline }, ...(right ? [{ make: plane }] : []));
  return list;
}
/** Do the neighbours' second forms agree with those of the quadric? */
export function curvesAs(spots: readonly Spot[], q: Quadric): boolean {
  const base = centralBase(q, Math.cbrt(length(q.axes[0]) * length(q.axes[1]) * length(q.axes[2])));
  const out = new Float64Array(60);
  for (let i = 0; i < spots.length; i += 3) {
    const s = spots[i];
    const x = base.inverse(s.point);
    if (!s.jet || !x || Math.hypot(x[0], x[1]) > 1e4) continue;
    base.at(x[0], x[1], out);
    const [u, v] = [[out[3], out[4], out[5]] as Vec3, [out[6], out[7], out[8]] as Vec3];
    const n = unit(cross(u, v));
    for (const [d, second] of [
      [u, 9],
      [v, 15],
    ] as const) {
      const l = dot(d, d);
      const flip = dot(n, s.jet.normal) < 0 ? -1 : 1;
      const own = (flip * (n[0] * out[second] + n[1] * out[second + 1] + n[2] * out[second + 2])) / l;
      const theirs = curvatureHeight(s.jet, d) / l;
      if (Math.abs(own - theirs) > 2e-4 * Math.max(Math.abs(own), Math.abs(theirs), 1e-9)) return false;
    }
  }
  return true;
}
/** The quadric's own axes turned so that z points to the middle of the opening: the area on the unit ball that lies on the open side. */
export function facing(q: Quadric, spots: readonly Spot[]): Quadric | undefined {
  const m = new Float64Array(9);
  for (let d = 0; d < 3; d++) for (let k = 0; k < 3; k++) m[3 * d + k] = q.axes[k][d];
  const onBall = spots.map((s): Vec3 | undefined => {
    const B = Float64Array.from(sub(s.point, q.centre));
    return solveDense(m.slice(), B, 3, 1) ? unit([B[0], B[1], B[2]]) : undefined;
  });
  if (onBall.some((s) => !s)) return undefined;
  let area: Vec3 = [0, 0, 0];
  onBall.forEach((s, i) => {
    area = add(area, cross(s as Vec3, onBall[(i + 1) % onBall.length] as Vec3));
  });
  if (length(area) < 1e-9) return undefined;
  // the ring runs with the opening on its left seen from its own normals: outside or inside
  const held = spots.filter((s) => s.normal);
  const outward = held.reduce((sum, s) => sum + dot(s.normal as Vec3, unit(sub(s.point, q.centre))), 0);
  const z = unit(outward < 0 ? scale(area, -1) : area);
  const x = unit(Math.abs(z[0]) < 0.8 ? cross([1, 0, 0], z) : cross([0, 1, 0], z));
  const y = cross(z, x);
  const column = (s: Vec3): Vec3 =>
    [0, 1, 2].map((d) => q.axes[0][d] * s[0] + q.axes[1][d] * s[1] + q.axes[2][d] * s[2]) as unknown as Vec3;
  return { centre: q.centre, axes: [column(x), column(y), column(z)] };
}
/** Seen along n, does the way into the opening lead to the inside of the rim? */
export function opensInward(spots: readonly Spot[], n: Vec3): boolean {
  // the area's normal n has the rim anticlockwise: its inside is n x tangent
  let [inside, all] = [0, 0];
  for (const s of spots) {
    if (!s.away) continue;
    all++;
    if (dot(s.away, cross(n, s.tangent)) > 0) inside++;
  }
  return all === 0 || inside > 0.9 * all;
}
export function smallestRectangle(c: Vec3, n: Vec3, pts: readonly Vec3[]): Frame {
  const start = frameFromNormal(c, n);
  let best: { area: number; frame: Frame } | undefined;
  for (let k = 0; k < 45; k++) {
    const a = (k * Math.PI) / 90;
    const x = [0, 1, 2].map((d) => start.x[d] * Math.cos(a) + start.y[d] * Math.sin(a)) as unknown as Vec3;
    const frame: Frame = { origin: c, x, y: cross(start.z, x), z: start.z };
    const flat = pts.map((p) => toLocal(frame, p));
    const span = (d: number) => Math.max(...flat.map((p) => p[d])) - Math.min(...flat.map((p) => p[d]));
    const area = span(0) * span(1);
    if (!best || area < best.area * (1 - 1e-9)) best = { area, frame };
  }
  return (best as { frame: Frame }).frame;
}
/** The place of the rim and what its neighbour asks for, in the chart. */
export function rimSample(
  s: Spot,
  over: Over,
  grade: PatchGrade,
  skip: boolean,
  near: readonly [number, number] | undefined,
  out: Float64Array,
): RimSample | undefined {
  const { base } = over;
  const q = base.inverse(s.point, over.start?.(s.side, s.share) ?? near);
  if (!q) return undefined;
  const [x, y, z] = q;
  base.at(x, y, out);
  const A = [
    [out[3] + z * out[33], out[4] + z * out[34], out[5] + z * out[35]],
    [out[6] + z * out[36], out[7] + z * out[37], out[8] + z * out[38]],
    [out[30], out[31], out[32]],
  ] as unknown as readonly [Vec3, Vec3, Vec3];
  const det = dot(A[0], cross(A[1], A[2]));
  if (!(Math.abs(det) > 1e-9 * length(A[0]) * length(A[1]) * length(A[2]))) return undefined;
  const inverse = [scale(cross(A[1], A[2]), 1 / det), scale(cross(A[2], A[0]), 1 / det), scale(cross(A[0], A[1]), 1 / det)];
  const pull = (v: Vec3) => [dot(inverse[0], v), dot(inverse[1], v), dot(inverse[2], v)];
  const t = pull(s.tangent);
  const l = Math.hypot(t[0], t[1]);
  if (!(l > 1e-12)) return undefined;
  const d: readonly [number, number] = [-t[1] / l, t[0] / l];
  if (grade === 0 || !s.jet || skip) return { x, y, z, d };
  const P = s.jet.partials;
  const [u, v] = [pull(P[4]), pull(P[1])];
  const jac = u[0] * v[1] - u[1] * v[0];
  if (!(Math.abs(jac) > 1e-9 * Math.hypot(...u) * Math.hypot(...v))) return undefined;
  const gx = (v[1] * u[2] - u[1] * v[2]) / jac;
  const gy = (-v[0] * u[2] + u[0] * v[2]) / jac;
  const slope = d[0] * gx + d[1] * gy;
  if (grade < 2) return { x, y, z, d, slope };
  // second derivatives of the chart along two parameter directions
  const bend2 = (a: readonly number[], b: readonly number[]): Vec3 =>
    [0, 1, 2].map(
      (e) =>
        (out[9 + e] + z * out[39 + e]) * a[0] * b[0] +
        (out[12 + e] + z * out[42 + e]) * (a[0] * b[1] + a[1] * b[0]) +
        (out[15 + e] + z * out[45 + e]) * a[1] * b[1] +
        out[33 + e] * (a[0] * b[2] + a[2] * b[0]) +
        out[36 + e] * (a[1] * b[2] + a[2] * b[1]),
    ) as unknown as Vec3;
  const second = [
    [P[8], u, u],
    [P[5], u, v],
    [P[2], v, v],
  ].map(([n, a, b]) => {
    const w = pull(sub(n as Vec3, bend2(a as number[], b as number[])));
    return w[2] - gx * w[0] - gy * w[1];
  });
  const a = (v[1] * d[0] - v[0] * d[1]) / jac;
  const c = (-u[1] * d[0] + u[0] * d[1]) / jac;
  return { x, y, z, d, slope, bend: a * a * second[0] + 2 * a * c * second[1] + c * c * second[2] };
}
