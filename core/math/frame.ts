import { add, along, anyPerpendicular, cross, dot, length, negate, rotateAbout, scale, sub, unit, type Vec2, type Vec3 } from './vector.ts';

/** A right-handed orthonormal frame; a work plane is its xy plane. */
export interface Frame {
  readonly origin: Vec3;
  readonly x: Vec3;
  readonly y: Vec3;
  readonly z: Vec3;
}

export const WORLD: Frame = { origin: [0, 0, 0], x: [1, 0, 0], y: [0, 1, 0], z: [0, 0, 1] };

/** Frame from a normal and, if given, a wished x direction, made perpendicular: twice, since once loses digits where it nearly is the normal. */
export function frameFromNormal(origin: Vec3, normal: Vec3, wishedX?: Vec3): Frame {
  const z = unit(normal);
  const across = (v: Vec3) => along(v, z, -dot(v, z));
  const wished = wishedX && across(unit(wishedX));
  const x = wished && length(wished) > 1e-9 ? unit(across(unit(wished))) : anyPerpendicular(z);
  return { origin, x, y: cross(z, x), z };
}

/** Frame through three points: origin, a point on +x, a point on the +y side. `undefined` when they are in line. */
export function frameFromPoints(a: Vec3, b: Vec3, c: Vec3): Frame | undefined {
  const n = cross(sub(b, a), sub(c, a));
  if (length(n) < 1e-12 * Math.max(1, length(sub(b, a)) * length(sub(c, a)))) return undefined;
  return frameFromNormal(a, n, sub(b, a));
}

export const toWorld = (f: Frame, p: Vec2 | Vec3): Vec3 =>
  along(along(along(f.origin, f.x, p[0]), f.y, p[1]), f.z, p.length > 2 ? (p as Vec3)[2] : 0);
export function toLocal(f: Frame, p: Vec3): Vec3 {
  const d = sub(p, f.origin);
  return [dot(d, f.x), dot(d, f.y), dot(d, f.z)];
}

/** Moves the frame along its own axes and turns it about them, x first, then y, then z (radians). */
export function placeFrame(f: Frame, offset: Vec3, turns: Vec3): Frame {
  let { x, y, z } = f;
  const turn = (axis: Vec3, a: number) => {
    x = rotateAbout(x, axis, a);
    y = rotateAbout(y, axis, a);
    z = rotateAbout(z, axis, a);
  };
  if (turns[0]) turn(x, turns[0]);
  if (turns[1]) turn(y, turns[1]);
  if (turns[2]) turn(z, turns[2]);
  return { origin: toWorld(f, offset), x, y, z };
}

/** An affine map p -> m·p + t; m is row-major 3x3. */
export interface Affine {
  readonly m: readonly [Vec3, Vec3, Vec3];
  readonly t: Vec3;
}

export const IDENTITY: Affine = {
  m: [
    [1, 0, 0],
    [0, 1, 0],
    [0, 0, 1],
  ],
  t: [0, 0, 0],
};
export const applyPoint = (a: Affine, p: Vec3): Vec3 => [dot(a.m[0], p) + a.t[0], dot(a.m[1], p) + a.t[1], dot(a.m[2], p) + a.t[2]];
export const applyVector = (a: Affine, p: Vec3): Vec3 => [dot(a.m[0], p), dot(a.m[1], p), dot(a.m[2], p)];
export const determinant = (a: Affine): number => dot(a.m[0], cross(a.m[1], a.m[2]));

/** a after b */
export function compose(a: Affine, b: Affine): Affine {
  const col = (k: number): Vec3 => applyVector(a, [b.m[0][k], b.m[1][k], b.m[2][k]]);
  const c = [col(0), col(1), col(2)];
  return { m: [0, 1, 2].map((r) => [c[0][r], c[1][r], c[2][r]]) as unknown as Affine['m'], t: applyPoint(a, b.t) };
}

export const translation = (t: Vec3): Affine => ({ m: IDENTITY.m, t });

/** Rotation about an axis through a point. */
export function rotation(centre: Vec3, axis: Vec3, angle: number): Affine {
  const u = unit(axis);
  const c = [rotateAbout([1, 0, 0], u, angle), rotateAbout([0, 1, 0], u, angle), rotateAbout([0, 0, 1], u, angle)];
  const m = [0, 1, 2].map((r) => [c[0][r], c[1][r], c[2][r]]) as unknown as Affine['m'];
  return { m, t: sub(centre, applyVector({ m, t: [0, 0, 0] }, centre)) };
}

/** Uniform scaling about a point. */
export const scaling = (centre: Vec3, s: number): Affine => ({
  m: [
    [s, 0, 0],
    [0, s, 0],
    [0, 0, s],
  ],
  t: scale(centre, 1 - s),
});

/** Reflection in the xy plane of the frame. */
export function reflection(f: Frame): Affine {
  const n = f.z;
  const row = (k: 0 | 1 | 2): Vec3 => {
    const e: [number, number, number] = [0, 0, 0];
    e[k] = 1;
    return along(e, n, -2 * n[k]);
  };
  return { m: [row(0), row(1), row(2)], t: scale(n, 2 * dot(n, f.origin)) };
}

/** Rotation and translation that carry frame `from` onto frame `to`. */
export function betweenFrames(from: Frame, to: Frame): Affine {
  const m = [0, 1, 2].map((r) =>
    add(add(scale(from.x, to.x[r]), scale(from.y, to.y[r])), scale(from.z, to.z[r])),
  ) as unknown as Affine['m'];
  return { m, t: add(to.origin, negate(applyVector({ m, t: [0, 0, 0] }, from.origin))) };
}

/** True when lengths and angles are kept (a mirror image counts). */
export function isRigid(a: Affine): boolean {
  const [r0, r1, r2] = a.m;
  const near = (x: number, y: number) => Math.abs(x - y) < 1e-12;
  return (
    near(dot(r0, r0), 1) &&
    near(dot(r1, r1), 1) &&
    near(dot(r2, r2), 1) &&
    near(dot(r0, r1), 0) &&
    near(dot(r0, r2), 0) &&
    near(dot(r1, r2), 0)
  );
}
