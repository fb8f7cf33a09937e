import { dot, type Frame, scale, sub, type Vec3 } from '../math/index.ts';
import { clipSurface, closestOnCurve, curveInFrame, domainU, domainV, type NurbsSurface, planeOf, planeSurface } from '../nurbs/index.ts';
import {
  type Body,
  type EdgeUse,
  edgePoint,
  type Face,
  faceNormal,
  subBody,
  topologyOf,
  traceExtent,
  usedRange,
  useUV,
  withShells,
} from './body.ts';
import { edgeCurve, loopArea, planeRecordOf, surfaceBody } from './build.ts';

/** The whole natural surface of a face, without its trims. Analytic records are kept where the surface stays a plane. */
export function untrimmedFace(f: Face): Body {
  const b = surfaceBody(f.surface, { prefix: f.name, face: (i, j, n, m) => (n * m > 1 ? `${f.name}.${i}.${j}` : f.name) }).body;
  return {
    ...b,
    faces: b.faces.map((x) => ({ ...x, reversed: f.reversed, colour: f.colour, record: f.record?.type === 1 ? f.record : undefined })),
  };
}

/** Drops inner loops that are open (bounded by rims only). `only` limits it to loops that hold one of these edges. */
export function healHoles(b: Body, faces: readonly number[], only?: ReadonlySet<number>): { body: Body; healed: number } {
  const { uses } = topologyOf(b);
  let healed = 0;
  const next = b.faces.map((f, i): Face => {
    if (!faces.includes(i) || f.loops.length < 2) return f;
    const areas = f.loops.map((l) => Math.abs(loopArea(l, b.edges)));
    const outer = areas.indexOf(Math.max(...areas));
    const loops = f.loops.filter((l, k) => {
      const open = l.every((u) => b.edges[u.edge].degenerate || uses[u.edge].length === 1);
      const wanted = !only || l.some((u) => only.has(u.edge));
      const drop = k !== outer && open && wanted;
      if (drop) healed++;
      return !drop;
    });
    return loops.length === f.loops.length ? f : { ...f, loops };
  });
  if (!healed) return { body: b, healed };
  return {
    body: subBody(
      { ...b, faces: next },
      next.map((_, i) => i),
    ),
    healed,
  };
}

/** Cuts the underlying surface back to what the trims use; the trims stay. Returns the share of the parameter rectangle that went. */
export function shrinkFace(b: Body, face: number): { face: Face; removed: number } {
  const f = b.faces[face];
  if (f.turnU || f.turnV) return { face: f, removed: 0 };
  const r = usedRange(f, b);
  const [u0, u1] = domainU(f.surface);
  const [v0, v1] = domainV(f.surface);
  const pad = 1e-3;
  const clip = [
    Math.max(u0, r[0] - pad * (r[1] - r[0])),
    Math.min(u1, r[1] + pad * (r[1] - r[0])),
    Math.max(v0, r[2] - pad * (r[3] - r[2])),
    Math.min(v1, r[3] + pad * (r[3] - r[2])),
  ] as const;
  const removed = 1 - ((clip[1] - clip[0]) * (clip[3] - clip[2])) / ((u1 - u0) * (v1 - v0));
  return removed < 1e-9 ? { face: f, removed: 0 } : { face: { ...f, surface: clipSurface(f.surface, ...clip) }, removed };
}

/** Every edge of the faces becomes their own again: faces that shared an edge are let go of each other. */
export function separateFaces(b: Body, groups: readonly (readonly number[])[]): Body[] {
  return groups.map((g) => subBody(b, g));
}

const sameNumbers = (a: Float64Array, b: Float64Array, eps: number) =>
  a.length === b.length && a.every((x, i) => Math.abs(x - b[i]) <= eps);
const sameSurface = (a: NurbsSurface, b: NurbsSurface): boolean =>
  a === b ||
  (a.degreeU === b.degreeU &&
    a.degreeV === b.degreeV &&
    sameNumbers(a.knotsU, b.knotsU, 1e-12) &&
    sameNumbers(a.knotsV, b.knotsV, 1e-12) &&
    sameNumbers(a.control, b.control, 1e-9));

/** Plane of a face when it is flat within 1e-7 of its size; z is the surface normal. */
export function flatFrame(b: Body, f: Face): Frame | undefined {
  if (f.record && f.record.type !== 1) return undefined;
  if (f.surface.degreeU * f.surface.degreeV > 1 && !f.record) {
    const c = f.surface.control;
    const p0: Vec3 = [c[0] / c[3], c[1] / c[3], c[2] / c[3]];
    const n = faceNormal({ ...f, reversed: false }, ...middle(b, f));
    for (let i = 0; i < c.length; i += 4)
      if (Math.abs(dot(sub([c[i] / c[i + 3], c[i + 1] / c[i + 3], c[i + 2] / c[i + 3]], p0), n)) > 1e-7) return undefined;
  }
  const flat = planeOf(f.loops.flat().map((u) => edgeCurve(b.edges[u.edge])));
  if (!flat || flat.deviation > 1e-6) return undefined;
  const n = faceNormal({ ...f, reversed: false }, ...middle(b, f));
  const z = flat.frame.z;
  return dot(n, z) > 0 ? flat.frame : { ...flat.frame, y: scale(flat.frame.y, -1), z: scale(z, -1) };
}
const middle = (b: Body, f: Face): [number, number] => {
  const r = usedRange(f, b);
  return [(r[0] + r[1]) / 2, (r[2] + r[3]) / 2];
};

/**
 * Merges neighbouring faces that lie on one surface: faces of one plane, and faces whose surfaces are equal. Edges between them go. The
 * merged face keeps the name of its first part.
 */
export function mergeOneSurface(b: Body, tolerance: number): { body: Body; merged: number } {
  const { uses, seams } = topologyOf(b);
  const group = b.faces.map((_, i) => i);
  const find = (i: number): number => (group[i] === i ? i : (group[i] = find(group[i])));
  const frames = new Map<number, Frame | undefined>();
  const frameOf = (i: number) => {
    if (!frames.has(i)) frames.set(i, flatFrame(b, b.faces[i]));
    return frames.get(i);
  };
  const gone = new Set<number>();
  const joins = (e: number): boolean => {
    const [x, y] = uses[e];
    if (x.face === y.face) return false;
    const [f, g] = [b.faces[x.face], b.faces[y.face]];
    const [p, q] = [frameOf(x.face), frameOf(y.face)];
    if (p && q) {
      const facing = dot(p.z, q.z) * (f.reversed === g.reversed ? 1 : -1);
      if (facing < 1 - 1e-10) return false;
      return b.faces[y.face].loops.flat().every((u) => {
        const [a, z] = b.edges[u.edge].range;
        return [0, 0.5, 1].every((k) => Math.abs(dot(sub(edgePoint(b.edges[u.edge], a + (z - a) * k), p.origin), p.z)) <= tolerance);
      });
    }
    if (!sameSurface(f.surface, g.surface) || f.reversed !== g.reversed || f.turnU !== g.turnU || f.turnV !== g.turnV) return false;
    // the two images of the edge must be one: on closed surfaces they may lie on opposite sides of the seam
    const [a, z] = b.edges[e].range;
    return [0.1, 0.5, 0.9].every((k) => {
      const t = a + (z - a) * k;
      const [s, r] = [useUV(f, x.use, t), useUV(g, y.use, t)];
      return Math.hypot(s[0] - r[0], s[1] - r[1]) < 1e-5;
    });
  };
  for (const e of seams)
    if (joins(e)) {
      gone.add(e);
      group[find(uses[e][1].face)] = find(uses[e][0].face);
    }
  if (!gone.size) return { body: b, merged: 0 };
  const members = new Map<number, number[]>();
  b.faces.forEach((_, i) => members.set(find(i), [...(members.get(find(i)) ?? []), i]));
  const faces: Face[] = [];
  let merged = 0;
  for (const list of members.values()) {
    const head = b.faces[list[0]];
    if (list.length === 1) {
      faces.push(head);
      continue;
    }
    const flat = frameOf(list[0]);
    const all = list.flatMap((i) =>
      b.faces[i].loops.flatMap((l) =>
        l.filter((u) => !gone.has(u.edge)).map((u) => ({ u, turned: !!flat && b.faces[i].reversed !== head.reversed })),
      ),
    );
    const rest = all.map(({ u, turned }): EdgeUse => {
      const e = b.edges[u.edge];
      const reversed = turned ? !u.reversed : u.reversed;
      return flat ? { edge: u.edge, reversed, pcurve: { curve: curveInFrame(e.curve, flat), turn: e.turn } } : { ...u, reversed };
    });
    const loops = chainUses(b, rest);
    if (!loops) {
      faces.push(...list.map((i) => b.faces[i]));
      continue;
    }
    loops.sort((x, y) => Math.abs(loopArea(y, b.edges)) - Math.abs(loopArea(x, b.edges)));
    merged += list.length - 1;
    faces.push(
      flat
        ? { ...head, surface: planeOver(b, loops, flat), turnU: undefined, turnV: undefined, record: planeRecordOf(flat), loops }
        : { ...head, loops },
    );
  }
  const kept = faces.map((_, i) => i);
  return { body: withShells(subBody({ ...b, faces }, kept)), merged };
}

function chainUses(b: Body, uses: readonly EdgeUse[]): EdgeUse[][] | undefined {
  const rest = new Set(uses);
  const start = (u: EdgeUse) => (u.reversed ? b.edges[u.edge].end : b.edges[u.edge].start);
  const end = (u: EdgeUse) => (u.reversed ? b.edges[u.edge].start : b.edges[u.edge].end);
  const loops: EdgeUse[][] = [];
  for (const first of uses) {
    if (!rest.delete(first)) continue;
    const loop = [first];
    while (end(loop[loop.length - 1]) !== start(first)) {
      const at = end(loop[loop.length - 1]);
      const next = [...rest].find((u) => start(u) === at);
      if (!next) return undefined;
      rest.delete(next);
      loop.push(next);
    }
    loops.push(loop);
  }
  return loops;
}

function planeOver(b: Body, loops: readonly (readonly EdgeUse[])[], frame: Frame): NurbsSurface {
  let [x0, x1, y0, y1] = [Infinity, -Infinity, Infinity, -Infinity];
  for (const u of loops.flat()) {
    const { min, max } = traceExtent(u.pcurve, b.edges[u.edge].range);
    [x0, x1, y0, y1] = [Math.min(x0, min[0]), Math.max(x1, max[0]), Math.min(y0, min[1]), Math.max(y1, max[1])];
  }
  const pad = 0.01 * Math.max(x1 - x0, y1 - y0);
  return planeSurface(frame, x0 - pad, x1 + pad, y0 - pad, y1 + pad);
}

/** Faces of `b` that touch one of the given faces over an edge. */
export function neighboursOf(b: Body, faces: readonly number[]): number[] {
  const { uses } = topologyOf(b);
  const own = new Set(faces);
  const out = new Set<number>();
  for (const f of faces) for (const u of b.faces[f].loops.flat()) for (const o of uses[u.edge]) if (!own.has(o.face)) out.add(o.face);
  return [...out];
}
/** Largest distance from the rims of one body to the rims of another: tells whether a replacement fits. */
export function rimDistance(a: Body, b: Body): { distance: number; at: Vec3 } {
  const others = topologyOf(b).rims.map((e) => edgeCurve(b.edges[e]));
  let worst = { distance: 0, at: [0, 0, 0] as Vec3 };
  for (const e of topologyOf(a).rims) {
    const { range } = a.edges[e];
    for (let i = 0; i <= 16; i++) {
      const p = edgePoint(a.edges[e], range[0] + ((range[1] - range[0]) * i) / 16);
      const least = Math.min(...others.map((c) => closestOnCurve(c, p).distance));
      if (least > worst.distance) worst = { distance: least, at: p };
    }
  }
  return worst;
}
