import {
  areaVector,
  type Cage,
  cageFromArrays,
  edgeLoop,
  edgeName,
  edgeRing,
  endOf,
  faceLoop,
  falloff,
  fanOf,
  grown,
  grownFaces,
  isBorderEdge,
  named,
  type Operation,
  operationsSchema,
  originalEdgeOf,
  originalOf,
  pointOf,
  shrunk,
  shrunkFaces,
} from '@ample-skin/core/cage';
import { add, cross, dot, type Frame, length, scale, sub, unit, type Vec3, WORLD } from '@ample-skin/core/math';
import { metaOf, pieceKey } from '@ample-skin/core/recipe';
import { TOOLS } from '@ample-skin/core/tools';
import type { CageView } from '@ample-skin/engine';
import type { z } from 'zod';
import { defaultOf, endPreview, keepDraft, openStep, setParams } from '../state/draft.ts';
import { type CageKind, type Caging, getStudio, setStudio, stepOf } from '../state/state.ts';
import type { MoverPart } from '../view/handles.ts';
import { frameOfStep } from './drawing.ts';
import { moverAxes, tidy } from './handle-values.ts';

export const NO_CAGING: Caging = { kind: 'vertex', chosen: [], axes: 'world', radius: 0 };
export const cagingNow = (): Caging => getStudio().caging ?? NO_CAGING;

/** A cage that is being edited: the step, its operations, and the cage as the engine last made it, with what is mirrored. */
export interface OpenCage {
  readonly step: string;
  readonly key: string;
  readonly operations: readonly Operation[];
  readonly cage: Cage;
  /** Piece whose faces are picked in the view. */
  readonly piece: string;
  readonly frame: Frame;
}
const cages = new WeakMap<CageView, Cage | null>();
export const cageOf = (v: CageView): Cage | undefined => {
  let c = cages.get(v);
  if (c === undefined) {
    c = cageFromArrays(v) ?? null;
    cages.set(v, c);
  }
  return c ?? undefined;
};
const lists = new WeakMap<object, Operation[] | null>();
/** Operations as saved, when they are some: recipes written by hand may hold anything. */
export function readableOperations(value: unknown): readonly Operation[] | undefined {
  if (!value || typeof value !== 'object') return undefined;
  let l = lists.get(value);
  if (l === undefined) {
    const r = operationsSchema.safeParse(value);
    l = r.success ? r.data : null;
    lists.set(value, l);
  }
  return l ?? undefined;
}
/** The cage of the open step, when its tool edits one. */
export function openCage(): OpenCage | undefined {
  const s = getStudio();
  const step = stepOf(s.open);
  const tool = step && TOOLS.get(step.tool);
  const key =
    tool && Object.entries(tool.params.shape as Record<string, z.ZodType>).find(([, f]) => metaOf(f).control === 'operations')?.[0];
  if (!step || !key || step.muted) return undefined;
  const operations = readableOperations(step.params[key] ?? defaultOf(step.tool, key));
  const piece = s.pieces.get(pieceKey(step.id, 'main'));
  const display = piece?.display;
  const cage = display?.kind === 'body' && display.cage ? cageOf(display.cage) : undefined;
  if (!operations || !cage || !piece) return undefined;
  return { step: step.id, key, operations, cage, piece: piece.key, frame: frameOfStep(step.id) };
}

/** Name of an edge or face or vertex on the side of the mirror that is edited; without a mirror its own. */
export const onHalf = (c: Cage | undefined, kind: CageKind, name: string): string =>
  !c ? name : kind === 'edge' ? originalEdgeOf(c, name) : originalOf(c, name);

/** Indices of what is chosen, those that are still there. */
export function chosenIndices(c: Cage, k: Caging): number[] {
  const by = named(c)[k.kind === 'vertex' ? 'vertices' : k.kind === 'edge' ? 'edges' : 'faces'];
  return k.chosen.flatMap((n) => by.get(n) ?? []);
}
const endsOf = (c: Cage, e: number): [number, number] => {
  const h = c.shape.edgeHalf[e];
  return [c.shape.corners[h], endOf(c.shape, h)];
};
const faceVertices = (c: Cage, f: number): number[] => [...c.shape.corners.subarray(c.shape.faceStart[f], c.shape.faceStart[f + 1])];
/** Vertices of what is chosen. */
export function chosenVertices(c: Cage, k: Caging): number[] {
  const list = chosenIndices(c, k);
  if (k.kind === 'vertex') return list;
  return [...new Set(list.flatMap((i) => (k.kind === 'edge' ? endsOf(c, i) : faceVertices(c, i))))];
}

/** Axes and middle of the mover. Normal: z along the mean normal; element: x along the first edge, or the first side of the first face. */
export function moverFrame(o: OpenCage, k: Caging): Frame | undefined {
  const vertices = chosenVertices(o.cage, k);
  if (!vertices.length) return undefined;
  const c = o.cage;
  const origin = scale(vertices.map((v) => pointOf(c.points, v)).reduce(add, [0, 0, 0] as Vec3), 1 / vertices.length);
  if (k.axes === 'world') return { ...WORLD, origin };
  if (k.axes === 'plane') return { ...o.frame, origin };
  const faces =
    k.kind === 'face' ? chosenIndices(c, k) : [...new Set(vertices.flatMap((v) => fanOf(c.shape, v).map((h) => c.shape.face[h])))];
  const sum = faces.map((f) => areaVector(c, f)).reduce(add, [0, 0, 0] as Vec3);
  const z: Vec3 = length(sum) > 1e-12 ? unit(sum) : [0, 0, 1];
  let along: Vec3 = Math.abs(z[0]) < 0.9 ? [1, 0, 0] : [0, 1, 0];
  if (k.axes === 'element') {
    const first = chosenIndices(c, k)[0];
    const side = k.kind === 'edge' ? endsOf(c, first) : k.kind === 'face' ? faceVertices(c, first).slice(0, 2) : undefined;
    if (side) along = sub(pointOf(c.points, side[1]), pointOf(c.points, side[0]));
  }
  const flat = sub(along, scale(z, dot(along, z)));
  const x = length(flat) > 1e-9 ? unit(flat) : unit(cross(z, [z[1], z[2], z[0]]));
  return { origin, x, y: cross(z, x), z };
}

/** How much of the motion each vertex takes, where a radius is set. */
export function softShares(c: Cage, k: Caging): Float64Array | undefined {
  const vertices = chosenVertices(c, k);
  return k.radius > 0 && vertices.length ? falloff(c.shape, c.points, vertices, k.radius) : undefined;
}

/** An id that no operation of the list has. */
export function freshOperation(list: readonly Operation[]): string {
  const used = new Set(list.map((o) => o.id));
  let n = list.length + 1;
  while (used.has(`k${n}`)) n++;
  return `k${n}`;
}
type Move = Extract<Operation, { op: 'move' }>;
const sameAxes = (a: Move['frame'], b: Move['frame']): boolean => JSON.stringify(a) === JSON.stringify(b);
const plain = (v: readonly (number | string)[] | undefined): v is [number, number, number] => !v || v.every((x) => typeof x === 'number');

/**
 * The operations with a motion of what is chosen added to them: into the last one where that moved the same in the same axes, else as one more.
 * `part` tells what was dragged, `by` how far along the axes of the frame, or the degrees.
 */
export function withMotion(o: OpenCage, k: Caging, frame: Frame, by: Vec3, turn?: { axis: 0 | 1 | 2; degrees: number }): Operation[] {
  const vertices = chosenVertices(o.cage, k).map((v) => o.cage.vertexNames[v]);
  const axes = k.axes === 'world' ? undefined : { x: [...frame.x] as Vec3, y: [...frame.y] as Vec3, z: [...frame.z] as Vec3 };
  const last = o.operations.at(-1);
  const same =
    last?.op === 'move' &&
    !last.muted &&
    !last.scale &&
    !last.pivot &&
    plain(last.by) &&
    plain(last.turn) &&
    (last.radius ?? 0) === k.radius &&
    last.vertices.length === vertices.length &&
    last.vertices.every((n, i) => n === vertices[i]);
  const turned = same ? ((last.turn as Vec3 | undefined) ?? [0, 0, 0]) : [0, 0, 0];
  const others = turn && turned.some((x, i) => x !== 0 && i !== turn.axis);
  // axes that follow the elements turn with them: they go on along the ones they began with only while nothing was turned
  if (same && !others && (sameAxes(last.frame as never, axes as never) || (k.axes !== 'world' && !turn && !last.turn && last.frame))) {
    const f = (last.frame as Move['frame']) ?? { x: [1, 0, 0], y: [0, 1, 0], z: [0, 0, 1] };
    const [x, y, z] = [f.x, f.y, f.z] as unknown as [Vec3, Vec3, Vec3];
    const world = [0, 1, 2].map((i) => by[0] * frame.x[i] + by[1] * frame.y[i] + by[2] * frame.z[i]) as unknown as Vec3;
    const was = (last.by as Vec3 | undefined) ?? [0, 0, 0];
    const moved = [x, y, z].map((a, i) => tidy(was[i] + dot(world, a), 4)) as unknown as Vec3;
    const next: Move = {
      ...last,
      ...(moved.some((v) => v !== 0) ? { by: [...moved] as [number, number, number] } : { by: undefined }),
      ...(turn ? { turn: turned.map((v, i) => (i === turn.axis ? tidy(v + turn.degrees, 3) : v)) as [number, number, number] } : {}),
    };
    if (!next.by) delete (next as { by?: unknown }).by;
    return [...o.operations.slice(0, -1), next];
  }
  const made: Move = { id: freshOperation(o.operations), op: 'move', vertices };
  return [
    ...o.operations,
    {
      ...made,
      ...(by.some((v) => v !== 0) ? { by: by.map((v) => tidy(v, 4)) as [number, number, number] } : {}),
      ...(turn ? { turn: [0, 1, 2].map((i) => (i === turn.axis ? tidy(turn.degrees, 3) : 0)) as [number, number, number] } : {}),
      ...(axes ? { frame: axes as never } : {}),
      ...(k.radius > 0 ? { radius: k.radius } : {}),
    },
  ];
}
/** The displacement of one grip of the mover as a motion. */
export const gripMotion = (part: MoverPart, d: Vec3): Vec3 => {
  const axes = moverAxes(part);
  return [0, 1, 2].map((i) => (axes.includes(i as 0) ? d[i] : 0)) as unknown as Vec3;
};

/** Puts operations into the open step. A step that is still in the making is kept first, so that each gesture can be undone by itself. */
export function putOperations(step: string, key: string, list: readonly Operation[], preview = false): void {
  settle(step);
  setParams(step, { [key]: list }, preview);
}
function settle(step: string): void {
  if (getStudio().draft?.step.id !== step) return;
  const { caging } = getStudio();
  keepDraft();
  openStep(step);
  setStudio({ caging });
}
export function endOperations(step: string, key: string, before: readonly Operation[], after: readonly Operation[]): void {
  endPreview(step, key, before, after);
}

/** Chooses by name, on the side that is edited; with `more` it is added, or taken out again. */
export function chooseCage(kind: CageKind, names: readonly string[], more: boolean): void {
  const k = cagingNow();
  const c = openCage()?.cage;
  const own = [...new Set(names.map((n) => onHalf(c, kind, n)))];
  const had = k.kind === kind && more ? k.chosen : [];
  const all = own.every((n) => had.includes(n));
  const chosen = all && more ? had.filter((n) => !own.includes(n)) : [...had, ...own.filter((n) => !had.includes(n))];
  setStudio({ caging: { ...k, kind, chosen } });
}
/** The same elements told as another kind: vertices of faces, edges between chosen vertices, faces all of whose vertices are chosen. */
export function asKind(c: Cage, k: Caging, kind: CageKind): Caging {
  if (kind === k.kind) return k;
  const own = new Set(chosenVertices(c, k));
  const names =
    kind === 'vertex'
      ? [...own].map((v) => c.vertexNames[v])
      : kind === 'edge'
        ? Array.from({ length: c.shape.edges }, (_, e) => e)
            .filter((e) => endsOf(c, e).every((v) => own.has(v)))
            .map((e) => edgeName(c, e))
        : c.faceNames.filter((_, f) => faceVertices(c, f).every((v) => own.has(v)));
  return { ...k, kind, chosen: [...new Set(names.map((n) => onHalf(c, kind, n)))] };
}

export type Widening = 'loop' | 'ring' | 'grow' | 'shrink' | 'connected' | 'all' | 'none' | 'invert';
/** What a way of widening makes of a choice. */
export function widened(c: Cage, k: Caging, way: Widening): string[] {
  const { shape: s } = c;
  const list = chosenIndices(c, k);
  const names =
    k.kind === 'vertex' ? c.vertexNames : k.kind === 'face' ? c.faceNames : Array.from({ length: s.edges }, (_, e) => edgeName(c, e));
  const tell = (found: Iterable<number>) => [...new Set([...found].map((i) => onHalf(c, k.kind, names[i])))];
  if (way === 'none') return [];
  if (way === 'all') return tell(names.keys());
  if (way === 'invert') {
    const own = new Set(k.chosen);
    return tell(names.keys()).filter((n) => !own.has(n));
  }
  if (way === 'grow' || way === 'shrink') {
    if (k.kind === 'face') return tell(way === 'grow' ? grownFaces(s, list) : shrunkFaces(s, list));
    const vertices = way === 'grow' ? grown(s, chosenVertices(c, k)) : shrunk(s, chosenVertices(c, k));
    if (k.kind === 'vertex') return tell(vertices);
    const own = new Set(vertices);
    return tell(Array.from({ length: s.edges }, (_, e) => e).filter((e) => endsOf(c, e).every((v) => own.has(v))));
  }
  if (way === 'connected') {
    const seen = new Set(chosenVertices(c, k));
    const queue = [...seen];
    for (let v = queue.pop(); v !== undefined; v = queue.pop())
      for (const h of fanOf(s, v))
        for (const w of faceVertices(c, s.face[h]))
          if (!seen.has(w)) {
            seen.add(w);
            queue.push(w);
          }
    return asKind(c, { ...k, kind: 'vertex', chosen: [...seen].map((v) => c.vertexNames[v]) }, k.kind).chosen.slice();
  }
  // loops and rings of edges; of vertices by the edges between them, of faces by the two last ones
  if (k.kind === 'face') {
    const [a, b] = list.slice(-2);
    const between = b === undefined ? -1 : Array.from({ length: s.edges }, (_, e) => e).find((e) => sharesEdge(c, e, a, b));
    if (between === undefined || between < 0) return [...k.chosen];
    return tell(faceLoop(s, between));
  }
  const edges =
    k.kind === 'edge' ? list : Array.from({ length: s.edges }, (_, e) => e).filter((e) => endsOf(c, e).every((v) => list.includes(v)));
  const found = edges.flatMap((e) => (way === 'loop' ? edgeLoop(s, e) : edgeRing(s, e)).halves.map((h) => s.edgeOf[h]));
  if (k.kind === 'edge') return tell([...list, ...found]);
  return tell([...list, ...found.flatMap((e) => endsOf(c, e))]);
}
const sharesEdge = (c: Cage, e: number, a: number, b: number): boolean => {
  const h = c.shape.edgeHalf[e];
  const t = c.shape.twin[h];
  return t >= 0 && [c.shape.face[h], c.shape.face[t]].sort().join() === [a, b].sort().join();
};

export interface Offer {
  readonly label: string;
  readonly hint: string;
  readonly make: (id: string) => Operation;
}
/** Operations that what is chosen can take. */
export function cageOffers(c: Cage, k: Caging): Offer[] {
  const list = chosenIndices(c, k);
  if (!list.length) return [];
  const vertices = chosenVertices(c, k).map((v) => c.vertexNames[v]);
  const names = [...k.chosen];
  const out: Offer[] = [];
  const offer = (label: string, hint: string, make: (id: string) => Operation) => out.push({ label, hint, make });
  const mean = meanEdge(c);
  const step = Number((mean / 2).toPrecision(2));
  if (k.kind === 'face') {
    offer('Extrude', 'Out along their normals, as one', (id) => ({ id, op: 'extrude-faces', faces: names, by: step }));
    offer('Refine', 'Four faces for each; how far the smooth surface changes is told', (id) => ({ id, op: 'refine-part', faces: names }));
    offer('Ring inside', 'A ring of quads round them, within', (id) => ({ id, op: 'ring', faces: names, share: 0.3 }));
    offer('Split off', 'They get a border of their own', (id) => ({ id, op: 'split-off', faces: names }));
    offer('Copy', 'Once more, beside', (id) => ({ id, op: 'copy-faces', faces: names, by: [0, 0, Number((2 * step).toPrecision(2))] }));
    if (list.length === 2)
      offer('Way through', 'Both are taken away, and the holes joined', (id) => ({ id, op: 'bridge-faces', faces: names, turns: 0 }));
    offer('Take away', 'Leaves a hole', (id) => ({ id, op: 'remove', faces: names }));
  }
  if (k.kind === 'edge') {
    const open = list.every((e) => isBorderEdge(c.shape, e));
    if (open) {
      const out3 = outwards(c, list, step);
      offer('Draw out', 'New faces along the border, moved by what follows', (id) => ({ id, op: 'extrude-edges', edges: names, by: out3 }));
      offer('Fill', 'A face over the border this edge stands in', (id) => ({ id, op: 'fill', edge: names[0] }));
    }
    if (open && list.length === 2)
      offer('Bridge', 'Faces between the two borders', (id) => ({ id, op: 'bridge', from: names[0], to: names[1], turns: 0 }));
    offer('Slide', 'The row across its faces, to its left or right', (id) => ({ id, op: 'slide', edges: names, share: 0.25 }));
    offer('Insert loop', 'Across the edge, all the way round', (id) => ({ id, op: 'insert-loop', edge: names[0], shares: [0.5] }));
    offer('Crease', 'Fully sharp; lower numbers are softer', (id) => ({ id, op: 'crease', edges: names, sharpness: 11 }));
    offer('Smooth', 'No crease', (id) => ({ id, op: 'crease', edges: names, sharpness: 0 }));
    offer('Dissolve', 'The faces on both sides become one', (id) => ({ id, op: 'dissolve-edges', edges: names, heal: true }));
  }
  if (k.kind === 'vertex') {
    if (list.length > 1) {
      offer('Connect', 'New edges from each to the next', (id) => ({ id, op: 'connect', vertices: names }));
      offer('Weld', 'All become one, in their middle', (id) => ({ id, op: 'weld', groups: [names], place: 'middle' }));
    }
    offer('Dissolve', 'The faces around become one', (id) => ({ id, op: 'dissolve-vertices', vertices: names }));
    offer('Hold', 'Stays a corner of the smooth surface', (id) => ({ id, op: 'hold', vertices: names, sharpness: 11 }));
    offer('Let go', 'No corner any more', (id) => ({ id, op: 'hold', vertices: names, sharpness: 0 }));
    offer('Run on', 'The edge that ends here goes on to the border', (id) => ({ id, op: 'run-on', vertices: names }));
    offer('Stop', 'The corner is made straight', (id) => ({ id, op: 'stop', vertices: names }));
  }
  if (vertices.length > 2) {
    offer('Flatten', 'Into the plane they lie nearest to', (id) => ({ id, op: 'flatten', vertices, share: 1 }));
    if (k.kind !== 'face') {
      offer('Straighten', 'A row onto the line between its ends', (id) => ({ id, op: 'straighten', vertices, even: false }));
      offer('Space evenly', 'A row along itself', (id) => ({ id, op: 'space', vertices }));
    }
    offer('Into a circle', 'A closed row', (id) => ({ id, op: 'circle', vertices }));
  }
  offer('Scale', 'About their middle, by shares', (id) => ({ id, op: 'move', vertices, scale: [1.2, 1.2, 1.2] }));
  offer('Calm', 'Even, without losing the shape', (id) => ({ id, op: 'calm', vertices, rounds: 5 }));
  return out;
}
/** What can be done with all of a cage. */
export function wholeOffers(c: Cage): Offer[] {
  const open = Array.from({ length: c.shape.edges }, (_, e) => e).some((e) => isBorderEdge(c.shape, e));
  const by = -Number((meanEdge(c) / 4).toPrecision(2));
  return [
    ...(open
      ? [
          {
            label: 'Thicken',
            hint: 'A wall: the faces once more, behind them',
            make: (id: string): Operation => ({ id, op: 'thicken', by }),
          },
        ]
      : []),
    {
      label: 'Refine',
      hint: 'Four faces for each; the smooth surface stays exactly as it is',
      make: (id: string): Operation => ({ id, op: 'refine' }),
    },
  ];
}
function meanEdge(c: Cage): number {
  let sum = 0;
  const n = Math.min(c.shape.edges, 2000);
  for (let e = 0; e < n; e++) {
    const [a, b] = endsOf(c, e);
    sum += length(sub(pointOf(c.points, a), pointOf(c.points, b)));
  }
  return n ? sum / n : 1;
}
/** Away from the faces at border edges, in their planes. */
function outwards(c: Cage, edges: readonly number[], by: number): [number, number, number] {
  const sum = edges
    .map((e): Vec3 => {
      const h = c.shape.edgeHalf[e];
      const [a, b] = [pointOf(c.points, c.shape.corners[h]), pointOf(c.points, endOf(c.shape, h))];
      return cross(sub(b, a), unit(areaVector(c, c.shape.face[h])));
    })
    .reduce(add, [0, 0, 0] as Vec3);
  const l = length(sum);
  return (l > 1e-9 ? scale(sum, by / l) : [0, 0, by]).map((x) => tidy(x, 3)) as [number, number, number];
}
