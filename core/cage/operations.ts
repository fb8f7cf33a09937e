import { z } from 'zod';
import type { Vec3 } from '../math/index.ts';
import { type Cage, edgeName, FULL, MOST_SHARP } from './cage.ts';
import {
  bridge,
  connect,
  crease,
  dissolveEdges,
  dissolveVertices,
  type Edited,
  extrudeEdges,
  extrudeFaces,
  fillBorder,
  insertLoops,
  pin,
  removeFaces,
  weld,
} from './edits.ts';
import { flatten, intoCircle, relax, spaceEvenly, straighten, transformVertices } from './shaping.ts';

/** A number, or a formula over dials. */
const number = z.union([z.number(), z.string().min(1).max(200)]);
const vector = z.tuple([number, number, number]);
const names = z.array(z.string().min(1).max(200)).max(20_000);
const some = names.min(1);
const base = { id: z.string().regex(/^[a-z][a-z0-9-]{0,23}$/), muted: z.boolean().optional() };
const frame = z.object({ x: vector, y: vector, z: vector });

/** One edit of a cage, as it stands in a recipe: what it acts on by name, and its numbers. */
export const operationSchema = z.discriminatedUnion('op', [
  z.object({
    ...base,
    op: z.literal('move'),
    vertices: some,
    by: vector.optional(),
    turn: vector.optional(),
    scale: vector.optional(),
    frame: frame.optional(),
    pivot: vector.optional(),
    radius: number.optional(),
  }),
  z.object({ ...base, op: z.literal('extrude-faces'), faces: some, by: number }),
  z.object({ ...base, op: z.literal('extrude-edges'), edges: some, by: vector }),
  z.object({ ...base, op: z.literal('insert-loop'), edge: z.string().min(1), shares: z.array(number).min(1).max(64) }),
  z.object({ ...base, op: z.literal('connect'), vertices: names.min(2) }),
  z.object({ ...base, op: z.literal('remove'), faces: some }),
  z.object({ ...base, op: z.literal('dissolve-edges'), edges: some, heal: z.boolean() }),
  z.object({ ...base, op: z.literal('dissolve-vertices'), vertices: some }),
  z.object({ ...base, op: z.literal('fill'), edge: z.string().min(1) }),
  z.object({ ...base, op: z.literal('weld'), groups: z.array(names.min(2)).min(1), place: z.enum(['middle', 'first']) }),
  z.object({ ...base, op: z.literal('bridge'), from: z.string().min(1), to: z.string().min(1), turns: number }),
  z.object({ ...base, op: z.literal('crease'), edges: some, sharpness: number }),
  z.object({ ...base, op: z.literal('hold'), vertices: some, sharpness: number }),
  z.object({
    ...base,
    op: z.literal('flatten'),
    vertices: some,
    plane: z.object({ origin: vector, normal: vector }).optional(),
    along: vector.optional(),
    share: number,
  }),
  z.object({ ...base, op: z.literal('straighten'), vertices: some, even: z.boolean() }),
  z.object({ ...base, op: z.literal('space'), vertices: some }),
  z.object({ ...base, op: z.literal('circle'), vertices: some }),
  z.object({ ...base, op: z.literal('calm'), vertices: some, rounds: number }),
]);
export type Operation = z.infer<typeof operationSchema>;
export const OPERATION_WORDS: Readonly<Record<Operation['op'], string>> = {
  move: 'Move',
  'extrude-faces': 'Extrude faces',
  'extrude-edges': 'Draw out edges',
  'insert-loop': 'Insert loop',
  connect: 'Connect',
  remove: 'Take faces away',
  'dissolve-edges': 'Dissolve edges',
  'dissolve-vertices': 'Dissolve vertices',
  fill: 'Fill',
  weld: 'Weld',
  bridge: 'Bridge',
  crease: 'Crease',
  hold: 'Hold vertices',
  flatten: 'Flatten',
  straighten: 'Straighten',
  space: 'Space evenly',
  circle: 'Into a circle',
  calm: 'Calm',
};
export const operationsSchema = z
  .array(operationSchema)
  .max(2000)
  .refine((list) => new Set(list.map((o) => o.id)).size === list.length, 'Two operations have the same id');

/** How one operation went: done; done with some of its elements; without any of them; refused by what it would have made; muted. */
export interface OperationOutcome {
  readonly id: string;
  readonly state: 'fine' | 'part' | 'lost' | 'refused' | 'muted';
  /** What is wrong, and nothing when all is fine. */
  readonly message?: string;
  /** Places of it in the cage that it was to change. */
  readonly place?: readonly Vec3[];
  /** Faces of the cage after it. */
  readonly faces: number;
}
export interface Replayed {
  readonly cage: Cage;
  readonly outcomes: readonly OperationOutcome[];
}

const indices = new WeakMap<Cage, { vertices: Map<string, number>; faces: Map<string, number>; edges: Map<string, number> }>();
/** Elements of a cage by their names. */
export function named(c: Cage): { vertices: Map<string, number>; faces: Map<string, number>; edges: Map<string, number> } {
  let found = indices.get(c);
  if (!found) {
    found = {
      vertices: new Map(c.vertexNames.map((n, i) => [n, i])),
      faces: new Map(c.faceNames.map((n, i) => [n, i])),
      edges: new Map(Array.from({ length: c.shape.edges }, (_, e) => [edgeName(c, e), e])),
    };
    indices.set(c, found);
  }
  return found;
}

/**
 * Operations one after the other over a start. One whose elements are gone in part goes on with the rest and says so; one that has lost all of
 * them, or whose outcome would be no cage, is passed over with its reason, and those behind it are still tried. `value` turns formulas into
 * numbers.
 */
export function replay(start: Cage, operations: readonly Operation[], value: (x: number | string) => number = Number): Replayed {
  let cage = start;
  const outcomes = operations.map((o): OperationOutcome => {
    if (o.muted) return { id: o.id, state: 'muted', faces: cage.shape.faces };
    const found = pick(cage, o);
    if (found.lost.length && !found.left)
      return { id: o.id, state: 'lost', message: `${lostWords(found.lost, found.asked)}: it changes nothing`, faces: cage.shape.faces };
    const r = apply(cage, o, found, value);
    if (!r.ok) {
      const place = r.at.map((v): Vec3 => [cage.points[3 * v], cage.points[3 * v + 1], cage.points[3 * v + 2]]);
      return { id: o.id, state: 'refused', message: r.message, place, faces: cage.shape.faces };
    }
    cage = r.cage;
    if (found.lost.length)
      return { id: o.id, state: 'part', message: `${lostWords(found.lost, found.asked)}: it acts on the rest`, faces: cage.shape.faces };
    return { id: o.id, state: 'fine', faces: cage.shape.faces };
  });
  return { cage, outcomes };
}
const lostWords = (lost: readonly string[], asked: number): string =>
  asked === 1
    ? `"${lost[0]}" is not there any more`
    : `${lost.length} of ${asked} elements are not there any more, "${lost[0]}" among them`;

interface Found {
  readonly vertices: readonly number[];
  readonly faces: readonly number[];
  readonly edges: readonly number[];
  readonly groups: readonly (readonly number[])[];
  readonly lost: readonly string[];
  readonly asked: number;
  /** Enough is left to do something. */
  readonly left: boolean;
}
function pick(c: Cage, o: Operation): Found {
  const by = named(c);
  const lost: string[] = [];
  let asked = 0;
  const get = (map: ReadonlyMap<string, number>, list: readonly string[]): number[] =>
    list.flatMap((n) => {
      asked++;
      const i = map.get(n);
      if (i === undefined) lost.push(n);
      return i ?? [];
    });
  const vertices = 'vertices' in o ? get(by.vertices, o.vertices) : [];
  const faces = 'faces' in o ? get(by.faces, o.faces) : [];
  const edgeNames = 'edges' in o ? o.edges : 'edge' in o ? [o.edge] : o.op === 'bridge' ? [o.from, o.to] : [];
  const edges = get(by.edges, edgeNames);
  const groups = (o.op === 'weld' ? o.groups : []).map((g) => get(by.vertices, g)).filter((g) => g.length > 1);
  const needed = o.op === 'bridge' || o.op === 'connect' ? 2 : 1;
  return {
    vertices,
    faces,
    edges,
    groups,
    lost,
    asked,
    left: Math.max(vertices.length, faces.length, edges.length, groups.length) >= needed,
  };
}

function apply(c: Cage, o: Operation, f: Found, value: (x: number | string) => number): Edited {
  const v3 = (v: readonly (number | string)[]): Vec3 => [value(v[0]), value(v[1]), value(v[2])];
  const opt = (v: readonly (number | string)[] | undefined): Vec3 | undefined => v && v3(v);
  switch (o.op) {
    case 'move':
      return transformVertices(c, f.vertices, {
        by: opt(o.by),
        turn: opt(o.turn),
        scale: opt(o.scale),
        frame: o.frame && { x: v3(o.frame.x), y: v3(o.frame.y), z: v3(o.frame.z) },
        pivot: opt(o.pivot),
        radius: o.radius === undefined ? undefined : value(o.radius),
      });
    case 'extrude-faces':
      return extrudeFaces(c, o.id, f.faces, value(o.by));
    case 'extrude-edges':
      return extrudeEdges(c, o.id, f.edges, v3(o.by));
    case 'insert-loop':
      return insertLoops(c, o.id, f.edges[0], o.shares.map(value));
    case 'connect': {
      let now: Edited = { ok: true, cage: c };
      // a row of vertices: from each to the next; splitting faces leaves vertices where they are
      for (let i = 0; i + 1 < f.vertices.length && now.ok; i++) {
        const at = named(now.cage).vertices;
        const [a, b] = [at.get(c.vertexNames[f.vertices[i]]), at.get(c.vertexNames[f.vertices[i + 1]])];
        if (a !== undefined && b !== undefined) now = connect(now.cage, f.vertices.length > 2 ? `${o.id}.${i + 1}` : o.id, a, b);
      }
      return now;
    }
    case 'remove':
      return removeFaces(c, o.id, f.faces);
    case 'dissolve-edges':
      return dissolveEdges(c, f.edges, o.heal);
    case 'dissolve-vertices':
      return dissolveVertices(c, f.vertices);
    case 'fill':
      return fillBorder(c, o.id, f.edges[0]);
    case 'weld':
      return weld(c, f.groups, o.place);
    case 'bridge':
      return bridge(c, o.id, f.edges[0], f.edges[1], Math.round(value(o.turns)));
    case 'crease':
      return crease(c, f.edges, sharpnessOf(value(o.sharpness)));
    case 'hold':
      return pin(c, f.vertices, sharpnessOf(value(o.sharpness)));
    case 'flatten':
      return flatten(c, f.vertices, o.plane && { origin: v3(o.plane.origin), normal: v3(o.plane.normal) }, opt(o.along), value(o.share));
    case 'straighten':
      return straighten(c, f.vertices, o.even);
    case 'space':
      return spaceEvenly(c, f.vertices);
    case 'circle':
      return intoCircle(c, f.vertices);
    case 'calm':
      return relax(c, f.vertices, Math.min(200, Math.max(0, Math.round(value(o.rounds)))));
  }
}
/** Sharpness in a recipe: more than 10 is full. */
export const sharpnessOf = (s: number): number => (s > MOST_SHARP ? FULL : s);
