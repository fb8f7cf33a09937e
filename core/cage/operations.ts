import type { Vec3 } from '../math/index.ts';
import { type Cage, FULL, MOST_SHARP, pointOf } from './cage.ts';
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
import { runOn, stopAt } from './junctions.ts';
import { bridgeFaces, duplicateFaces, insetFaces, refineAll, slide, splitOff, thicken } from './more-edits.ts';
import { named } from './operation-names.ts';
import { type Operation, withNumbers } from './operation-schema.ts';
import { refinePart } from './refine-part.ts';
import { sameFaces } from './shape.ts';
import { flatten, intoCircle, relax, spaceEvenly, straighten, transformVertices } from './shaping.ts';

export * from './operation-names.ts';
export * from './operation-schema.ts';

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
  /** How far the smooth surface stands off what it was, mm, where it was to stay. */
  readonly off?: number;
}
export interface Replayed {
  readonly cage: Cage;
  readonly outcomes: readonly OperationOutcome[];
}

/**
 * Operations one after the other over a start. One whose elements are gone in part goes on with the rest and says so; one that has lost all of
 * them, or whose outcome would be no cage, is passed over with its reason, and those behind it are still tried. `value` turns formulas into
 * numbers.
 */
export function replay(start: Cage, operations: readonly Operation[], value: (x: number | string) => number = Number): Replayed {
  const trail = trailOf(start);
  const list = operations.map((o) => withNumbers(o, value));
  const keys = list.map((o) => JSON.stringify(o));
  // what was done before in the same way is not done again: while something is dragged only the last operation changes
  let same = 0;
  while (same < keys.length && trail[same]?.key === keys[same]) same++;
  const before = trail.splice(same);
  for (let i = same; i < list.length; i++) {
    const r = one(i ? trail[i - 1].cage : start, list[i]);
    trail.push({ key: keys[i], ...r, cage: onShapeOf(r.cage, before[i - same]?.cage) });
  }
  return { cage: trail.at(-1)?.cage ?? start, outcomes: trail.map((t) => t.outcome) };
}
/**
 * The cage over the shape of another one that hangs together in the same way: whatever is known of that shape (how it is refined, what is
 * counted of it) is known of this one too, and its smooth surface is followed instead of made anew.
 */
function onShapeOf(c: Cage, like: Cage | undefined): Cage {
  if (!like || like.shape === c.shape || !sameFaces(like.shape, c.shape)) return c;
  const same = <T>(a: ArrayLike<T>, b: ArrayLike<T>): boolean => {
    if (a.length !== b.length) return false;
    for (let i = 0; i < a.length; i++) if (a[i] !== b[i]) return false;
    return true;
  };
  if (!same(like.sharpness, c.sharpness) || !same(like.pins, c.pins)) return c;
  if (!same(like.vertexNames, c.vertexNames) || !same(like.faceNames, c.faceNames)) return c;
  return { ...like, points: c.points };
}
interface Done {
  readonly key: string;
  readonly cage: Cage;
  readonly outcome: OperationOutcome;
}
const trails = new WeakMap<Cage, Done[]>();
function trailOf(start: Cage): Done[] {
  let t = trails.get(start);
  if (!t) {
    t = [];
    trails.set(start, t);
  }
  return t;
}
function one(cage: Cage, o: Operation): Omit<Done, 'key'> {
  const told = (state: OperationOutcome['state'], c = cage, message?: string, place?: Vec3[]) => ({
    cage: c,
    outcome: { id: o.id, state, faces: c.shape.faces, ...(message ? { message } : {}), ...(place ? { place } : {}) },
  });
  if (o.muted) return told('muted');
  const found = pick(cage, o);
  if (found.lost.length && !found.left) return told('lost', cage, `${lostWords(found.lost, found.asked)}: it changes nothing`);
  const r = apply(cage, o, found, Number);
  if (!r.ok)
    return told(
      'refused',
      cage,
      r.message,
      r.at.map((v): Vec3 => pointOf(cage.points, v)),
    );
  if ('off' in r && r.off !== undefined) {
    const done = told('fine', r.cage);
    return { ...done, outcome: { ...done.outcome, off: r.off } };
  }
  return found.lost.length ? told('part', r.cage, `${lostWords(found.lost, found.asked)}: it acts on the rest`) : told('fine', r.cage);
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
  const needed = o.op === 'bridge' || o.op === 'bridge-faces' || o.op === 'connect' ? 2 : 1;
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

function apply(c: Cage, o: Operation, f: Found, value: (x: number | string) => number): Edited & { readonly off?: number } {
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
      // a row of vertices: from each to the next
      const row = f.vertices.map((v) => c.vertexNames[v]);
      return oneByOne(c, f.vertices.slice(1), (now, v, k) => {
        const from = named(now).vertices.get(row[k]);
        return from === undefined ? { ok: true, cage: now } : connect(now, row.length > 2 ? `${o.id}.${k + 1}` : o.id, from, v);
      });
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
    case 'bridge-faces':
      return bridgeFaces(c, o.id, f.faces[0], f.faces[1], Math.round(value(o.turns)));
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
    case 'ring':
      return insetFaces(c, o.id, f.faces, value(o.share));
    case 'split-off':
      return splitOff(c, o.id, f.faces);
    case 'copy-faces':
      return duplicateFaces(c, o.id, f.faces, v3(o.by));
    case 'thicken':
      return thicken(c, o.id, value(o.by));
    case 'slide':
      return slide(c, f.edges, value(o.share));
    case 'refine-part':
      return refinePart(c, o.id, f.faces, MOST_FACES);
    case 'refine':
      return refineAll(c, o.id, MOST_FACES);
    case 'run-on':
    case 'stop':
      return oneByOne(c, f.vertices, (now, v, k) =>
        o.op === 'stop' ? stopAt(now, v) : runOn(now, f.vertices.length > 1 ? `${o.id}.${k + 1}` : o.id, v),
      );
    case 'calm':
      return relax(c, f.vertices, Math.min(200, Math.max(0, Math.round(value(o.rounds)))));
  }
}
/** An edit of each vertex in turn, found again by its name in what the ones before it made. */
function oneByOne(c: Cage, vertices: readonly number[], edit: (now: Cage, v: number, k: number) => Edited): Edited {
  let now: Edited = { ok: true, cage: c };
  for (let k = 0; k < vertices.length && now.ok; k++) {
    const v = named(now.cage).vertices.get(c.vertexNames[vertices[k]]);
    if (v !== undefined) now = edit(now.cage, v, k);
  }
  return now;
}
/** Most faces a cage is refined to. */
const MOST_FACES = 50_000;
/** Sharpness in a recipe: more than 10 is full. */
export const sharpnessOf = (s: number): number => (s > MOST_SHARP ? FULL : s);
