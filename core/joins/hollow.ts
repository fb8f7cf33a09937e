import {
  type Body,
  bodyBox,
  combineBodies,
  type EdgeUse,
  edgePoint,
  type Face,
  faceNormal,
  flipBody,
  makeSolid,
  renameFaces,
  subBody,
  topologyOf,
  useUV,
} from '../brep/index.ts';
import { boxSize, DEG, dot, formatNumber, type Vec3 } from '../math/index.ts';
import { offsetFaces } from '../skins/index.ts';
import type { CutContext } from './cut.ts';
import { cutAndKeep } from './cut.ts';
import { extendSkin } from './cutters.ts';

export type HollowOutcome =
  | { readonly ok: true; readonly body: Body; readonly deviation: number }
  | { readonly ok: false; readonly message: string; readonly place?: Vec3 };

/**
 * Hollows a solid to walls of its own per face, without the kernel's offset: every wall face is offset, carried on beyond its rims and
 * used to cut the solid; what touches no wall face is the cavity. The cavity's faces, turned over, and the outer faces make the shell;
 * open faces become the ring between both. Faces that meet smoothly must have equal walls.
 *
 * @param walls thickness per face in mm; 0 for open faces
 */
export async function hollow(solid: Body, walls: readonly number[], context: CutContext): Promise<HollowOutcome> {
  const groups = smoothGroups(solid, walls);
  if ('message' in groups) return { ok: false, ...groups };
  let cavity = solid;
  let deviation = 0;
  const reach = 0.25 * boxSize(bodyBox(solid));
  for (const g of groups.list) {
    const sheet = offsetFaces(solid, g, -walls[g[0]], 0.05 * context.tolerance);
    deviation = Math.max(deviation, sheet.deviation);
    const cutter = extendSkin(sheet.body, reach, 'linear') ?? sheet.body;
    const r = await cutAndKeep(cavity, [cutter], 'all', [], context);
    if ('problem' in r)
      return { ok: false, message: `the inner side of ${solid.faces[g[0]].name} does not part the solid`, place: r.place?.[0] };
    const names = new Set(g.map((i) => solid.faces[i].name));
    const inner = r.regions.filter((x) => !x.region.faces.some((f) => names.has(r.body.faces[f].name)));
    if (!inner.length) return { ok: false, message: `nothing is left inside the wall of ${formatNumber(walls[g[0]])} mm` };
    if (inner.length > 1) return { ok: false, message: 'the wall divides the inside into several hollows here', place: inner[1].region.at };
    cavity = renameFaces(inner[0].body, (name) => (name.startsWith('new:') ? `${solid.faces[g[0]].name}.inner` : name));
  }
  return assemble(solid, walls, cavity, deviation);
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
