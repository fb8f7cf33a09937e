import { angleBetween, cross, dot, scale, unit, type Vec3 } from '../math/index.ts';
import { type Cage, pointOf } from './cage.ts';
import { areaVector } from './edits.ts';
import { junctionsOf } from './junctions.ts';
import { vertexLimit } from './limit.ts';
import { cornersOf, endOf, fanOf, isBorderVertex, makeShape, valenceOf } from './shape.ts';
import { flatten } from './shaping.ts';
import { type Refinable, refine } from './subdivide.ts';

/** What a cage is made for: how far a pole may fold. */
export type PoleUse = 'print' | 'mould';
/** Largest fold at a pole that is left alone, degrees. */
export const FOLD_LIMIT: Readonly<Record<PoleUse, number>> = { print: 20, mould: 10 };

/** A vertex where not four edges meet (three at the border), or a face with other than four corners. */
export interface Pole {
  readonly kind: 'vertex' | 'face';
  readonly index: number;
  readonly name: string;
  /** Edges at the vertex, or corners of the face. */
  readonly valence: number;
  readonly border: boolean;
  /** An edge ends here on the side of a face (a T-junction). */
  readonly junction: boolean;
  /** Largest angle between faces next to each other round it, degrees. */
  readonly fold: number;
  /** Place on the smooth surface. */
  readonly at: Vec3;
  /** Largest and smallest principal curvature of the smooth surface at an eighth of an edge from the pole, 1/mm; none beside creases and borders. */
  readonly curvature?: readonly [number, number];
  /** Flatter than the limit of the use. */
  readonly calm: boolean;
}
/** Steps after which the ring next to the pole is looked at: 2^-3 of an edge away. */
const LOOK = 3;

/** All poles of a cage, the sharpest fold first. Edges that are full keep their fold: that is what they are for. */
export const polesOf = (c: Cage, use: PoleUse): Pole[] => sharpestPoles(c, use, Infinity).poles;

/**
 * The `most` poles of a cage with the sharpest folds, how many there are, and how many fold too far or end an edge. Folds are quick to tell, the smooth
 * surface beside a pole is not: `beside` false leaves its curvature out.
 */
export function sharpestPoles(c: Cage, use: PoleUse, most: number, beside = true): { poles: Pole[]; of: number; loud: number } {
  const { shape: s } = c;
  const ends = new Set(junctionsOf(c).map((j) => j.vertex));
  const found: Omit<Pole, 'at'>[] = [];
  const put = (kind: Pole['kind'], index: number, valence: number, border: boolean) => {
    const fold = foldOf(c, { kind, index });
    const name = (kind === 'vertex' ? c.vertexNames : c.faceNames)[index];
    found.push({
      ...{ kind, index, name, valence, border, fold },
      junction: kind === 'vertex' && ends.has(index),
      calm: fold <= FOLD_LIMIT[use],
    });
  };
  for (let v = 0; v < s.vertices; v++) {
    const faces = fanOf(s, v).length;
    if (!faces) continue;
    const border = isBorderVertex(s, v);
    // a border corner of one face is none
    if (border ? faces > 2 : faces !== 4) put('vertex', v, valenceOf(s, v), border);
  }
  for (let f = 0; f < s.faces; f++) if (cornersOf(s, f) !== 4) put('face', f, cornersOf(s, f), false);
  const poles = found
    .sort((a, b) => b.fold - a.fold)
    .slice(0, most)
    .map((p): Pole => ({ ...p, ...(p.kind === 'vertex' ? besideVertex(c, p, beside) : besideFace(c, p.index, beside)) }));
  return { poles, of: found.length, loud: found.filter((p) => !p.calm || p.junction).length };
}
function besideVertex(c: Cage, p: { readonly index: number; readonly border: boolean }, look: boolean): Pick<Pole, 'at' | 'curvature'> {
  const at = vertexLimit(c, p.index).point;
  if (p.border || !look) return { at };
  const part = around(
    c,
    fanOf(c.shape, p.index).map((h) => c.shape.face[h]),
  );
  return { at, curvature: part && curvatureOf(part.cage, part.vertices.indexOf(p.index), LOOK) };
}
function besideFace(c: Cage, f: number, look: boolean): Pick<Pole, 'at' | 'curvature'> {
  const part = around(c, [f]);
  const once = refine(part?.cage ?? c);
  const { shape: t } = part?.cage ?? c;
  const middle = t.vertices + t.edges + (part ? part.faces.indexOf(f) : f);
  return { at: vertexLimit(once, middle).point, curvature: look && part ? curvatureOf(once, middle, LOOK - 1) : undefined };
}
/** What to do about a pole, in a sentence. */
export function poleAdvice(p: Pole, use: PoleUse): string {
  if (p.junction) return 'An edge ends here on the side of a face: run it on, or stop it by making the corner straight';
  if (p.kind === 'face')
    return p.calm
      ? `A face of ${p.valence} corners lies flat enough here`
      : `A face of ${p.valence} corners on a bend: run an edge on through it, or flatten it`;
  if (p.calm) return use === 'print' ? 'Leave it: a print does not show it' : 'Leave it: the fold is small';
  return `Flatten here, or add a ring: the fold is above ${FOLD_LIMIT[use]} degrees`;
}

/** Faces within two rings of some faces, as a cage of its own; nothing where it would touch itself. */
function around(c: Cage, faces: readonly number[]): { cage: Refinable; vertices: number[]; faces: number[] } | undefined {
  const { shape: s } = c;
  const own = new Set(faces);
  for (let ring = 0; ring < 2; ring++)
    for (const f of [...own])
      for (let h = s.faceStart[f]; h < s.faceStart[f + 1]; h++) for (const g of fanOf(s, s.corners[h])) own.add(s.face[g]);
  const list = [...own];
  const place = new Map<number, number>();
  const vertices: number[] = [];
  const corners: number[] = [];
  const start = new Uint32Array(list.length + 1);
  const halves: number[] = [];
  list.forEach((f, i) => {
    for (let h = s.faceStart[f]; h < s.faceStart[f + 1]; h++) {
      const v = s.corners[h];
      if (!place.has(v)) place.set(v, vertices.push(v) - 1);
      corners.push(place.get(v) as number);
      halves.push(h);
    }
    start[i + 1] = corners.length;
  });
  const made = makeShape(vertices.length, start, Uint32Array.from(corners));
  // a small cage can touch itself in a point where it is cut out
  if (!made.ok) return undefined;
  const { shape } = made;
  const points = new Float64Array(3 * vertices.length);
  vertices.forEach((v, i) => {
    points.set(c.points.subarray(3 * v, 3 * v + 3), 3 * i);
  });
  const sharpness = Float64Array.from({ length: shape.edges }, (_, e) => c.sharpness[s.edgeOf[halves[shape.edgeHalf[e]]]]);
  return { cage: { shape, points, sharpness, pins: Float64Array.from(vertices, (v) => c.pins[v]) }, vertices, faces: list };
}
/** Largest and smallest principal curvature at the vertices next to one after some steps; they are regular by then. */
function curvatureOf(start: Refinable, v: number, steps: number): readonly [number, number] | undefined {
  let level = start;
  for (let k = 0; k < steps; k++) level = refine(level);
  const { shape: s } = level;
  const round = new Set<number>();
  for (const h of fanOf(s, v)) {
    round.add(endOf(s, h));
    round.add(s.corners[s.next[s.next[h]]]);
  }
  let [low, high] = [Infinity, -Infinity];
  for (const w of round) {
    const k = regularCurvature(level, w);
    if (!k) return undefined;
    low = Math.min(low, k[0]);
    high = Math.max(high, k[1]);
  }
  return [high, low];
}
/** Principal curvatures of the limit at a vertex of four quads, from the bicubic spline it is a knot of; positive where it bulges outwards. */
export function regularCurvature(level: Refinable, v: number): readonly [number, number] | undefined {
  const { shape: s, points } = level;
  const fan = fanOf(s, v);
  if (fan.length !== 4 || isBorderVertex(s, v) || fan.some((h) => level.sharpness[s.edgeOf[h]] > 0) || level.pins[v] > 0) return undefined;
  const P = (i: number): Vec3 => pointOf(points, i);
  const e = fan.map((h) => P(endOf(s, h)));
  const f = fan.map((h) => P(s.corners[s.next[s.next[h]]]));
  // rows of the grid: minus, middle, plus along the first edge; columns along the second
  const grid = [
    [f[2], e[2], f[1]],
    [e[3], P(v), e[1]],
    [f[3], e[0], f[0]],
  ];
  const value = [1 / 6, 4 / 6, 1 / 6];
  const first = [-0.5, 0, 0.5];
  const second = [1, -2, 1];
  const at = (a: readonly number[], b: readonly number[]): Vec3 =>
    [0, 1, 2].map((k) => grid.reduce((sum, row, i) => sum + row.reduce((x, p, j) => x + a[i] * b[j] * p[k], 0), 0)) as unknown as Vec3;
  const [su, sv, suu, suv, svv] = [at(first, value), at(value, first), at(second, value), at(first, first), at(value, second)];
  const n = cross(su, sv);
  if (!(Math.hypot(...n) > 0)) return undefined;
  const normal = scale(n, 1 / Math.hypot(...n));
  const [E, F, G] = [dot(su, su), dot(su, sv), dot(sv, sv)];
  const [L, M, N] = [dot(suu, normal), dot(suv, normal), dot(svv, normal)];
  const det = E * G - F * F;
  const mean = -(E * N - 2 * F * M + G * L) / (2 * det);
  const root = Math.sqrt(Math.max(0, mean * mean - (L * N - M * M) / det));
  return [mean - root, mean + root];
}

/** Vertices next to a pole with it, and the plane that touches the smooth surface there: what "flatten here" brings together. */
export function flatAround(c: Cage, p: Pole): { vertices: number[]; plane: { origin: Vec3; normal: Vec3 } } {
  const { shape: s } = c;
  if (p.kind === 'face') {
    const vertices = [...s.corners.subarray(s.faceStart[p.index], s.faceStart[p.index + 1])];
    return { vertices, plane: { origin: p.at, normal: unit(areaVector(c, p.index)) } };
  }
  const { point, normals } = vertexLimit(c, p.index);
  const vertices = [p.index, ...fanOf(s, p.index).flatMap((h) => [endOf(s, h), s.corners[s.next[s.next[h]]]])];
  return { vertices: [...new Set(vertices)], plane: { origin: point, normal: normals[0] } };
}

/** The faces that meet in a pole, or the face it is. */
export const facesAt = (c: Cage, p: Pole): number[] =>
  p.kind === 'face' ? [p.index] : fanOf(c.shape, p.index).map((h) => c.shape.face[h]);

/** Largest angle between faces next to each other round a vertex, or over the sides of a face, degrees; fully sharp edges do not count. */
export function foldOf(c: Cage, p: Pick<Pole, 'kind' | 'index'>): number {
  const { shape: s } = c;
  const halves =
    p.kind === 'vertex' ? fanOf(s, p.index) : Array.from({ length: cornersOf(s, p.index) }, (_, i) => s.faceStart[p.index] + i);
  return halves.reduce((most, h) => {
    const t = s.twin[h];
    if (t < 0 || c.sharpness[s.edgeOf[h]] === Infinity) return most;
    return Math.max(most, (angleBetween(unit(areaVector(c, s.face[h])), unit(areaVector(c, s.face[t]))) * 180) / Math.PI);
  }, 0);
}

/**
 * How a pole is flattened with the least change: the vertices next to it go towards the plane that touches the smooth surface there by the smallest
 * share that brings its fold to the limit of the use (to half of it where it is calm already); the far corners of its faces go too only where
 * that alone is not enough.
 */
export function flattening(c: Cage, p: Pole, use: PoleUse): { vertices: number[]; plane: { origin: Vec3; normal: Vec3 }; share: number } {
  const { plane, vertices: all } = flatAround(c, p);
  const aim = p.calm ? p.fold / 2 : 0.9 * FOLD_LIMIT[use];
  const near = p.kind === 'face' ? all : [p.index, ...fanOf(c.shape, p.index).map((h) => endOf(c.shape, h))];
  const after = (vertices: readonly number[], share: number): number => {
    const r = flatten(c, vertices, plane, undefined, share);
    return r.ok ? foldOf(r.cage, p) : Infinity;
  };
  for (const vertices of [near, all]) {
    if (!(after(vertices, 1) <= aim)) continue;
    let [low, high] = [0, 1];
    for (let k = 0; k < 10; k++) {
      const mid = (low + high) / 2;
      if (after(vertices, mid) <= aim) high = mid;
      else low = mid;
    }
    return { vertices: [...vertices], plane, share: Math.ceil(high * 1000) / 1000 };
  }
  return { vertices: all, plane, share: 1 };
}
