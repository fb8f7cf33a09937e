import { type Body, type EdgeChain, edgeCurve, edgePoint, faceNormal, massProperties, Neighbour, usedRange } from '../brep/index.ts';
import { distance, type Frame, frameFromNormal, length, sub, unit, type Vec3 } from '../math/index.ts';
import {
  arcLength,
  clipCurve,
  endPoint,
  lengthParameter,
  type NurbsCurve,
  planeOf,
  reverseCurve,
  startPoint,
  surfacePoint,
} from '../nurbs/index.ts';
import type { Part } from './model.ts';
import type { Input } from './tool.ts';

const chainOfEdges = (b: Body, chain: EdgeChain): NurbsCurve[] =>
  chain.edges.map(({ edge, reversed }) => (reversed ? reverseCurve(edgeCurve(b.edges[edge])) : edgeCurve(b.edges[edge])));

/** The part of a chain between two shares of its length. */
export function chainPart(curves: readonly NurbsCurve[], [from, to]: readonly [number, number]): NurbsCurve[] {
  if (from <= 0 && to >= 1) return [...curves];
  const lengths = curves.map((c) => arcLength(c));
  const total = lengths.reduce((a, b) => a + b, 0);
  let done = 0;
  return curves.flatMap((c, k): NurbsCurve[] => {
    const [a, b] = [Math.max(0, from * total - done), Math.min(lengths[k], to * total - done)];
    done += lengths[k];
    if (b - a < 1e-9 * total) return [];
    if (a <= 0 && b >= lengths[k]) return [c];
    const by = lengthParameter(c);
    return [clipCurve(c, by.at(a), by.at(b))];
  });
}

/** Curves of an input: the chain itself, or the picked edge. Empty when it is neither. */
export function inputCurves(i: Input): readonly NurbsCurve[] {
  if (i.piece.kind === 'curve') return i.piece.curves;
  if ((i.piece.kind === 'skin' || i.piece.kind === 'solid') && i.chain)
    return chainPart(chainOfEdges(i.piece.body, i.chain.edges), i.chain.cut);
  if ((i.piece.kind === 'skin' || i.piece.kind === 'solid') && i.edge !== undefined) return [edgeCurve(i.piece.body.edges[i.edge])];
  return [];
}
export const inputBody = (i: Input): Body | undefined => (i.piece.kind === 'skin' || i.piece.kind === 'solid' ? i.piece.body : undefined);

/** Plane of an input: a work plane, a flat face (z outwards) or a flat curve. */
export function inputPlane(i: Input): Frame | undefined {
  if (i.piece.kind === 'plane') return i.piece.frame;
  if (i.piece.kind === 'curve') {
    const p = planeOf(i.piece.curves);
    return p && p.deviation < 1e-3 ? p.frame : undefined;
  }
  const body = inputBody(i);
  if (!body || i.face === undefined) return undefined;
  const f = body.faces[i.face];
  const r = usedRange(f, body);
  const [u, v] = [(r[0] + r[1]) / 2, (r[2] + r[3]) / 2];
  const edges = f.loops.flat().map((l) => edgeCurve(body.edges[l.edge]));
  const flat = planeOf(edges);
  if (!flat || flat.deviation > 1e-3) return undefined;
  return frameFromNormal(massProperties(body, [i.face], true).areaCentre ?? surfacePoint(f.surface, u, v), faceNormal(f, u, v));
}
export function inputPoint(i: Input): Vec3 | undefined {
  if (i.piece.kind === 'point') return i.piece.point;
  const body = inputBody(i);
  if (body && i.vertex !== undefined) return body.vertices[i.vertex].point;
  return undefined;
}

/** The skin behind a picked edge or chain of edges; none for free curves. */
export function inputNeighbour(i: Input, side: 0 | 1 = 0): Neighbour | undefined {
  const body = inputBody(i);
  if (!body) return undefined;
  if (i.chain) return new Neighbour(body, i.chain.edges.edges, side);
  return i.edge === undefined ? undefined : new Neighbour(body, [{ edge: i.edge, reversed: false }], side);
}
/** Direction of an input: a straight line, or the normal of a plane or flat face. */
export function inputDirection(i: Input): Vec3 | undefined {
  const curves = inputCurves(i);
  if (curves.length) {
    const v = sub(endPoint(curves[curves.length - 1]), startPoint(curves[0]));
    return length(v) > 1e-9 ? unit(v) : undefined;
  }
  return inputPlane(i)?.z;
}

const vertexNames = new WeakMap<Body, string[]>();
/** A vertex is called after the edges that meet in it. All of a body at once: one by one would look through all edges each time. */
function vertexName(body: Body, v: number): string {
  let names = vertexNames.get(body);
  if (!names) {
    const around = body.vertices.map(() => new Set<string>());
    for (const e of body.edges) {
      around[e.start]?.add(e.name);
      around[e.end]?.add(e.name);
    }
    names = around.map((set) => [...set].sort().join('&'));
    vertexNames.set(body, names);
  }
  return names[v];
}
export const partName = (body: Body, kind: Part['kind'], index: number): string =>
  kind === 'face' ? body.faces[index].name : kind === 'edge' ? body.edges[index].name : vertexName(body, index);

/** A point on the part: tells parts of one name apart. */
export function partPlace(body: Body, kind: Part['kind'], index: number): Vec3 {
  if (kind === 'vertex') return body.vertices[index].point;
  if (kind === 'edge') {
    const e = body.edges[index];
    return edgePoint(e, (e.range[0] + e.range[1]) / 2);
  }
  return massProperties(body, [index], true).areaCentre;
}

export type Found = { index: number; sure: boolean } | { candidates: { name: string; place: Vec3 }[] };
/**
 * Finds a part again by name. Several of one name: the nearest to where it was picked. None: children of the same parent nearest by,
 * marked as not sure; otherwise the nearest candidates.
 */
export function findPart(body: Body, part: Part): Found {
  const count = part.kind === 'face' ? body.faces.length : part.kind === 'edge' ? body.edges.length : body.vertices.length;
  const all = Array.from({ length: count }, (_, i) => i).filter((i) => part.kind !== 'edge' || !body.edges[i].degenerate);
  const exact = all.filter((i) => partName(body, part.kind, i) === part.name);
  if (exact.length === 1) return { index: exact[0], sure: true };
  const nearest = (list: number[]) => {
    if (!part.near) return list[0];
    const near = part.near;
    return list.reduce((a, b) => (distance(partPlace(body, part.kind, b), near) < distance(partPlace(body, part.kind, a), near) ? b : a));
  };
  if (exact.length > 1) return { index: nearest(exact), sure: true };
  const stem = (n: string) => n.split(/[.(]/)[0];
  const kin = all.filter((i) => stem(partName(body, part.kind, i)) === stem(part.name));
  if (kin.length && part.near) return { index: nearest(kin), sure: false };
  const near = part.near;
  const candidates = all.map((i) => ({ name: partName(body, part.kind, i), place: partPlace(body, part.kind, i) }));
  if (near) candidates.sort((a, b) => distance(a.place, near) - distance(b.place, near));
  return { candidates: candidates.slice(0, 3) };
}
