import { type Body, type Face, topologyOf, traceTangent, useUV } from '../brep/index.ts';
import { along, cross, dot, negate, scale, sub, unit, type Vec3 } from '../math/index.ts';
import { normalCurvature, surfaceJet } from '../nurbs/index.ts';

/** A place of a section across a seam: mm across and up from the seam's tangent plane, and the curvature there (mm⁻¹, bent up is positive). */
export interface AcrossPlace {
  readonly x: number;
  readonly y: number;
  readonly bent: number;
}
/** The section across an edge at a share of its range: the first face on the left (negative x), the second on the right. */
export function acrossSeam(
  b: Body,
  edge: number,
  share: number,
  reach: number,
  count = 24,
): readonly [AcrossPlace[], AcrossPlace[]] | undefined {
  const refs = topologyOf(b).uses[edge];
  if (refs.length !== 2) return undefined;
  const e = b.edges[edge];
  const t = e.range[0] + (e.range[1] - e.range[0]) * Math.min(0.999, Math.max(0.001, share));
  const [tip, way] = traceTangent(e, t);
  const T = unit(way);
  const normalOf = (f: Face, u: number, v: number): Vec3 => {
    const n = surfaceJet(f.surface, u, v).normal;
    return f.reversed ? negate(n) : n;
  };
  const [first, second] = refs.map((r) => b.faces[r.face]);
  const uv = refs.map((r, k) => useUV(k ? second : first, r.use, t));
  const up = normalOf(first, ...(uv[0] as [number, number]));
  // into the first face: it lies on the left of its use of the edge
  const left = scale(cross(up, T), refs[0].use.reversed === first.reversed ? 1 : -1);
  const walk = (f: Face, from: readonly [number, number], side: Vec3): AcrossPlace[] => {
    const out: AcrossPlace[] = [];
    let [u, v] = from;
    const step = reach / count;
    for (let k = 0; k <= count; k++) {
      const j = surfaceJet(f.surface, u, v);
      const n = f.reversed ? negate(j.normal) : j.normal;
      let d = unit(cross(n, T));
      if (dot(d, side) < 0) d = negate(d);
      const r = sub(j.point, tip);
      const bent = normalCurvature(j, d) * (f.reversed ? -1 : 1);
      out.push({ x: -dot(r, left), y: dot(r, up), bent });
      // back into the plane of the section, and on
      const move = along(scale(d, step), T, -dot(r, T));
      const [E, F, G] = [dot(j.u, j.u), dot(j.u, j.v), dot(j.v, j.v)];
      const [p, q] = [dot(move, j.u), dot(move, j.v)];
      const D = E * G - F * F || 1e-300;
      u += (p * G - q * F) / D;
      v += (q * E - p * F) / D;
    }
    return out;
  };
  return [walk(first, uv[0] as [number, number], left), walk(second, uv[1] as [number, number], negate(left))];
}
