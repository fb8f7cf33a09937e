import { type Body, type Border, bodyBox, massProperties, meshBody, topologyOf } from '../brep/index.ts';
import { angleBetween, boxSize, cross, DEG, distance, dot, length, scale, unit, type Vec3 } from '../math/index.ts';
import { closestOnSurface, normalCurvature, type SurfaceJet, surfaceJet } from '../nurbs/index.ts';
import { DEFAULT_LIMITS, type Grade, gradeOf } from '../proof/index.ts';
import { borderFoot } from '../proof/inside-face.ts';
import type { RimEdge } from './sides.ts';

/** How a filling meets one edge of what it fills: worst over the edge. */
export interface EdgeMeeting {
  /** mm from the edge to the nearest rim of the filling, and between the skins there: the larger. */
  readonly gap: number;
  /** Degrees between the normals, and percent of step in the curvature across; of no meaning for a free curve or a gap (0 then). */
  readonly kink: number;
  readonly step: number;
  readonly worst: Vec3;
  readonly grade: Grade;
}
export interface FillingNumbers {
  readonly edges: readonly EdgeMeeting[];
  readonly gap: number;
  readonly kink: number;
  readonly step: number;
  readonly grade: Grade;
  readonly worst: Vec3;
  readonly faces: number;
  readonly points: number;
  /** Largest principal curvature met on it (1/mm, sampled over its mesh), and where. */
  readonly curvature: number;
  readonly curvatureAt: Vec3;
  readonly area: number;
}
const PLACES = 41;

/** Measures a filling against the edges it should meet, on the surfaces of both sides; shares no code with what built it. */
export function measureFilling(b: Body, rim: readonly RimEdge[]): FillingNumbers {
  const size = Math.max(1, ...rim.map((r) => (r.body ? boxSize(bodyBox(r.body)) : 0)));
  const edges = rim.map((r) => meeting(b, r, size));
  const worst = (key: 'gap' | 'kink' | 'step') => Math.max(0, ...edges.map((e) => e[key]));
  const rank = (e: EdgeMeeting) => ['open', 'G0', 'G1', 'G2', 'G3'].indexOf(e.grade);
  const low = edges.reduce((m, e) => (rank(e) < rank(m) || (rank(e) === rank(m) && e.gap > m.gap) ? e : m));
  const bent = sharpest(b);
  const surfaces = new Set(b.faces.map((f) => f.surface));
  return {
    edges,
    gap: worst('gap'),
    kink: worst('kink'),
    step: worst('step'),
    grade: low.grade,
    worst: low.worst,
    faces: b.faces.length,
    points: [...surfaces].reduce((n, s) => n + s.countU * s.countV, 0),
    ...bent,
  };
}

function meeting(b: Body, r: RimEdge, size: number): EdgeMeeting {
  const { border } = r;
  const owners = facesOnRims(b);
  let [gap, kink, step] = [0, 0, 0];
  let [gapAt, kinkAt, stepAt]: Vec3[] = [r.start, r.start, r.start];
  for (let k = 0; k < PLACES; k++) {
    const share = 0.001 + (0.998 * k) / (PLACES - 1);
    const place = border.place(share);
    const held = border.held ? border.jet(share) : undefined;
    const p = place.point;
    const foot = nearestRim(b, owners, p);
    // a shape without a rim meets nothing
    if (!foot) return { gap: Number.POSITIVE_INFINITY, kink: 0, step: 0, worst: p, grade: 'open' };
    if (foot.distance > gap) [gap, gapAt] = [foot.distance, p];
    if (foot.distance > 10 * DEFAULT_LIMITS.gap) continue;
    const mine = jetAt(b, foot.face, foot.point);
    // a filling may have the very edge it fills: what counts is how far apart the skins are
    const apart = distance(mine.point, held?.point ?? p);
    if (apart > gap) [gap, gapAt] = [apart, p];
    if (!held) continue;
    const other = theirs(held);
    const flip = angleBetween(mine.normal, other.normal) > Math.PI / 2 ? -1 : 1;
    const turn = angleBetween(scale(mine.normal, flip), other.normal) / DEG;
    if (turn > kink) [kink, kinkAt] = [turn, p];
    const across = cross(other.normal, place.tangent);
    if (length(across) < 1e-9 || poleOf(mine) || poleOf(other)) continue;
    const own = cross(cross(mine.normal, unit(across)), mine.normal);
    const [ka, kb] = [flip * normalCurvature(mine, unit(own)), normalCurvature(other, unit(across))];
    const percent = (200 * Math.abs(ka - kb)) / Math.max(Math.abs(ka) + Math.abs(kb), 1 / size);
    if (percent > step) [step, stepAt] = [percent, p];
  }
  const grade = gradeOf(gap, kink, step, Infinity, DEFAULT_LIMITS);
  const worst = grade === 'open' ? gapAt : grade === 'G0' ? kinkAt : stepAt;
  // a free curve has no skin behind it: only the gap is judged
  return { gap, kink, step, worst, grade: border.held || grade === 'open' ? grade : 'G2' };
}
const poleOf = (j: SurfaceJet) => length(cross(j.u, j.v)) < 1e-9 * (dot(j.u, j.u) + dot(j.v, j.v));
/** The neighbour's jet, its normal outward. */
function theirs(j: ReturnType<Border['jet']>): SurfaceJet {
  const [v, vv, u, uv, uu] = [j.partials[1], j.partials[2], j.partials[4], j.partials[5], j.partials[8]];
  return { point: j.point, u, v, uu, uv, vv, normal: unit(cross(u, v)) };
}
function jetAt(b: Body, face: number, p: Vec3): SurfaceJet {
  const s = b.faces[face].surface;
  const { u, v } = closestOnSurface(s, p);
  return surfaceJet(s, u, v);
}
const facesOnRims = (b: Body): number[] => {
  const { rims, uses } = topologyOf(b);
  return [...new Set(rims.map((e) => uses[e][0].face))];
};
function nearestRim(b: Body, faces: readonly number[], p: Vec3): { face: number; distance: number; point: Vec3 } | undefined {
  let best: { face: number; distance: number; point: Vec3 } | undefined;
  for (const face of faces) {
    const foot = borderFoot(b, face, p);
    if (foot && (!best || foot.distance < best.distance)) best = { face, distance: foot.distance, point: foot.point };
  }
  return best;
}
function sharpest(b: Body): { curvature: number; curvatureAt: Vec3; area: number } {
  const mesh = meshBody(b, { chord: Math.max(1e-6, boxSize(bodyBox(b)) / 1500), angle: 0.2 });
  let [curvature, at] = [0, 0];
  for (let i = 0; 2 * i < mesh.curvature.length; i++) {
    const [gauss, mean] = [mesh.curvature[2 * i], mesh.curvature[2 * i + 1]];
    const k = Math.abs(mean) + Math.sqrt(Math.max(0, mean * mean - gauss));
    if (k > curvature) [curvature, at] = [k, i];
  }
  const point: Vec3 = [mesh.positions[3 * at], mesh.positions[3 * at + 1], mesh.positions[3 * at + 2]];
  return { curvature, curvatureAt: mesh.positions.length ? point : [0, 0, 0], area: massProperties(b, undefined, true).area };
}
