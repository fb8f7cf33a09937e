import {
  type Body,
  combineBodies,
  type Edge,
  type EdgeUse,
  edgePoint,
  type Face,
  subBody,
  type Trace,
  topologyOf,
  traceBreaks,
  tracePoint,
  traceTangent,
  usePoint,
  useUV,
  withShells,
} from '../brep/index.ts';
import { cross, distance, dot, length, scale, sub, type Vec3 } from '../math/index.ts';
import { evaluateSurface, fitFunction, knotRuns, makeCurve, type NurbsCurve, reverseCurve, surfaceNormal } from '../nurbs/index.ts';
import { edgeFoot } from './edge-foot.ts';
import { edgeLine } from './pierce.ts';
import { PointHash } from './point-hash.ts';

export interface Knitted {
  readonly body: Body;
  /** For every pair of rims that became one: the gap that was between them (mm), and where. */
  readonly gaps: readonly { readonly gap: number; readonly at: Vec3 }[];
  /** Rims that would have been the third at a seam: they stay open. */
  readonly crowded: number;
}

/**
 * Joins rims that lie within `tolerance` (mm) of each other over their whole length. Ends of rims within the tolerance become one vertex;
 * a rim is parted where the end of another lies on it, so that rims that meet only in part are joined over that part. Faces do not move:
 * gaps become the tolerance of the seam.
 */
export function knitBodies(list: readonly Body[], tolerance: number): Knitted {
  const all = combineBodies(list);
  const { rims } = topologyOf(all);
  const owner = gatherEnds(all, rims, tolerance);
  const edges: Edge[] = [];
  const isRim = new Set(rims);
  const ends = [...new Set(rims.flatMap((e) => [all.edges[e].start, all.edges[e].end]))].sort(
    (x, y) => all.vertices[x].point[0] - all.vertices[y].point[0],
  );
  const parts = all.edges.map((e, i) => (isRim.has(i) ? partRim(all, e, ends, owner, tolerance, edges) : [edges.push(e) - 1]));
  const rimParts = rims.flatMap((e) => parts[e]);
  const useOf = new Map<number, { face: number; use: EdgeUse }>();
  all.faces.forEach((f, face) => {
    for (const use of f.loops.flat()) if (isRim.has(use.edge)) for (const part of parts[use.edge]) useOf.set(part, { face, use });
  });
  /** Two rims of one narrow face are not a gap: between them lies the face. */
  const narrow = (i: number, j: number): boolean => {
    const [p, q] = [useOf.get(i), useOf.get(j)];
    if (!p || !q || p.face !== q.face) return false;
    const e = edges[i];
    const t = (e.range[0] + e.range[1]) / 2;
    const f = all.faces[p.face];
    const [point, along] = traceTangent(e, t);
    const normal = surfaceNormal(f.surface, ...useUV(f, p.use, t));
    const inward = scale(cross(normal, along), p.use.reversed ? -1 : 1);
    return dot(sub(edgePoint(edges[j], edgeFoot(edges[j], point).t), point), inward) > 0;
  };
  const { mates, taken, gaps, crowded } = matesOf(edges, rimParts, owner, tolerance, narrow);
  // a rim that met nothing stays in one piece
  for (const e of rims) if (parts[e].length > 1 && !parts[e].some((p) => taken.has(p))) parts[e] = [edges.push(all.edges[e]) - 1];
  const faces = all.faces.map(
    (f): Face => ({
      ...f,
      loops: f.loops.map((l) =>
        l.flatMap((u) =>
          (u.reversed ? [...parts[u.edge]].reverse() : parts[u.edge]).map((e): EdgeUse => {
            const mate = mates.get(e);
            return mate ? carried(f, u, edges[e], edges[mate.kept], mate, tolerance) : { ...u, edge: e };
          }),
        ),
      ),
    }),
  );
  const vertices = all.vertices.map((v): { point: Vec3; tolerance: number } => ({ ...v }));
  for (const v of ends) {
    const r = owner(v);
    vertices[r].tolerance = Math.max(vertices[r].tolerance, 1.1 * distance(all.vertices[v].point, all.vertices[r].point));
  }
  const off = offKept(faces, edges, new Set([...mates.values()].map((m) => m.kept)));
  const joined = edges.map((e, i) => ({
    ...e,
    start: owner(e.start),
    end: owner(e.end),
    tolerance: Math.max(e.tolerance, off.get(i) ?? 0),
  }));
  const body = subBody(
    { vertices, edges: joined, faces, shells: [], solids: [] },
    faces.map((_, i) => i),
  );
  return { body: withShells(body), gaps, crowded };
}

/** How far joined edges lie beside their faces at most, looked at in every span of the edge and of its images; a tenth more. */
function offKept(faces: readonly Face[], edges: readonly Edge[], kept: ReadonlySet<number>): Map<number, number> {
  const out = new Map<number, number>();
  for (const f of faces)
    for (const u of f.loops.flat()) {
      if (!kept.has(u.edge)) continue;
      const e = edges[u.edge];
      const [a, z] = e.range;
      const breaks = [...new Set([...traceBreaks(e, a, z), ...traceBreaks(u.pcurve, a, z)])].sort((x, y) => x - y);
      const per = Math.max(3, Math.ceil(24 / breaks.length));
      for (let i = 0; i + 1 < breaks.length; i++)
        for (let k = 0; k <= per; k++) {
          const t = breaks[i] + ((breaks[i + 1] - breaks[i]) * k) / per;
          out.set(u.edge, Math.max(out.get(u.edge) ?? 0, 1.1 * distance(edgePoint(e, t), usePoint(f, u, t))));
        }
    }
  return out;
}

/** Ends of rims within the tolerance become one; both ends of one rim never do. */
function gatherEnds(b: Body, rims: readonly number[], tolerance: number): (v: number) => number {
  const up = new Map<number, number>();
  const find = (i: number): number => {
    const k = up.get(i);
    if (k === undefined) return i;
    const top = find(k);
    up.set(i, top);
    return top;
  };
  const apart = new Map<number, Set<number>>();
  for (const e of rims) {
    const { start, end } = b.edges[e];
    if (start === end) continue;
    for (const [x, y] of [
      [start, end],
      [end, start],
    ])
      apart.set(x, (apart.get(x) ?? new Set()).add(y));
  }
  const hash = new PointHash(Math.max(tolerance, 1e-9));
  for (const v of new Set(rims.flatMap((e) => [b.edges[e].start, b.edges[e].end]))) {
    const near = hash
      .near(b.vertices[v].point, tolerance)
      .sort((x, y) => distance(b.vertices[x].point, b.vertices[v].point) - distance(b.vertices[y].point, b.vertices[v].point));
    for (const w of near) if (!apart.get(v)?.has(w) && find(v) !== find(w)) up.set(find(v), find(w));
    hash.add(v, b.vertices[v].point);
  }
  return find;
}

/** A rim in parts between the ends of other rims that lie on it. `ends` is sorted by x. */
function partRim(b: Body, e: Edge, ends: readonly number[], owner: (v: number) => number, tolerance: number, edges: Edge[]): number[] {
  const { box } = edgeLine(e);
  const [a, z] = e.range;
  const on: { t: number; v: number }[] = [];
  const taken = new Set([owner(e.start), owner(e.end)]);
  let low = 0;
  for (let high = ends.length; low < high; ) {
    const mid = (low + high) >> 1;
    if (b.vertices[ends[mid]].point[0] < box[0] - tolerance) low = mid + 1;
    else high = mid;
  }
  for (let i = low; i < ends.length; i++) {
    const v = ends[i];
    const p = b.vertices[v].point;
    if (p[0] > box[3] + tolerance) break;
    if (taken.has(owner(v)) || [1, 2].some((d) => p[d] < box[d] - tolerance || p[d] > box[3 + d] + tolerance)) continue;
    const foot = edgeFoot(e, p);
    if (foot.distance > tolerance || !(foot.t > a + 1e-9 * (z - a) && foot.t < z - 1e-9 * (z - a))) continue;
    taken.add(owner(v));
    on.push({ t: foot.t, v });
  }
  if (!on.length) return [edges.push(e) - 1];
  on.sort((x, y) => x.t - y.t);
  const ts = [a, ...on.map((o) => o.t), z];
  const vs = [e.start, ...on.map((o) => o.v), e.end];
  return ts.slice(1).map((t, k) => edges.push({ ...e, range: [ts[k], t], start: vs[k], end: vs[k + 1] }) - 1);
}

/** An edge that goes over to another one. */
interface Mate {
  readonly kept: number;
  readonly turned: boolean;
  /** Both run at the same speed: the ranges map straight onto each other. */
  readonly even: boolean;
}
/** Parts with the same ends that run beside each other within the tolerance. */
function matesOf(
  edges: Edge[],
  parts: readonly number[],
  owner: (v: number) => number,
  tolerance: number,
  narrow: (i: number, j: number) => boolean,
): { mates: Map<number, Mate>; taken: Set<number>; gaps: { gap: number; at: Vec3 }[]; crowded: number } {
  const groups = new Map<string, number[]>();
  for (const i of parts) {
    const [s, e] = [owner(edges[i].start), owner(edges[i].end)];
    const key = s < e ? `${s},${e}` : `${e},${s}`;
    groups.set(key, [...(groups.get(key) ?? []), i]);
  }
  const mates = new Map<number, Mate>();
  const taken = new Set<number>();
  const gaps: { gap: number; at: Vec3 }[] = [];
  const third = new Set<number>();
  for (const group of groups.values()) {
    const pairs = group.flatMap((i, k) =>
      group.slice(k + 1).flatMap((j) => {
        const m = beside(edges[i], edges[j], owner, tolerance);
        return m && !(m.gap > 1e-9 && narrow(i, j)) ? [{ i, j, ...m }] : [];
      }),
    );
    pairs.sort((x, y) => x.gap - y.gap);
    for (const p of pairs) {
      if (taken.has(p.i) || taken.has(p.j)) {
        for (const e of [p.i, p.j]) if (!taken.has(e)) third.add(e);
        continue;
      }
      taken.add(p.i).add(p.j);
      mates.set(p.j, { kept: p.i, turned: p.turned, even: p.even });
      gaps.push({ gap: p.gap, at: p.at });
      const [e, f] = [edges[p.i], edges[p.j]];
      edges[p.i] = { ...e, tolerance: Math.max(e.tolerance, f.tolerance, 1.1 * p.gap, p.even ? 1.1 * p.slip : 0) };
    }
  }
  return { mates, taken, gaps, crowded: [...third].filter((e) => !taken.has(e)).length };
}
const LOOKED = [0.37, 0.5, 0.11, 0.73, 0.93, 0.25, 0.62, 0, 1, 0.03, 0.83];
function beside(
  p: Edge,
  q: Edge,
  owner: (v: number) => number,
  tolerance: number,
): { gap: number; at: Vec3; slip: number; turned: boolean; even: boolean } | undefined {
  const [a, z] = p.range;
  const [c, d] = q.range;
  const closed = owner(p.start) === owner(p.end);
  let turned = !closed && owner(p.start) !== owner(q.start);
  let gap = 0;
  let slip = 0;
  let at = edgePoint(p, a);
  const deep = Math.max(LOOKED.length, Math.min(40, knotRuns(p.curve.knots, p.curve.degree).values.length));
  const shares = deep > LOOKED.length ? [...LOOKED, ...Array.from({ length: deep }, (_, k) => (k + 0.5) / deep)] : LOOKED;
  for (const [i, k] of shares.entries()) {
    const x = edgePoint(p, a + k * (z - a));
    const foot = edgeFoot(q, x);
    if (foot.distance > tolerance) return undefined;
    if (closed && i === 0) turned = Math.abs((foot.t - c) / (d - c) - (1 - k)) < Math.abs((foot.t - c) / (d - c) - k);
    if (foot.distance > gap) {
      gap = foot.distance;
      at = x;
    }
    slip = Math.max(slip, distance(x, edgePoint(q, turned ? d - k * (d - c) : c + k * (d - c))));
  }
  // short parts that meet at an angle are a corner, not a gap
  if (gap > 0.2 * distance(edgePoint(p, a), edgePoint(p, z))) {
    const [x, along] = traceTangent(p, (a + z) / 2);
    const other = traceTangent(q, edgeFoot(q, x).t)[1];
    if (!closed && Math.abs(dot(along, other)) < 0.7 * length(along) * length(other)) return undefined;
  }
  return { gap, at, slip, turned, even: slip <= Math.max(1e-9, 2 * gap) };
}

/** The use of an edge that went over to another: its image runs by the parameter of the one that stays. */
function carried(f: Face, u: EdgeUse, own: Edge, kept: Edge, mate: Mate, tolerance: number): EdgeUse {
  const reversed = u.reversed !== mate.turned;
  const image = mate.even ? straightened(u.pcurve, own.range, kept.range, mate.turned) : undefined;
  return { edge: mate.kept, reversed, pcurve: image ?? fittedImage(f, u, own, kept, mate, tolerance) };
}
/** The image with its knots laid anew; exact. */
function straightened(image: Trace, [c, d]: Edge['range'], [a, z]: Edge['range'], turned: boolean): Trace | undefined {
  if (image.turn) return undefined;
  const rate = (z - a) / (d - c);
  const laid = (curve: NurbsCurve, from: number): NurbsCurve => ({ ...curve, knots: curve.knots.map((k) => a + (k - from) * rate) });
  if (!turned) return { curve: laid(image.curve, c) };
  // reversed within its own domain: what was at d comes first
  const { knots } = image.curve;
  const [first, last] = [knots[0], knots[knots.length - 1]];
  return { curve: laid(reverseCurve(image.curve), first + last - d) };
}
const jet = new Float64Array(12);
function fittedImage(f: Face, u: EdgeUse, own: Edge, kept: Edge, { turned }: Mate, tolerance: number): Trace {
  const [a, z] = kept.range;
  const [c, d] = own.range;
  const at = (t: number) => {
    if (t <= a) return turned ? d : c;
    if (t >= z) return turned ? c : d;
    return edgeFoot(own, edgePoint(kept, t)).t;
  };
  const mid = useUV(f, u, at((a + z) / 2));
  evaluateSurface(f.surface, mid[0], mid[1], 1, jet);
  const stretch = [Math.hypot(jet[6], jet[7], jet[8]) || 1, Math.hypot(jet[3], jet[4], jet[5]) || 1];
  const fit = fitFunction(
    (t, out) => {
      const p = tracePoint(u.pcurve, at(t));
      out[0] = p[0] * stretch[0];
      out[1] = p[1] * stretch[1];
    },
    a,
    z,
    2,
    5,
    Math.min(1e-7, 0.01 * tolerance),
    [],
    200,
  );
  const rows = Array.from({ length: fit.data.length / 2 }, (_, k) => [fit.data[2 * k] / stretch[0], fit.data[2 * k + 1] / stretch[1]]);
  return { curve: makeCurve(5, rows, fit.knots) };
}
