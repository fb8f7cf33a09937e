/** Small fixed-size vectors as readonly tuples. Lengths in model units (mm), angles in radians. */
export type Vec2 = readonly [number, number];
export type Vec3 = readonly [number, number, number];

export const add = (a: Vec3, b: Vec3): Vec3 => [a[0] + b[0], a[1] + b[1], a[2] + b[2]];
export const sub = (a: Vec3, b: Vec3): Vec3 => [a[0] - b[0], a[1] - b[1], a[2] - b[2]];
export const scale = (a: Vec3, s: number): Vec3 => [a[0] * s, a[1] * s, a[2] * s];
/** a + s·b */
export const along = (a: Vec3, b: Vec3, s: number): Vec3 => [a[0] + s * b[0], a[1] + s * b[1], a[2] + s * b[2]];
export const dot = (a: Vec3, b: Vec3): number => a[0] * b[0] + a[1] * b[1] + a[2] * b[2];
export const cross = (a: Vec3, b: Vec3): Vec3 => [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]];
export const length = (a: Vec3): number => Math.hypot(a[0], a[1], a[2]);
export const distance = (a: Vec3, b: Vec3): number => Math.hypot(a[0] - b[0], a[1] - b[1], a[2] - b[2]);
export const lerp = (a: Vec3, b: Vec3, t: number): Vec3 => [a[0] + (b[0] - a[0]) * t, a[1] + (b[1] - a[1]) * t, a[2] + (b[2] - a[2]) * t];
export const negate = (a: Vec3): Vec3 => [-a[0], -a[1], -a[2]];

/** Unit vector of `a`; the zero vector stays zero. */
export function unit(a: Vec3): Vec3 {
  const l = length(a);
  return l > 0 ? [a[0] / l, a[1] / l, a[2] / l] : [0, 0, 0];
}

/** Angle between two directions, 0..π, accurate for small and for nearly opposite directions (atan2 form). */
export const angleBetween = (a: Vec3, b: Vec3): number => Math.atan2(length(cross(a, b)), dot(a, b));

/** A unit vector perpendicular to `a`. */
export function anyPerpendicular(a: Vec3): Vec3 {
  const [x, y, z] = [Math.abs(a[0]), Math.abs(a[1]), Math.abs(a[2])];
  const axis: Vec3 = x <= y && x <= z ? [1, 0, 0] : y <= z ? [0, 1, 0] : [0, 0, 1];
  return unit(cross(a, axis));
}

/** Rotates `v` about the unit axis by `angle` (Rodrigues). */
export function rotateAbout(v: Vec3, axis: Vec3, angle: number): Vec3 {
  const c = Math.cos(angle);
  const s = Math.sin(angle);
  const k = dot(axis, v) * (1 - c);
  const w = cross(axis, v);
  return [v[0] * c + w[0] * s + axis[0] * k, v[1] * c + w[1] * s + axis[1] * k, v[2] * c + w[2] * s + axis[2] * k];
}

export interface Box {
  readonly min: Vec3;
  readonly max: Vec3;
}

/** Bounding box of points given as a flat xyz array. */
export function boxOf(points: ArrayLike<number>): Box {
  const min: [number, number, number] = [Infinity, Infinity, Infinity];
  const max: [number, number, number] = [-Infinity, -Infinity, -Infinity];
  for (let i = 0; i + 2 < points.length; i += 3)
    for (let k = 0; k < 3; k++) {
      const x = points[i + k];
      if (x < min[k]) min[k] = x;
      if (x > max[k]) max[k] = x;
    }
  return { min, max };
}
export const boxSize = (b: Box): number => (b.max[0] >= b.min[0] ? distance(b.min, b.max) : 0);
export const boxUnion = (a: Box, b: Box): Box => ({
  min: [Math.min(a.min[0], b.min[0]), Math.min(a.min[1], b.min[1]), Math.min(a.min[2], b.min[2])],
  max: [Math.max(a.max[0], b.max[0]), Math.max(a.max[1], b.max[1]), Math.max(a.max[2], b.max[2])],
});
export const boxCentre = (b: Box): Vec3 => lerp(b.min, b.max, 0.5);
