import { type Edge, edgePoint, traceTangent } from '../brep/index.ts';
import { distance, dot, scale, sub, type Vec3 } from '../math/index.ts';
import { edgeLine } from './pierce.ts';

/** Nearest place of an edge, by its own parameter: the nearest stretches of its polyline, then Newton's method. */
export function edgeFoot(e: Edge, p: Vec3): { t: number; distance: number } {
  const line = edgeLine(e);
  const [a, z] = e.range;
  let best = { t: a, distance: Infinity };
  const stretches = line.t
    .slice(1)
    .map((_, i) => ({ i, d: segmentDistance(line.points[i], line.points[i + 1], p) }))
    .sort((x, y) => x.d - y.d);
  const reach = stretches[0].d + 2 * line.sag;
  for (const { i, d } of stretches.slice(0, 12)) {
    if (d > reach) break;
    const [t0, t1] = [line.t[i], line.t[i + 1]];
    const [q0, q1] = [line.points[i], line.points[i + 1]];
    const l = distance(q0, q1) || 1;
    let t = t0 + (t1 - t0) * Math.min(1, Math.max(0, dot(sub(p, q0), sub(q1, q0)) / (l * l)));
    const h = 1e-5 * (z - a);
    let here = distance(edgePoint(e, t), p);
    for (let k = 0; k < 30; k++) {
      const [q, slope] = traceTangent(e, t);
      const speed = dot(slope, slope);
      if (!(speed > 0)) break;
      const way = sub(p, q);
      // the second derivative by differences of the first; without it where it would lead away
      const [t1, t2] = [Math.max(a, t - h), Math.min(z, t + h)];
      const bend = scale(sub(traceTangent(e, t2)[1], traceTangent(e, t1)[1]), 1 / (t2 - t1));
      const whole = speed - dot(way, bend);
      let by = dot(way, slope) / (whole > 0.05 * speed ? whole : speed);
      let next = Math.min(z, Math.max(a, t + by));
      for (let m = 0; m < 20 && distance(edgePoint(e, next), p) > here * (1 + 1e-15); m++) {
        by /= 2;
        next = Math.min(z, Math.max(a, t + by));
      }
      if (Math.abs(next - t) < 1e-15 * (Math.abs(a) + Math.abs(z))) break;
      t = next;
      here = distance(edgePoint(e, t), p);
    }
    const r = { t, distance: distance(edgePoint(e, t), p) };
    if (r.distance < best.distance) best = r;
  }
  return best;
}
function segmentDistance(a: Vec3, b: Vec3, p: Vec3): number {
  const ab = sub(b, a);
  const l = dot(ab, ab);
  const k = l > 0 ? Math.min(1, Math.max(0, dot(sub(p, a), ab) / l)) : 0;
  return distance(p, [a[0] + k * ab[0], a[1] + k * ab[1], a[2] + k * ab[2]]);
}
