import { type Edge, edgePoint, traceTangent } from '../brep/index.ts';
import { distance, dot, sub, type Vec3 } from '../math/index.ts';
import { edgeLine } from './pierce.ts';

/** Nearest place of an edge, by its own parameter: the nearest stretches of its polyline, then Newton's method without second derivatives. */
export function edgeFoot(e: Edge, p: Vec3): { t: number; distance: number } {
  const line = edgeLine(e);
  const [a, z] = e.range;
  let best = { t: a, distance: Infinity };
  const stretches = line.t
    .slice(1)
    .map((_, i) => ({ i, d: segmentDistance(line.points[i], line.points[i + 1], p) }))
    .sort((x, y) => x.d - y.d);
  const reach = stretches[0].d + 2 * Math.min(line.sag, stretches[0].d + line.sag);
  for (const { i, d } of stretches.slice(0, 4)) {
    if (d > reach) break;
    const [t0, t1] = [line.t[i], line.t[i + 1]];
    const [q0, q1] = [line.points[i], line.points[i + 1]];
    const l = distance(q0, q1) || 1;
    let t = t0 + (t1 - t0) * Math.min(1, Math.max(0, dot(sub(p, q0), sub(q1, q0)) / (l * l)));
    for (let k = 0; k < 12; k++) {
      const [q, slope] = traceTangent(e, t);
      const speed = dot(slope, slope);
      if (!(speed > 0)) break;
      const next = Math.min(z, Math.max(a, t + dot(sub(p, q), slope) / speed));
      if (Math.abs(next - t) < 1e-15 * (Math.abs(a) + Math.abs(z))) break;
      t = next;
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
