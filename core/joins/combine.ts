import {
  type Body,
  bodyBox,
  booleanByKernel,
  connectedFaces,
  type Face,
  inspect,
  massProperties,
  signedVolume,
  subBody,
  topologyOf,
} from '../brep/index.ts';
import type { Vec3 } from '../math/index.ts';
import type { CutContext } from './cut.ts';
import { type Imprint, imprintBodies } from './imprint.ts';
import { inBody, placeInFace } from './inside-body.ts';
import { combineSolids, groupsOf, type Unsplit } from './split.ts';

export type Combination = 'union' | 'subtract' | 'intersect' | 'picked';
/** A closed part of space between the faces of two solids: of the first alone, of both, or of the second alone. */
export interface CombineCell {
  readonly of: 'first' | 'both' | 'second';
  /** Faces of the shared body, and which of them look the other way there. */
  readonly faces: readonly number[];
  readonly at: Vec3;
  readonly volume: number;
}
export interface Combined {
  readonly ok: true;
  /** Solids; none when nothing is left. */
  readonly body: Body;
  /** Faces of both solids, divided where they meet; cells refer to them. Absent when the kernel combined them. */
  readonly parts?: { readonly body: Body; readonly cells: readonly CombineCell[]; readonly kept: ReadonlySet<number> };
  /** Why the kernel had to do it. */
  readonly kernel?: string;
  readonly touches: readonly Vec3[];
  readonly off: number;
}

/**
 * Union, difference or common part of two solids, or the cells between their faces that are kept (those at `places`). Faces are parted where
 * they meet and those stay that have a kept cell on one side only, so nothing is sewn. What cannot be told surely goes to the kernel.
 */
export async function combineBodiesAs(
  kind: Combination,
  first: Body,
  second: Body,
  places: readonly Vec3[],
  context: CutContext,
): Promise<Combined | Unsplit> {
  const own = ownCombination(kind, first, second, places, context);
  if (own.ok || kind === 'picked') return own;
  const body = await booleanByKernel(context.kernel, first, second, kind, context.tolerance, {
    signal: context.signal,
    limit: context.limit,
  });
  if (body.faces.length) {
    const g = inspect(body, { watertight: true, positiveVolume: true });
    if (!g.ok) return { ok: false, why: `${own.why}; the kernel's answer was not accepted: ${g.reasons.join('; ')}`, at: own.at };
  }
  return { ok: true, body, kernel: own.why, touches: [], off: 0 };
}

function ownCombination(kind: Combination, first: Body, second: Body, places: readonly Vec3[], context: CutContext): Combined | Unsplit {
  try {
    const r = imprintBodies(first, second, {
      fit: 0.005 * context.tolerance,
      name: context.stepId,
      pause: () => context.signal?.throwIfAborted(),
    });
    if (r.problems.length) return { ok: false, why: r.problems[0].what, at: r.problems[0].at };
    const loose = r.loose[0] ?? r.looseSecond[0];
    if (loose) return { ok: false, why: 'a curve of the meeting ends inside a face', at: loose };
    const inside = insideOther(r, first, second);
    if (!Array.isArray(inside)) return inside;
    const cells = cellsBetween(r, inside);
    const kept = new Set(cells.flatMap((c, i) => (keeps(kind, c) ? [i] : [])));
    if (kind === 'picked') for (const i of cellsAt(r, cells, places)) kept.add(i);
    const body = bounded(r, cells, inside, kept);
    if ('why' in body) return body;
    const expected = [...kept].reduce((s, i) => s + cells[i].volume, 0);
    const got = body.faces.length ? massProperties(body, undefined, true).volume : 0;
    const size = massProperties(first, undefined, true).volume + massProperties(second, undefined, true).volume;
    if (Math.abs(got - expected) > 1e-6 * size) return { ok: false, why: 'the parts do not add up' };
    return { ok: true, body, parts: { body: r.body, cells, kept }, touches: r.touches.map((t) => t.at), off: r.off };
  } catch (e) {
    if (context.signal?.aborted) throw e;
    return { ok: false, why: e instanceof Error ? e.message : String(e) };
  }
}
const keeps = (kind: Combination, c: CombineCell) =>
  kind === 'union' || (kind === 'subtract' && c.of === 'first') || (kind === 'intersect' && c.of === 'both');

/** For every face of the imprint: does it lie inside the other solid? Cuts tell it; faces without one are looked at by rays. */
function insideOther(r: Imprint, first: Body, second: Body): boolean[] | Unsplit {
  const out: boolean[] = [];
  for (const g of groupsOf(r)) {
    if (g.mixed) return { ok: false, why: 'a part lies on both sides of the other solid', at: placeInFace(r.body, g.faces[0]).point };
    const inside = g.side ? g.side < 0 : inBody(g.first ? second : first, placeInFace(r.body, g.faces[0]).point);
    for (const f of g.faces) out[f] = inside;
  }
  return out;
}
/** The cells, each with its boundary: what is inside the other solid stands in two of them. */
function cellsBetween(r: Imprint, inside: readonly boolean[]): CombineCell[] {
  const isFirst = (f: number) => r.parent[f] < r.first;
  const all = r.body.faces.map((_, i) => i);
  const classes: [CombineCell['of'], number[], (f: number) => boolean][] = [
    ['first', all.filter((f) => (isFirst(f) ? !inside[f] : inside[f])), (f) => !isFirst(f)],
    ['both', all.filter((f) => inside[f]), () => false],
    ['second', all.filter((f) => (isFirst(f) ? inside[f] : !inside[f])), (f) => isFirst(f)],
  ];
  return classes.flatMap(([of, faces, turned]): CombineCell[] => {
    if (!faces.length) return [];
    const body = turnedBody(r.body, faces, turned);
    const groups = connectedFaces(body).map((g) => ({ faces: g.map((k) => faces[k]), volume: signedVolume(body, g) }));
    // voids belong to the cell round them
    const outer = groups.filter((g) => g.volume > 0).map((g) => ({ ...g, faces: [...g.faces] }));
    for (const v of groups.filter((g) => g.volume <= 0)) {
      const at = placeInFace(r.body, v.faces[0]).point;
      const host = outer.length === 1 ? outer[0] : outer.find((g) => inBody(turnedBody(r.body, g.faces, turned), at));
      host?.faces.push(...v.faces);
    }
    return outer.map((g) => {
      const m = massProperties(turnedBody(r.body, g.faces, turned), undefined, true);
      const largest = g.faces.reduce((x, f) => (massProperties(r.body, [f], true).area > massProperties(r.body, [x], true).area ? f : x));
      return { of, faces: g.faces, at: placeInFace(r.body, largest).point, volume: m.volume };
    });
  });
}
const turnedBody = (b: Body, faces: readonly number[], turned: (f: number) => boolean): Body =>
  subBody({ ...b, faces: b.faces.map((f, i): Face => (turned(i) ? { ...f, reversed: !f.reversed } : f)) }, faces);

/** Cells whose own marks are nearest to the places. */
function cellsAt(r: Imprint, cells: readonly CombineCell[], places: readonly Vec3[]): Set<number> {
  const out = new Set<number>();
  for (const p of places) {
    const d = cells.map((c) => Math.hypot(c.at[0] - p[0], c.at[1] - p[1], c.at[2] - p[2]));
    const box = bodyBox(r.body);
    const least = Math.min(...d);
    if (least <= Math.hypot(...[0, 1, 2].map((k) => box.max[k] - box.min[k]))) out.add(d.indexOf(least));
  }
  return out;
}
/** The solids round kept cells: faces with a kept cell on one side only, looking away from it. */
function bounded(r: Imprint, cells: readonly CombineCell[], inside: readonly boolean[], kept: ReadonlySet<number>): Body | Unsplit {
  const at = (of: CombineCell['of'], face: number) => {
    const i = cells.findIndex((c) => c.of === of && c.faces.includes(face));
    return i >= 0 && kept.has(i);
  };
  const faces: number[] = [];
  const turned = new Set<number>();
  r.body.faces.forEach((_, f) => {
    const own = r.parent[f] < r.first ? 'first' : 'second';
    const other = own === 'first' ? 'second' : 'first';
    // behind the face lies its own solid; before it the other one, or nothing
    const behind = at(inside[f] ? 'both' : own, f);
    const before = inside[f] && at(other, f);
    if (behind === before) return;
    faces.push(f);
    if (before) turned.add(f);
  });
  if (!faces.length) return { vertices: [], edges: [], faces: [], shells: [], solids: [] };
  const body = turnedBody(r.body, faces, (f) => turned.has(f));
  const { crowded } = topologyOf(body);
  if (crowded.length)
    return { ok: false, why: 'kept parts meet along an edge only', at: body.vertices[body.edges[crowded[0]].start].point };
  return combineSolids([body]);
}
