import { type Affine, applyPoint, determinant, dot, type Frame, sub, type Vec3 } from '../math/index.ts';
import { type Cage, cagePoints, makeCage, nameBetween, partsOfCage, pointOf } from './cage.ts';
import { type Edited, removeFaces } from './edits.ts';
import { type CageShape, isBorderVertex } from './shape.ts';

/** What stands behind the name of an original in the name of its image: more of these than any original has from a mirror before. */
const STAR = '*';
function markFor(c: Cage): string {
  const stars = (names: readonly string[]) => names.reduce((most, n) => Math.max(most, n.length - n.replace(/\*+$/, '').length), 0);
  return STAR.repeat(1 + Math.max(stars(c.vertexNames), stars(c.faceNames)));
}
/** The name of what an element of a mirrored cage is the image of; of all others, and in a cage without a mirror, its own name. */
export const originalOf = (c: Cage, name: string): string => (c.image && name.endsWith(c.image) ? name.slice(0, -c.image.length) : name);
/** The same for an edge, whose name tells its ends. */
export function originalEdgeOf(c: Cage, name: string): string {
  const ends = name.split('~');
  return c.image && ends.some((e) => e !== originalOf(c, e)) ? nameBetween(originalOf(c, ends[0]), originalOf(c, ends[1])) : name;
}

type Plane = Pick<Frame, 'origin' | 'z'>;
const heightOf = (c: Cage, v: number, p: Plane): number => dot(sub(pointOf(c.points, v), p.origin), p.z);

/**
 * The half of a cage on the side a plane's normal points to: faces whose middle lies on the other side are left out. Refused where a face lies on both
 * sides by more than `within` mm: the plane must run along edges.
 */
export function halfOf(c: Cage, plane: Plane, within: number): Edited {
  const key = JSON.stringify([plane.origin, plane.z, within]);
  const known = halves.get(c);
  if (known?.key === key) return known.half;
  const half = halve(c, plane, within);
  halves.set(c, { key, half });
  return half;
}
const halves = new WeakMap<Cage, { key: string; half: Edited }>();
function halve(c: Cage, plane: Plane, within: number): Edited {
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
    // what lies in the plane is on both sides: it is there to be drawn out of it
    if (low >= -within) keep.push(f);
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
): Edited & { readonly beyond?: readonly { readonly vertex: number; readonly by: number }[] } {
  const { shape: s } = c;
  const own = cagePoints(c);
  const inSeam = Uint8Array.from({ length: s.vertices }, (_, v) =>
    isBorderVertex(s, v) && (Math.abs(heightOf(c, v, plane)) <= within || seam.has(c.vertexNames[v])) ? 1 : 0,
  );
  const beyond = own.flatMap((_, v) => (!inSeam[v] && heightOf(c, v, plane) < -within ? [{ vertex: v, by: -heightOf(c, v, plane) }] : []));
  // images stand behind the half's own vertices, in their order
  const points = own.map((p, v) => (inSeam[v] ? foot(p, plane) : p));
  const images = own.flatMap((p, v) => (inSeam[v] ? [] : [image(p, plane)]));
  const all = [...points, ...images];
  const known = wholes.get(s);
  if (
    known?.inSeam.every((x, v) => x === inSeam[v]) &&
    known.half.sharpness === c.sharpness &&
    known.half.pins === c.pins &&
    known.half.vertexNames === c.vertexNames
  )
    return { ok: true, cage: { ...known.cage, points: Float64Array.from(all.flat()) }, beyond };
  let next = s.vertices;
  const other = Int32Array.from(inSeam, (x, v) => (x ? v : next++));
  const parts = partsOfCage(c);
  const mark = markFor(c);
  const names = [...parts.vertexNames, ...parts.vertexNames.filter((_, v) => !inSeam[v]).map((n) => `${n}${mark}`)];
  const faces = [...parts.faces, ...parts.faces.map((f) => [...f].reverse().map((v) => other[v]))];
  const faceNames = [...parts.faceNames, ...parts.faceNames.map((n) => `${n}${mark}`)];
  const sharp = parts.sharp.flatMap((e) => {
    const ends: [number, number] = [other[e.ends[0]], other[e.ends[1]]];
    return ends[0] === e.ends[0] && ends[1] === e.ends[1] ? [e] : [e, { ...e, ends }];
  });
  const pins = new Map(parts.pins);
  for (const [v, x] of parts.pins) pins.set(other[v], x);
  const made = makeCage({ points: all, faces, sharp, pins, vertexNames: names, faceNames });
  if (!made.ok)
    return { ok: false, message: `Mirrored, it would be no whole cage: ${made.trouble.message.toLowerCase()}`, at: made.trouble.at };
  const cage = { ...made.cage, image: mark };
  wholes.set(s, { half: c, inSeam, cage });
  return { ok: true, cage, beyond };
}
/** The last whole made of a half's shape: while only places move, it keeps its own shape. */
const wholes = new WeakMap<CageShape, { half: Cage; inSeam: Uint8Array; cage: Cage }>();

/** A cage under an affine map; one that turns left into right turns its faces over, so that their outside stays outside. */
export function transformCage(c: Cage, map: Affine): Cage {
  const parts = partsOfCage(c);
  const points = parts.points.map((p) => applyPoint(map, p));
  if (determinant(map) > 0) return { ...c, points: Float64Array.from(points.flat()) };
  const made = makeCage({ ...parts, points, faces: parts.faces.map((f) => [...f].reverse()) });
  // turned over, what was whole is whole
  if (!made.ok) throw new Error(made.trouble.message);
  return made.cage;
}
