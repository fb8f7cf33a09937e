import { angleBetween, dot, lerp, sub, type Vec3 } from '../math/index.ts';
import { type Cage, nameBetween, pointOf } from './cage.ts';
import { Draft, madeName } from './draft.ts';
import { type Edited, moved } from './edits.ts';
import { cornersOf, fanOf, isBorderVertex, valenceOf } from './shape.ts';

const no = (message: string, at: readonly number[] = []): Edited => ({ ok: false, message, at });
/** A corner of a face counts as straight from this angle on, degrees. */
export const STRAIGHT = 165;

/** An edge that ends on the side of a face: its vertex, the face, and the angle of the face's corner there, degrees. */
export interface Junction {
  readonly vertex: number;
  readonly face: number;
  readonly angle: number;
}
/** Angle of the corner at which half-edge h starts, degrees. */
export function cornerAngle(c: Cage, h: number): number {
  const { shape: s } = c;
  const p = pointOf(c.points, s.corners[h]);
  const a = sub(pointOf(c.points, s.corners[s.prev[h]]), p);
  const b = sub(pointOf(c.points, s.corners[s.next[h]]), p);
  return (angleBetween(a, b) * 180) / Math.PI;
}
/** The face of five corners or more that has a vertex of three edges as its straightest corner: where an edge ends (a T-junction). */
function sideOf(c: Cage, v: number): Junction | undefined {
  const { shape: s } = c;
  if (isBorderVertex(s, v) || valenceOf(s, v) !== 3) return undefined;
  const found = fanOf(s, v)
    .filter((h) => cornersOf(s, s.face[h]) > 4)
    .map((h) => ({ vertex: v, face: s.face[h], angle: cornerAngle(c, h) }))
    .sort((a, b) => b.angle - a.angle)[0];
  return found;
}
/** All places where an edge ends on the side of a face whose corner there is straight. */
export function junctionsOf(c: Cage): Junction[] {
  const out: Junction[] = [];
  for (let v = 0; v < c.shape.vertices; v++) {
    const j = sideOf(c, v);
    if (j && j.angle >= STRAIGHT) out.push(j);
  }
  return out;
}
/** Faces with other than four corners. */
export function manySided(c: Cage): { face: number; corners: number }[] {
  const out: { face: number; corners: number }[] = [];
  for (let f = 0; f < c.shape.faces; f++) if (cornersOf(c.shape, f) !== 4) out.push({ face: f, corners: cornersOf(c.shape, f) });
  return out;
}

/**
 * An edge run on from a vertex into a face: across it, and on through the faces behind, each halved, until it comes to the border, to a face
 * where it meets a corner over against it, or to the tip of a triangle. New vertices stand on the edges it crosses, at the same share.
 */
export function runOn(c: Cage, op: string, vertex: number, into?: number): Edited {
  const { shape: s } = c;
  const start =
    into ??
    sideOf(c, vertex)?.face ??
    fanOf(s, vertex)
      .map((h) => s.face[h])
      .find((f) => cornersOf(s, f) !== 4);
  if (start === undefined)
    return no('Only faces of four corners stand here: an edge is run on into a face with more or fewer, pick it too', [vertex]);
  if (!fanOf(s, vertex).some((h) => s.face[h] === start)) return no('The vertex is none of this face', [vertex]);
  const d = new Draft(c);
  let [v, f] = [vertex, start];
  for (let k = 1; k <= 2 * s.faces; k++) {
    const list = d.faces[f] as number[];
    const n = list.length;
    const i = list.indexOf(v);
    const name = madeName(`${op}.${k}`, d.faceNames[f]);
    const at = (j: number) => list[(i + j) % n];
    if (n % 2 === 0) {
      // over against it stands a corner
      const half = n / 2;
      if (n === 4 && k === 1) return no('A face of four corners is halved from corner to corner: connect them instead', [vertex]);
      d.faces[f] = Array.from({ length: half + 1 }, (_, j) => at(j));
      d.face(
        Array.from({ length: half + 1 }, (_, j) => at((half + j) % n)),
        name,
      );
      return build(d);
    }
    const low = (n - 1) / 2;
    const [a, b] = [at(low), at(low + 1)];
    // shares as they are where it comes from
    const t = shareBetween(d.points[at(n - 1)], d.points[v], d.points[at(1)]);
    const m = d.vertex(lerp(d.points[b], d.points[a], t), madeName(`${op}.${k}`, nameBetween(d.vertexNames[a], d.vertexNames[b])));
    const holders = d.faces.flatMap((g, j) => (j !== f && g && follows(g, a, b) ? [j] : []));
    d.split([f, ...holders], a, b, m);
    const now = d.faces[f] as number[];
    const at2 = (j: number) => now[(now.indexOf(v) + j) % now.length];
    d.faces[f] = Array.from({ length: low + 2 }, (_, j) => at2(j));
    d.face([...Array.from({ length: now.length - low - 1 }, (_, j) => at2(low + 1 + j)), v], name);
    if (!holders.length) return build(d);
    [v, f] = [m, holders[0]];
  }
  return no('The edge would run round without an end', [vertex]);
}
const build = (d: Draft): Edited => {
  const r = d.build();
  return r.ok ? { ok: true, cage: r.cage } : no(`${r.trouble.message} after that: it is not done`);
};
const follows = (list: readonly number[], a: number, b: number): boolean =>
  list.some((v, k) => (v === a && list[(k + 1) % list.length] === b) || (v === b && list[(k + 1) % list.length] === a));
function shareBetween(before: Vec3, at: Vec3, after: Vec3): number {
  const [x, y] = [Math.hypot(...sub(at, before)), Math.hypot(...sub(after, at))];
  return x + y > 0 ? x / (x + y) : 0.5;
}
/** An edge stopped where it ends: its vertex brought into the line of its neighbours along the side it ends on, so that the corner is straight. */
export function stopAt(c: Cage, vertex: number): Edited {
  const j = sideOf(c, vertex);
  if (!j) return no('No edge ends here on the side of a face of five corners or more', [vertex]);
  const { shape: s } = c;
  const h = fanOf(s, vertex).find((x) => s.face[x] === j.face) as number;
  const [a, b] = [pointOf(c.points, s.corners[s.prev[h]]), pointOf(c.points, s.corners[s.next[h]])];
  const way = sub(b, a);
  const l = dot(way, way);
  if (!(l > 0)) return no('The neighbours of this vertex stand in one place', [vertex]);
  return moved(c, (v, p) => (v === vertex ? lerp(a, b, Math.min(0.95, Math.max(0.05, dot(sub(p, a), way) / l))) : undefined));
}
