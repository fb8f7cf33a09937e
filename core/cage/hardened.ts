import type { Vec3 } from '../math/index.ts';
import { pointOf } from './cage.ts';
import { smoothMesh } from './smooth.ts';
import type { Refinable } from './subdivide.ts';

/** A cage whose partial sharpness above a number is taken as full, and how many edges and vertices that are; the cage itself when there are none. */
export function hardened(c: Refinable, above: number): { cage: Refinable; count: number } {
  let count = 0;
  const harden = (list: Float64Array): Float64Array =>
    list.map((x) => {
      if (!(x > above) || x === Infinity) return x;
      count++;
      return Infinity;
    });
  const [sharpness, pins] = [harden(c.sharpness), harden(c.pins)];
  return count ? { cage: { ...c, sharpness, pins }, count } : { cage: c, count };
}
/** Largest distance between the smooth surfaces of two cages that differ in sharpness alone, over their vertices after two steps, mm. */
export function apart(a: Refinable, b: Refinable): { most: number; place?: Vec3 } {
  // one after the other: what is kept of a shape is kept for one sharpness
  const before = smoothMesh(a, 2).positions.slice();
  const after = smoothMesh(b, 2);
  let most = 0;
  let place: Vec3 | undefined;
  for (let v = 0; v < after.shape.vertices; v++) {
    const d = Math.hypot(...[0, 1, 2].map((k) => before[3 * v + k] - after.positions[3 * v + k]));
    if (d > most) [most, place] = [d, pointOf(after.positions, v)];
  }
  return { most, place };
}
