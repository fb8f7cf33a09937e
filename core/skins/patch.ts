import {
  type Body,
  type BodyBuilder,
  type EdgeUse,
  type Face,
  orderChain,
  topologyOf,
  tracePoint,
  traceTangent,
  useUV,
} from '../brep/index.ts';
import { cross, dot, type Frame, frameFromNormal, length, scale, sub, toLocal, unit, type Vec3 } from '../math/index.ts';
import { curveInFrame, type NurbsSurface, surfaceJet, surfaceNormal } from '../nurbs/index.ts';

import { missesOf, solveHeights, surfaceOf } from './patch-heights.ts';

/** Continuity that the patch is given along an edge. */
export type PatchGrade = 0 | 1 | 2;

export interface PatchEdge {
  readonly edge: number;
  readonly reversed: boolean;
  /** The face on the other side; without one only position can be met. */
  readonly neighbour?: { readonly face: Face; readonly use: EdgeUse };
  readonly grade: PatchGrade;
}
export interface PatchResult {
  readonly surface: NurbsSurface;
  readonly frame: Frame;
  /** Largest misses at points between those that were fitted: mm, degrees, and step of the curvature across (share). */
  readonly gap: number;
  readonly kink: number;
  readonly step: number;
  /** What each edge was given after neighbours that lean too far were let go. */
  readonly grades: readonly PatchGrade[];
}
export type PatchOutcome =
  | { readonly ok: true; readonly result: PatchResult }
  | { readonly ok: false; readonly message: string; readonly place?: Vec3 };

export interface Sample {
  readonly x: number;
  readonly y: number;
  readonly z: number;
  /** Unit normal of the projected boundary. */
  readonly d: readonly [number, number];
  /** Slope and second derivative of the neighbour along d, when asked for. */
  readonly slope?: number;
  readonly bend?: number;
  readonly place: Vec3;
  readonly edge: number;
}

/** Neighbours that lean more than this from the patch's plane can be met in position only (degrees). */
export const LEAN_LIMIT = 60;
/**
 * One trimmed surface over an n-sided opening, as a height field over the plane that fits best: minimum variation of curvature under
 * position, slope and curvature conditions sampled on the boundary; all conditions are linear in the heights (weighted least squares,
 * banded normal equations, curvature terms frozen from the last pass). Knots are made denser until the seams are met.
 * Sources: Moreton & Séquin 1992 (energy); our own notes for weights and sampling.
 */
export function patchOpening(
  b: { readonly edges: Body['edges'] },
  ring: readonly PatchEdge[],
  target: { gap: number; kink: number; step: number },
): PatchOutcome {
  const frame = planeFor(b, ring);
  if (!frame) return { ok: false, message: 'the opening encloses no area' };
  const grades = ring.map((r): PatchGrade => {
    if (!r.neighbour || r.grade === 0) return 0;
    const [a, z] = b.edges[r.edge].range;
    for (let i = 0; i <= 16; i++) {
      const [u, v] = useUV(r.neighbour.face, r.neighbour.use, a + ((z - a) * i) / 16);
      if (Math.abs(dot(surfaceNormal(r.neighbour.face.surface, u, v), frame.z)) < Math.cos((LEAN_LIMIT * Math.PI) / 180)) return 0;
    }
    return r.grade;
  });
  const polygon = outline(b, ring, frame);
  const fold = selfCrossing(polygon);
  if (fold)
    return {
      ok: false,
      message: 'seen square on, the rim crosses itself: divide the opening with a curve first',
      place: along2(frame, fold),
    };
  const counts = ring.map(() => 64);
  let best: PatchResult | undefined;
  for (const K of [12, 16, 22, 30, 40]) {
    const fitted = boundarySamples(b, ring, grades, frame, counts, 0);
    const heights = solveHeights(K, polygon, fitted, grades);
    if (!heights) continue;
    const checked = boundarySamples(
      b,
      ring,
      grades,
      frame,
      counts.map((c) => c - 7),
      0.5,
    );
    const surface = surfaceOf(heights, frame);
    const miss = missesOf(heights, checked);
    const result: PatchResult = { surface, frame, grades, ...miss };
    const better = !best || (miss.gap <= best.gap && miss.kink <= best.kink * 1.05);
    if (better) best = result;
    if (miss.gap <= target.gap && miss.kink <= target.kink && miss.step <= target.step) break;
    counts.forEach((c, i) => {
      counts[i] = Math.max(c, 4 * K);
    });
  }
  return best ? { ok: true, result: best } : { ok: false, message: 'the opening could not be filled' };
}

const along2 = (f: Frame, p: readonly [number, number]): Vec3 =>
  [0, 1, 2].map((k) => f.origin[k] + f.x[k] * p[0] + f.y[k] * p[1]) as unknown as Vec3;

/** The plane seen from which the rim encloses the most area, turned to the smallest rectangle. */
function planeFor(b: { readonly edges: Body['edges'] }, ring: readonly PatchEdge[]): Frame | undefined {
  const pts: Vec3[] = [];
  for (const r of ring) {
    const e = b.edges[r.edge];
    for (let i = 0; i < 48; i++) {
      const k = r.reversed ? 1 - i / 48 : i / 48;
      pts.push(tracePoint(e, e.range[0] + (e.range[1] - e.range[0]) * k));
    }
  }
  const c = scale(
    pts.reduce<Vec3>((s, p) => [s[0] + p[0], s[1] + p[1], s[2] + p[2]], [0, 0, 0]),
    1 / pts.length,
  );
  let n: Vec3 = [0, 0, 0];
  pts.forEach((p, i) => {
    const q = cross(sub(p, c), sub(pts[(i + 1) % pts.length], c));
    n = [n[0] + q[0], n[1] + q[1], n[2] + q[2]];
  });
  if (length(n) < 1e-12) return undefined;
  const start = frameFromNormal(c, unit(n));
  let best: { area: number; frame: Frame } | undefined;
  for (let k = 0; k < 45; k++) {
    const a = (k * Math.PI) / 90;
    const x = [0, 1, 2].map((d) => start.x[d] * Math.cos(a) + start.y[d] * Math.sin(a)) as unknown as Vec3;
    const frame: Frame = { origin: c, x, y: cross(start.z, x), z: start.z };
    const flat = pts.map((p) => toLocal(frame, p));
    const span = (d: number) => Math.max(...flat.map((p) => p[d])) - Math.min(...flat.map((p) => p[d]));
    const area = span(0) * span(1);
    if (!best || area < best.area * (1 - 1e-9)) best = { area, frame };
  }
  return best?.frame;
}

function outline(b: { readonly edges: Body['edges'] }, ring: readonly PatchEdge[], frame: Frame): [number, number][] {
  return ring.flatMap((r) => {
    const e = b.edges[r.edge];
    return Array.from({ length: 40 }, (_, i): [number, number] => {
      const k = r.reversed ? 1 - i / 40 : i / 40;
      const p = toLocal(frame, tracePoint(e, e.range[0] + (e.range[1] - e.range[0]) * k));
      return [p[0], p[1]];
    });
  });
}
function selfCrossing(poly: readonly (readonly [number, number])[]): [number, number] | undefined {
  const n = poly.length;
  const side = (a: readonly [number, number], b: readonly [number, number], c: readonly [number, number]) =>
    (b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0]);
  for (let i = 0; i < n; i++)
    for (let j = i + 2; j < n; j++) {
      if (i === 0 && j === n - 1) continue;
      const [a, b, c, d] = [poly[i], poly[(i + 1) % n], poly[j], poly[(j + 1) % n]];
      if (side(a, b, c) * side(a, b, d) < 0 && side(c, d, a) * side(c, d, b) < 0) return [a[0], a[1]];
    }
  return undefined;
}

/** Samples cosine-distributed towards the ends of each edge; `shift` moves them between the fitted ones. */
function boundarySamples(
  b: { readonly edges: Body['edges'] },
  ring: readonly PatchEdge[],
  grades: readonly PatchGrade[],
  frame: Frame,
  counts: readonly number[],
  shift: number,
): Sample[] {
  const out: Sample[] = [];
  ring.forEach((r, m) => {
    const e = b.edges[r.edge];
    const n = counts[m];
    for (let i = 0; i < n; i++) {
      const k = (1 - Math.cos((Math.PI * (i + (shift || 0.25))) / (n - 0.5 + (shift ? 0.5 : 0)))) / 2;
      const t = e.range[0] + (e.range[1] - e.range[0]) * Math.min(1, k);
      const [p, tangent] = traceTangent(e, t);
      const q = toLocal(frame, p);
      const tx = dot(tangent, frame.x);
      const ty = dot(tangent, frame.y);
      const l = Math.hypot(tx, ty) || 1;
      const d = [-ty / l, tx / l] as const;
      let slope: number | undefined;
      let bend: number | undefined;
      if (grades[m] > 0 && r.neighbour) {
        const { face, use } = r.neighbour;
        const j = surfaceJet(face.surface, ...useUV(face, use, t));
        const loc = (v: Vec3) => [dot(v, frame.x), dot(v, frame.y), dot(v, frame.z)];
        const [U, V] = [loc(j.u), loc(j.v)];
        const det = U[0] * V[1] - U[1] * V[0];
        // J = [[U0, V0], [U1, V1]]; gradient = J^-T (Uz, Vz)
        const gx = (V[1] * U[2] - U[1] * V[2]) / det;
        const gy = (-V[0] * U[2] + U[0] * V[2]) / det;
        slope = d[0] * gx + d[1] * gy;
        if (grades[m] > 1) {
          const second = [loc(j.uu), loc(j.uv), loc(j.vv)].map((s) => s[2] - gx * s[0] - gy * s[1]);
          // J^-1 d as parameter direction
          const a = (V[1] * d[0] - V[0] * d[1]) / det;
          const c = (-U[1] * d[0] + U[0] * d[1]) / det;
          bend = a * a * second[0] + 2 * a * c * second[1] + c * c * second[2];
        }
      }
      out.push({ x: q[0], y: q[1], z: q[2], d, slope, bend, place: p, edge: r.edge });
    }
  });
  return out;
}

/**
 * Fills the closed rim chain of the builder's faces with a patch and joins it to them. Grades other than position are only asked for where
 * the neighbour leans less than LEAN_LIMIT from the patch's plane.
 */
export function patchRim(
  k: BodyBuilder,
  chain: readonly number[],
  name: string,
  grade: PatchGrade,
  target = { gap: 0.001, kink: 0.05, step: 0.02 },
): PatchOutcome {
  const ordered = orderChain(chain, k.edges);
  if (!ordered) return { ok: false, message: 'the rim is not one closed chain' };
  const body: Body = { vertices: k.vertices, edges: k.edges, faces: k.faces, shells: [], solids: [] };
  const { uses } = topologyOf(body);
  const ring = ordered.map((o): PatchEdge => {
    const ref = uses[o.edge][0];
    return { ...o, grade, neighbour: ref && { face: k.faces[ref.face], use: ref.use } };
  });
  const r = patchOpening(k, ring, target);
  if (!r.ok) return r;
  const { surface, frame } = r.result;
  // chart coordinates are the plane's own, so the images of the edges are exact
  const loop = ordered.map((o): EdgeUse => {
    const e = k.edges[o.edge];
    return { ...o, pcurve: { curve: curveInFrame(e.curve, frame), turn: e.turn } };
  });
  const first = uses[ordered[0].edge][0];
  // the rim was ordered anticlockwise seen against the frame's z, so the patch looks along z; turned over when the neighbour says so
  const reversed = first ? (first.use.reversed !== k.faces[first.face].reversed) === ordered[0].reversed : false;
  k.faces.push({ surface, loops: [loop], reversed, name, tolerance: Math.max(1e-7, r.result.gap) });
  for (const o of ordered) k.edges[o.edge] = { ...k.edges[o.edge], tolerance: Math.max(k.edges[o.edge].tolerance, 1.05 * r.result.gap) };
  return r;
}
