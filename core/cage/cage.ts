import type { Vec3 } from '../math/index.ts';
import { type CageShape, edgeBetween, makeShape, type ShapeTrouble } from './shape.ts';

/** Sharpness of an edge or a vertex that no refinement rounds off. */
export const FULL = Number.POSITIVE_INFINITY;
/** Largest sharpness short of full. */
export const MOST_SHARP = 10;

/**
 * A cage: faces of three or more corners over vertices, mm. Immutable. Sharpness of edges (0 smooth, 1 to 10 for as many steps of refinement,
 * FULL) and of vertices (held where they are). Vertices and faces have names that edits keep; an edge is named by its ends.
 */
export interface Cage {
  readonly shape: CageShape;
  /** xyz of every vertex. */
  readonly points: Float64Array;
  readonly sharpness: Float64Array;
  readonly pins: Float64Array;
  readonly vertexNames: readonly string[];
  readonly faceNames: readonly string[];
  /** The two sides of a mirror that stands: names of images end with this. */
  readonly image?: string;
}
export type MadeCage = { readonly ok: true; readonly cage: Cage } | { readonly ok: false; readonly trouble: ShapeTrouble };

/** What a cage is made from: faces as lists of vertices; edges with a sharpness by their ends. */
export interface CageParts {
  readonly points: readonly Vec3[];
  readonly faces: readonly (readonly number[])[];
  readonly sharp?: readonly { readonly ends: readonly [number, number]; readonly sharpness: number }[];
  readonly pins?: ReadonlyMap<number, number>;
  readonly vertexNames?: readonly string[];
  readonly faceNames?: readonly string[];
}

export function makeCage(p: CageParts): MadeCage {
  const faceStart = new Uint32Array(p.faces.length + 1);
  for (let i = 0; i < p.faces.length; i++) faceStart[i + 1] = faceStart[i] + p.faces[i].length;
  const corners = new Uint32Array(faceStart[p.faces.length]);
  for (let i = 0; i < p.faces.length; i++) corners.set(p.faces[i], faceStart[i]);
  const made = makeShape(p.points.length, faceStart, corners);
  if (!made.ok) return made;
  const { shape } = made;
  const points = new Float64Array(3 * p.points.length);
  for (let i = 0; i < p.points.length; i++) points.set(p.points[i], 3 * i);
  const bad = points.findIndex((x) => !Number.isFinite(x));
  if (bad >= 0) return { ok: false, trouble: { message: 'A vertex has a coordinate that is no number', at: [Math.floor(bad / 3)] } };
  const sharpness = new Float64Array(shape.edges);
  for (const { ends, sharpness: s } of p.sharp ?? []) {
    const e = edgeBetween(shape, ends[0], ends[1]);
    if (e >= 0) sharpness[e] = s;
  }
  const pins = new Float64Array(shape.vertices);
  for (const [v, s] of p.pins ?? []) pins[v] = s;
  const vertexNames = p.vertexNames ?? p.points.map((_, i) => `v${i + 1}`);
  const faceNames = p.faceNames ?? p.faces.map((_, i) => `f${i + 1}`);
  return { ok: true, cage: { shape, points, sharpness, pins, vertexNames, faceNames } };
}

/** The same cage in other places. */
export const withPoints = (c: Cage, points: Float64Array): Cage => ({ ...c, points });

export const pointOf = (points: Float64Array, v: number): Vec3 => [points[3 * v], points[3 * v + 1], points[3 * v + 2]];
/** Places of all vertices. */
export const cagePoints = (c: Cage): Vec3[] => Array.from({ length: c.shape.vertices }, (_, v) => pointOf(c.points, v));
/** An edge by the names of its ends, in the order of the alphabet. */
export const nameBetween = (a: string, b: string): string => (a < b ? `${a}~${b}` : `${b}~${a}`);
export function edgeName(c: Cage, e: number): string {
  const h = c.shape.edgeHalf[e];
  return nameBetween(c.vertexNames[c.shape.corners[h]], c.vertexNames[c.shape.corners[c.shape.next[h]]]);
}
/** Faces as lists of vertices, as `makeCage` takes them. */
export function partsOfCage(c: Cage): Required<CageParts> & { faces: number[][] } {
  const { shape } = c;
  const sharp: { ends: [number, number]; sharpness: number }[] = [];
  for (let e = 0; e < shape.edges; e++) {
    const h = shape.edgeHalf[e];
    if (c.sharpness[e] > 0) sharp.push({ ends: [shape.corners[h], shape.corners[shape.next[h]]], sharpness: c.sharpness[e] });
  }
  const pins = new Map<number, number>();
  for (let v = 0; v < shape.vertices; v++) if (c.pins[v] > 0) pins.set(v, c.pins[v]);
  return {
    points: cagePoints(c),
    faces: Array.from({ length: shape.faces }, (_, f) => [...shape.corners.subarray(shape.faceStart[f], shape.faceStart[f + 1])]),
    sharp,
    pins,
    vertexNames: c.vertexNames,
    faceNames: c.faceNames,
  };
}

/** A cage from its arrays, as they come over from elsewhere: sharpness in the order of the edges that the faces give. */
export function cageFromArrays(
  a: Omit<Cage, 'shape'> & { readonly faceStart: Uint32Array; readonly corners: Uint32Array },
): Cage | undefined {
  const made = makeShape(a.points.length / 3, a.faceStart, a.corners);
  if (!made.ok) return undefined;
  const { points, sharpness, pins, vertexNames, faceNames, image } = a;
  return { shape: made.shape, points, sharpness, pins, vertexNames, faceNames, image };
}
