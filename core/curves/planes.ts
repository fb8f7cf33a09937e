import {
  add,
  along,
  angleBetween,
  changeBetween,
  cross,
  dot,
  type Frame,
  frameFromNormal,
  length,
  lerp,
  rotateAbout,
  scale,
  sub,
  unit,
  type Vec3,
} from '../math/index.ts';
import {
  closestOnCurve,
  closestOnSurface,
  derivativesAt,
  domain,
  lengthParameter,
  lineCurve,
  type NurbsCurve,
  type NurbsSurface,
  planeOf,
  pointAt,
  surfaceJet,
} from '../nurbs/index.ts';

export type PlaneOutcome =
  | { readonly ok: true; readonly frame: Frame; readonly note?: string }
  | { readonly ok: false; readonly message: string; readonly place?: Vec3 };

/** Perpendicular to a curve at a share of its length: z along the curve, x towards the inside of its bend (any direction on a line). */
export function planeAcross(c: NurbsCurve, share: number): Frame {
  const by = lengthParameter(c);
  const [p, d1, d2] = derivativesAt(c, by.at(by.total * Math.min(1, Math.max(0, share))), 2);
  const T = unit(d1);
  const bend = sub(d2, scale(T, dot(d2, T)));
  return frameFromNormal(p, T, length(bend) > 1e-9 * dot(d1, d1) ? bend : undefined);
}

/** Tangent to a surface at the foot of a point: z the outward normal, x along u. */
export function planeTangent(s: NurbsSurface, reversed: boolean, near: Vec3): Frame {
  const foot = closestOnSurface(s, near);
  const j = surfaceJet(s, foot.u, foot.v);
  return frameFromNormal(foot.point, reversed ? scale(j.normal, -1) : j.normal, j.u);
}
/** Tangent to a surface where a curve on it is at a share of its length; x along the curve. */
export function planeTangentAlong(s: NurbsSurface, reversed: boolean, c: NurbsCurve, share: number): { frame: Frame; off: number } {
  const by = lengthParameter(c);
  const [p, d] = derivativesAt(c, by.at(by.total * share), 1);
  const foot = closestOnSurface(s, p);
  const j = surfaceJet(s, foot.u, foot.v);
  return { frame: frameFromNormal(foot.point, reversed ? scale(j.normal, -1) : j.normal, d), off: foot.distance };
}

/** Best fit (least squares) through points and curves; the largest distance from it is told. */
export function planeThrough(points: readonly Vec3[], curves: readonly NurbsCurve[]): { frame: Frame; deviation: number } | undefined {
  const lines = points.slice(1).map((p, i) => lineCurve(points[i], p));
  if (points.length > 2) lines.push(lineCurve(points[points.length - 1], points[0]));
  // points alone count as points, not as the lines between them
  if (!curves.length && points.length >= 3) {
    const centre = scale(
      points.reduce((s, p) => add(s, p), [0, 0, 0] as Vec3),
      1 / points.length,
    );
    const found = planeOf(points.map((p) => lineCurve(along(centre, sub(p, centre), -1), p)));
    if (!found) return undefined;
    const frame = { ...found.frame, origin: centre };
    return { frame, deviation: Math.max(...points.map((p) => Math.abs(dot(sub(p, centre), frame.z)))) };
  }
  return planeOf([...lines, ...curves]);
}

/** Halfway between two planes: parallel ones the middle plane, others the plane that halves their angle (`other` the second one). */
export function planeBetween(a: Frame, b: Frame, other: boolean): Frame {
  const zb = dot(a.z, b.z) < 0 !== other ? scale(b.z, -1) : b.z;
  const sum = add(a.z, zb);
  const z = length(sum) > 1e-9 ? unit(sum) : cross(a.z, a.x);
  if (angleBetween(a.z, zb) < 1e-9) return frameFromNormal(lerp(a.origin, b.origin, 0.5), z, a.x);
  // through the line in which they meet, nearest to the middle of both origins
  const axis = unit(cross(a.z, b.z));
  const m = lerp(a.origin, b.origin, 0.5);
  const [da, db] = [dot(a.z, a.origin), dot(b.z, b.origin)];
  const c = dot(a.z, b.z);
  const k = 1 - c * c;
  const on = add(scale(a.z, (da - db * c) / k), scale(b.z, (db - da * c) / k));
  return frameFromNormal(along(on, axis, dot(sub(m, on), axis)), z, axis);
}

/** Through a straight line at an angle to a reference plane (radians, about the line). */
export function planeThroughLine(line: NurbsCurve, reference: Frame, angle: number): PlaneOutcome {
  const [a, b] = domain(line);
  const [p, q] = [pointAt(line, a), pointAt(line, b)];
  const d = sub(q, p);
  const mid = pointAt(line, (a + b) / 2);
  const off = length(cross(sub(mid, p), unit(d)));
  if (length(d) < 1e-9 || off > 1e-6 * length(d))
    return { ok: false, message: 'This needs a straight line: pick a straight curve or edge', place: p };
  const x = unit(d);
  let z = sub(reference.z, scale(x, dot(reference.z, x)));
  if (length(z) < 1e-6) z = cross(x, reference.x);
  return { ok: true, frame: frameFromNormal(lerp(p, q, 0.5), rotateAbout(unit(z), x, angle), x) };
}
export const planeThroughPoint = (a: Frame, p: Vec3): Frame => ({ ...a, origin: p });

/** Share of length of the place of a curve nearest to a point. */
export function shareNear(c: NurbsCurve, p: Vec3): number {
  const by = lengthParameter(c);
  const t = closestOnCurve(c, p).t;
  return changeBetween((l) => by.at(l) < t, 0, by.total)[1] / by.total;
}
