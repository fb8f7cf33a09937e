import { type Body, bodyBox, edgePoint, topologyOf, useUV } from '../brep/index.ts';
import { angleBetween, boxSize, DEG, dot, type Frame, negate, sub, type Vec3 } from '../math/index.ts';
import { derivativesAt, domain, type NurbsCurve, surfaceJet } from '../nurbs/index.ts';
import { DEFAULT_LIMITS, type Grade } from './grades.ts';

/** How a border or an end runs into a mirror plane: what is between it and its image. */
export interface MirrorSeam {
  /** Index of the edge, or of the curve. */
  readonly of: number;
  /** Which end, of a curve. */
  readonly end?: 'start' | 'end';
  /** Twice the distance from the plane (mm) and twice the angle off square (degrees), at the worst place. */
  readonly gap: number;
  readonly kink: number;
  readonly at: Vec3;
  /** What the mirrored whole has there. Square to the plane is G2: the image bends as the half does. */
  readonly grade: Grade;
}
const gradeOf = (gap: number, kink: number): Grade => (gap > DEFAULT_LIMITS.gap ? 'open' : kink > DEFAULT_LIMITS.kink ? 'G0' : 'G2');
const off = (f: Frame, p: Vec3) => Math.abs(dot(sub(p, f.origin), f.z));

/** Rims of a skin that lie beside a mirror plane, within a hundredth of its size: each measured against its own image. */
export function mirrorSeamsOf(b: Body, plane: Frame): MirrorSeam[] {
  const near = 0.01 * boxSize(bodyBox(b));
  const { rims, uses } = topologyOf(b);
  return rims.flatMap((e): MirrorSeam[] => {
    const { face, use } = uses[e][0];
    const [f, x] = [b.faces[face], b.edges[e]];
    const places = Array.from({ length: 61 }, (_, k) => x.range[0] + ((x.range[1] - x.range[0]) * k) / 60);
    if (places.some((t) => off(plane, edgePoint(x, t)) > near)) return [];
    let [gap, kink] = [0, 0];
    let at = edgePoint(x, places[30]);
    for (const t of places) {
      const [u, v] = useUV(f, use, t);
      const j = surfaceJet(f.surface, u, v);
      const g = 2 * off(plane, j.point);
      const k = (2 * Math.asin(Math.min(1, Math.abs(dot(j.normal, plane.z))))) / DEG;
      if (k > kink || (kink < DEFAULT_LIMITS.kink && g > gap)) at = j.point;
      gap = Math.max(gap, g);
      kink = Math.max(kink, k);
    }
    return [{ of: e, gap, kink, at, grade: gradeOf(gap, kink) }];
  });
}
/** Ends of curves that lie beside a mirror plane, within a hundredth of the curve's length and breadth. */
export function mirrorEndsOf(curves: readonly NurbsCurve[], plane: Frame): MirrorSeam[] {
  return curves.flatMap((c, of) => {
    const [a, z] = domain(c);
    const ends = [derivativesAt(c, a, 1), derivativesAt(c, z, 1)] as const;
    const size =
      Math.hypot(...sub(ends[0][0], derivativesAt(c, (a + z) / 2, 0)[0])) +
      Math.hypot(...sub(ends[1][0], derivativesAt(c, (a + z) / 2, 0)[0]));
    return ends.flatMap(([p, d], k): MirrorSeam[] => {
      if (off(plane, p) > 0.01 * size) return [];
      const angle = Math.min(angleBetween(d, plane.z), angleBetween(negate(d), plane.z));
      const [gap, kink] = [2 * off(plane, p), (2 * angle) / DEG];
      return [{ of, end: k ? 'end' : 'start', gap, kink, at: p, grade: gradeOf(gap, kink) }];
    });
  });
}
