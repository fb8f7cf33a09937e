import {
  type Body,
  bodyBox,
  combineBodies,
  connectedFaces,
  type EdgeUse,
  edgePoint,
  type Face,
  faceNormal,
  flipBody,
  isWatertight,
  makeSolid,
  subBody,
  topologyOf,
  useUV,
} from '../brep/index.ts';
import { boxSize, cross, DEG, dot, formatNumber, sub, type Vec3 } from '../math/index.ts';
import { offsetFaces } from '../skins/index.ts';
import { BLOCK, blockRound } from './block-round.ts';
import { extendSkin } from './cutters.ts';
import { imprintBodies } from './imprint.ts';
import { inBody, placeInFace } from './inside-body.ts';
import { groupsOf } from './split.ts';

export type HollowOutcome =
  | { readonly ok: true; readonly body: Body; readonly deviation: number }
  | { readonly ok: false; readonly message: string; readonly place?: Vec3 };
export interface HollowContext {
  readonly stepId: string;
  readonly tolerance: number;
  readonly signal?: AbortSignal;
}

/** Where a wall grows from the skin of the solid. */
export type WallSide = 'in' | 'out' | 'both';
type Bound = { readonly ok: true; readonly body: Body; readonly deviation: number } | (HollowOutcome & { ok: false });

/**
 * Gives a solid walls of its own per face, without the kernel; faces that meet smoothly must have equal walls. Inwards: the faces with a
 * wall are offset, carried on beyond their rims and imprinted with the skin of the solid; what lies within all of them is the hollow.
 * Outwards: what of a block round the solid lies within all offset faces and the open ones is the outside, and the solid its hollow; `both`
 * takes half a wall each way. The faces of the hollow, turned over, and the outer faces make the shell; open faces become the ring between.
 *
 * @param walls thickness per face in mm; 0 for open faces
 */
export function hollow(solid: Body, walls: readonly number[], context: HollowContext, side: WallSide = 'in'): HollowOutcome {
  const each = side === 'both' ? walls.map((w) => w / 2) : walls;
  const inner = side === 'out' ? undefined : cavityOf(solid, each, context);
  if (inner?.ok === false) return inner;
  if (inner && side === 'in') return assemble(solid, walls, inner.body, inner.deviation);
  const outside = outsideOf(solid, each, context);
  if (!outside.ok) return outside;
  // open faces of the hollow lie in those of the outside and become holes there
  const open = new Set(solid.faces.filter((_, i) => !walls[i]).map((f) => f.name));
  const outer = outside.body.faces.map((f) => (open.has(f.name) ? 0 : 1));
  return assemble(outside.body, outer, inner?.body ?? { ...solid, solids: [] }, Math.max(outside.deviation, inner?.deviation ?? 0));
}
function cavityOf(solid: Body, walls: readonly number[], context: HollowContext): Bound {
  const groups = smoothGroups(solid, walls);
  if ('message' in groups) return { ok: false, ...groups };
  let body: Body = { ...solid, solids: [] };
  let deviation = 0;
  for (const g of groups.list) {
    context.signal?.throwIfAborted();
    const sheet = offsetFaces(solid, g, -walls[g[0]], 0.05 * context.tolerance);
    deviation = Math.max(deviation, sheet.deviation);
    if (sheet.deviation > context.tolerance) return { ok: false, ...tornAt(solid, g, sheet.deviation) };
    const grown = extendSkin(sheet.body, 0.25 * boxSize(bodyBox(solid)), 'linear') ?? sheet.body;
    const names = new Set(g.map((i) => solid.faces[i].name));
    const next = within(body, grown, names, `the inner side of ${solid.faces[g[0]].name}`, context);
    if ('message' in next) return { ok: false, ...next };
    body = next;
  }
  return { ok: true, body, deviation };
}
/** The outside of walls that grow outwards. Where faces meet in an inner corner the carried-on sheets run into the solid: refused with the place. */
function outsideOf(solid: Body, walls: readonly number[], context: HollowContext): Bound {
  const groups = smoothGroups(solid, walls);
  if ('message' in groups) return { ok: false, ...groups };
  const corner = innerCorner(solid);
  if (corner) return { ok: false, message: 'faces meet in an inner corner here', place: corner };
  if (solid.shells.length > 1) return { ok: false, message: 'the solid is hollow already' };
  const thickest = Math.max(...walls);
  const size = boxSize(bodyBox(solid));
  let body = blockRound(solid, 1.5 * thickest + 0.02 * size);
  let deviation = 0;
  const open = solid.faces.flatMap((_, i) => (walls[i] ? [] : [[i]]));
  for (const g of [...groups.list, ...open]) {
    context.signal?.throwIfAborted();
    const wall = walls[g[0]];
    const sheet = wall ? offsetFaces(solid, g, wall, 0.05 * context.tolerance) : { body: subBody(solid, g), deviation: 0 };
    deviation = Math.max(deviation, sheet.deviation);
    if (sheet.deviation > context.tolerance) return { ok: false, ...tornAt(solid, g, sheet.deviation) };
    const named = { ...sheet.body, faces: sheet.body.faces.map((f, k) => (wall ? { ...f, name: `${solid.faces[g[k]].name}.outer` } : f)) };
    if (isWatertight(named)) return { ok: true, body: { ...named, solids: [] }, deviation };
    const grown = extendSkin(named, 0.25 * size + 3 * thickest, 'linear') ?? named;
    const next = within(body, grown, new Set(), `the ${wall ? 'outer side of' : 'open face'} ${solid.faces[g[0]].name}`, context);
    if ('message' in next) return { ok: false, ...next };
    body = next;
  }
  const left = body.faces.findIndex((f) => f.name.startsWith(BLOCK));
  if (left >= 0) return { ok: false, message: 'the outer faces do not meet all round', place: placeInFace(body, left).point };
  return { ok: true, body, deviation };
}
/** A place on an edge at which the outside makes less than a half turn: an inner corner; undefined when all edges are outer ones or smooth. */
function innerCorner(b: Body): Vec3 | undefined {
  const { uses, seams } = topologyOf(b);
  for (const e of seams) {
    const [x, y] = uses[e];
    if (b.edges[e].degenerate) continue;
    const [a, z] = b.edges[e].range;
    for (const k of [0.15, 0.5, 0.85]) {
      const t = a + (z - a) * k;
      const normal = (r: typeof x) => faceNormal(b.faces[r.face], ...useUV(b.faces[r.face], r.use, t));
      const [n, m] = [normal(x), normal(y)];
      if (dot(n, m) > Math.cos(0.5 * DEG)) continue;
      // into the face x, seen along its loop: its border runs with the face on the left of the outside normal
      const [p, q] = [edgePoint(b.edges[e], t - 1e-4 * (z - a)), edgePoint(b.edges[e], t + 1e-4 * (z - a))];
      const along = x.use.reversed !== b.faces[x.face].reversed ? sub(p, q) : sub(q, p);
      const into = cross(n, along);
      if (dot(into, m) > 0) return edgePoint(b.edges[e], t);
    }
  }
  return undefined;
}

/** Why an offset missed its distance: most often a crease along the seam of a closed face. */
function tornAt(b: Body, faces: readonly number[], off: number): { message: string; place: Vec3 } {
  let worst = { angle: 0, at: placeInFace(b, faces[0]).point };
  const { uses } = topologyOf(b);
  for (const e of new Set(faces.flatMap((f) => b.faces[f].loops.flat().map((u) => u.edge)))) {
    const own = uses[e].filter((x) => faces.includes(x.face));
    if (own.length !== 2 || b.edges[e].degenerate) continue;
    const [a, z] = b.edges[e].range;
    for (const k of [0.01, 0.25, 0.5, 0.75, 0.99]) {
      const t = a + (z - a) * k;
      const [m, n] = own.map((x) => faceNormal(b.faces[x.face], ...useUV(b.faces[x.face], x.use, t)));
      const angle = Math.acos(Math.min(1, dot(m, n)));
      if (angle > worst.angle) worst = { angle, at: edgePoint(b.edges[e], t) };
    }
  }
  return {
    message: `the offset of ${b.faces[faces[0]].name} misses its distance by ${formatNumber(off, 4)} mm${worst.angle > 1e-4 ? `: a crease of ${formatNumber(worst.angle / DEG, 2)}° runs along its seam here. Make the seam smooth` : ''}`,
    place: worst.at,
  };
}

/** What of a closed skin lies within a sheet: the sheet's part inside it takes the place of the faces named `walled` and what lies beyond. */
function within(
  cavity: Body,
  sheet: Body,
  walled: ReadonlySet<string>,
  label: string,
  context: HollowContext,
): Body | { message: string; place?: Vec3 } {
  const r = imprintBodies(cavity, sheet, {
    fit: 0.005 * context.tolerance,
    name: context.stepId,
    // a face and its own offset do not meet
    skip: (f, q) => q.name === `${f.name}.inner` || q.name.startsWith(`${f.name}.inner.`),
    pause: () => context.signal?.throwIfAborted(),
  });
  if (r.problems.length) return { message: r.problems[0].what, place: r.problems[0].at };
  if (r.loose.length) return { message: `${label} does not part the solid`, place: r.loose[0] };
  const kept: number[] = [];
  let own = 0;
  for (const g of groupsOf(r)) {
    const outer = g.first && g.faces.some((f) => walled.has(r.body.faces[f].name));
    if (outer) continue;
    if (g.mixed) return { message: 'a part of the hollow lies on both sides of a wall', place: placeInFace(r.body, g.faces[0]).point };
    const inside = g.side ? g.side < 0 : g.first || inBody(cavity, placeInFace(r.body, g.faces[0]).point);
    if (!inside) continue;
    if (!g.first) own++;
    kept.push(...g.faces);
  }
  if (!own) return { message: `nothing is left within ${label}` };
  const next = subBody(r.body, kept);
  const { rims, crowded } = topologyOf(next);
  const open = rims[0] ?? crowded[0];
  if (open !== undefined) return { message: `${label} does not part the solid`, place: next.vertices[next.edges[open].start].point };
  const parts = connectedFaces(next);
  if (parts.length > 1)
    return { message: 'the wall divides the inside into several hollows here', place: placeInFace(next, parts[1][0]).point };
  return next;
}

/** Faces with a wall, gathered over smooth seams. */
function smoothGroups(b: Body, walls: readonly number[]): { list: number[][] } | { message: string; place: Vec3 } {
  const group = b.faces.map((_, i) => i);
  const find = (i: number): number => (group[i] === i ? i : (group[i] = find(group[i])));
  const { uses, seams } = topologyOf(b);
  for (const e of seams) {
    const [x, y] = uses[e];
    if (x.face === y.face || !walls[x.face] || !walls[y.face]) continue;
    const [a, z] = b.edges[e].range;
    const t = (a + z) / 2;
    const normal = (r: typeof x) => faceNormal(b.faces[r.face], ...useUV(b.faces[r.face], r.use, t));
    if (dot(normal(x), normal(y)) < Math.cos(0.5 * DEG)) continue;
    if (Math.abs(walls[x.face] - walls[y.face]) > 1e-9)
      return {
        message: `two faces meet smoothly here but have walls of ${formatNumber(walls[x.face])} and ${formatNumber(walls[y.face])} mm: give them the same wall`,
        place: edgePoint(b.edges[e], t),
      };
    group[find(x.face)] = find(y.face);
  }
  const lists = new Map<number, number[]>();
  b.faces.forEach((_, i) => {
    if (walls[i]) lists.set(find(i), [...(lists.get(find(i)) ?? []), i]);
  });
  return { list: [...lists.values()] };
}

function assemble(solid: Body, walls: readonly number[], cavity: Body, deviation: number): HollowOutcome {
  const open = solid.faces.map((_, i) => i).filter((i) => !walls[i]);
  const openNames = new Map(open.map((i) => [solid.faces[i].name, i]));
  const outer = subBody(
    solid,
    solid.faces.map((_, i) => i),
  );
  const all = combineBodies([outer, flipBody({ ...cavity, solids: [], shells: [] })]);
  const faces: Face[] = [];
  const rings = new Map<number, EdgeUse[][]>();
  // inner faces; those that lie on an open face become holes in it
  all.faces.slice(outer.faces.length).forEach((f) => {
    const host = openNames.get(f.name);
    if (host === undefined) faces.push(f);
    else
      rings.set(host, [
        ...(rings.get(host) ?? []),
        ...f.loops.map((l) => l.map((u): EdgeUse => ({ ...u, reversed: !u.reversed })).reverse()),
      ]);
  });
  for (let i = 0; i < outer.faces.length; i++) {
    const f = all.faces[i];
    const holes = rings.get(i);
    if (!walls[i] && !holes) return { ok: false, message: `the hollow does not reach the open face ${f.name}` };
    faces.push(holes ? { ...f, loops: [...f.loops, ...holes] } : f);
  }
  const made = makeSolid(
    subBody(
      { ...all, faces, shells: [], solids: [] },
      faces.map((_, i) => i),
    ),
  );
  if (!made.ok) return { ok: false, message: made.message, place: made.place };
  return { ok: true, body: made.body, deviation };
}
