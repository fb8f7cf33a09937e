import type { Frame, Vec3 } from '../math/index.ts';

/** Frame of a plane whose x lies level where it can. */
export function sectionFrame(origin: Vec3, normal: Vec3): Frame {
  const l = Math.hypot(...normal);
  const z: Vec3 = [normal[0] / l, normal[1] / l, normal[2] / l];
  const level = Math.hypot(z[0], z[1]);
  const x: Vec3 = level > 1e-6 ? [-z[1] / level, z[0] / level, 0] : [1, 0, 0];
  const y: Vec3 = [z[1] * x[2] - z[2] * x[1], z[2] * x[0] - z[0] * x[2], z[0] * x[1] - z[1] * x[0]];
  return { origin, x, y, z };
}
