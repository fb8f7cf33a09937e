import { dot, type Frame, sub, type Vec3 } from '../math/index.ts';
import { type Cage, makeCage, partsOfCage, pointOf } from './cage.ts';
import { type Edited, removeFaces } from './edits.ts';
import { isBorderVertex } from './shape.ts';

/** What is on the other side of a mirror has the name of what it is the image of, with this behind it. */
export const IMAGE = '*';
export const isImage = (name: string): boolean => name.endsWith(IMAGE);
export const originalOf = (name: string): string => (isImage(name) ? name.slice(0, -IMAGE.length) : name);

type Plane = Pick<Frame, 'origin' | 'z'>;
const heightOf = (c: Cage, v: number, p: Plane): number => dot(sub(pointOf(c.points, v), p.origin), p.z);

/**
 * The half of a cage on the side a plane's normal points to: faces whose middle lies on the other side are left out. Refused where a face lies on both
 * sides by more than `within` mm: the plane must run along edges.
 */
export function halfOf(c: Cage, plane: Plane, within: number): Edited {
  const { shape: s } = c;
  const height = Float64Array.from({ length: s.vertices }, (_, v) => heightOf(c, v, plane));
  const keep: number[] = [];
  for (let f = 0; f < s.faces; f++) {
    const own = [...s.corners.subarray(s.faceStart[f], s.faceStart[f + 1])];
    const [low, high] = [Math.min(...own.map((v) => height[v])), Math.max(...own.map((v) => height[v]))];
    if (low < -within && high > within)
      return {
        ok: false,
        message: 'The mirror plane cuts through faces: it must run along a loop of edges. Insert a loop there first',
        at: own,
      };
    if (high > within) keep.push(f);
  }
  if (!keep.length) return { ok: false, message: 'Nothing lies on the side of the mirror plane that is kept', at: [] };
  if (keep.length === s.faces) return { ok: true, cage: c };
  const kept = new Set(keep);
  return removeFaces(
    c,
    'half',
    Array.from({ length: s.faces }, (_, f) => f).filter((f) => !kept.has(f)),
  );
}

/** Vertices of a half that make the seam of its mirror: on the border and in the plane. */
export function seamOf(c: Cage, plane: Plane, within: number): string[] {
  const out: string[] = [];
  for (let v = 0; v < c.shape.vertices; v++)
    if (isBorderVertex(c.shape, v) && Math.abs(heightOf(c, v, plane)) <= within) out.push(c.vertexNames[v]);
  return out;
}

/** The foot of a place on a plane. */
const foot = (p: Vec3, plane: Plane): Vec3 => {
  const h = dot(sub(p, plane.origin), plane.z);
  return [p[0] - h * plane.z[0], p[1] - h * plane.z[1], p[2] - h * plane.z[2]];
};
const image = (p: Vec3, plane: Plane): Vec3 => {
  const h = 2 * dot(sub(p, plane.origin), plane.z);
  return [p[0] - h * plane.z[0], p[1] - h * plane.z[1], p[2] - h * plane.z[2]];
};

/**
 * A half and its image across a plane, one cage. Border vertices within `within` mm of the plane, and those named in `seam` wherever they have got to,
 * are put in the plane exactly and shared by both sides. Vertices of the half that lie beyond the plane are given back as `beyond`.
 */
export function mirrored(
  c: Cage,
  plane: Plane,
  within: number,
  seam: ReadonlySet<string> = new Set(),
): Edited & { readonly beyond?: readonly number[] } {
  const { shape: s } = c;
  const parts = partsOfCage(c);
  const points = [...parts.points];
  const names = [...(parts.vertexNames as string[])];
  const other = new Int32Array(s.vertices);
  const beyond: number[] = [];
  for (let v = 0; v < s.vertices; v++) {
    const p = points[v];
    const height = dot(sub(p, plane.origin), plane.z);
    if (isBorderVertex(s, v) && (Math.abs(height) <= within || seam.has(names[v]))) {
      points[v] = foot(p, plane);
      other[v] = v;
      continue;
    }
    if (height < -within) beyond.push(v);
    other[v] = points.push(image(p, plane)) - 1;
    names.push(`${names[v]}${IMAGE}`);
  }
  const faces = [...parts.faces, ...parts.faces.map((f) => [...f].reverse().map((v) => other[v]))];
  const faceNames = [...(parts.faceNames as string[]), ...parts.faceNames.map((n) => `${n}${IMAGE}`)];
  const sharp = parts.sharp.flatMap((e) => {
    const ends: [number, number] = [other[e.ends[0]], other[e.ends[1]]];
    return ends[0] === e.ends[0] && ends[1] === e.ends[1] ? [e] : [e, { ...e, ends }];
  });
  const pins = new Map(parts.pins);
  for (const [v, x] of parts.pins) pins.set(other[v], x);
  const made = makeCage({ points, faces, sharp, pins, vertexNames: names, faceNames });
  if (!made.ok)
    return { ok: false, message: `Mirrored, it would be no whole cage: ${made.trouble.message.toLowerCase()}`, at: made.trouble.at };
  return { ok: true, cage: made.cage, beyond };
}
