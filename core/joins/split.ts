import { type Body, combineBodies, connectedFaces, type Face, signedVolume, subBody, topologyOf, withShells } from '../brep/index.ts';
import type { Vec3 } from '../math/index.ts';
import type { NurbsCurve } from '../nurbs/index.ts';
import { type Imprint, type ImprintOptions, imprintBodies } from './imprint.ts';
import { inBody, placeInFace } from './inside-body.ts';

export interface Split {
  readonly ok: true;
  /** All faces of the target, divided; for a solid target its pieces as solids of their own. */
  readonly body: Body;
  /** Edges of `body` along which it was cut. */
  readonly cut: readonly number[];
  /** A cut ends inside the target without parting it: the places. */
  readonly loose: readonly Vec3[];
  /** Places where target and tool touch without crossing. */
  readonly touches: readonly { readonly at: Vec3; readonly gap: number }[];
  /** Largest distance of a new edge from its faces, mm. */
  readonly off: number;
}
export interface Unsplit {
  readonly ok: false;
  readonly why: string;
  readonly at?: Vec3;
}

/** Splits a skin or a solid by tools, one after the other. Nothing is removed. What could not be followed surely is refused with its place. */
export function splitByTools(target: Body, tools: readonly Body[], o: ImprintOptions): Split | Unsplit {
  return target.solids.length ? splitSolids(target, tools, o) : splitSkin(target, tools, o);
}

function splitSkin(target: Body, tools: readonly Body[], o: ImprintOptions): Split | Unsplit {
  let body: Body = target;
  const marked: Marked[] = [];
  const touches: { at: Vec3; gap: number }[] = [];
  const loose: Vec3[] = [];
  let off = 0;
  for (const tool of tools) {
    const r = imprintBodies(body, tool, o);
    if (r.problems.length) return { ok: false, why: r.problems[0].what, at: r.problems[0].at };
    touches.push(...r.touches);
    loose.push(...r.loose);
    off = Math.max(off, r.off);
    marked.push(...marksOf(r));
    body = subBody(r.body, facesOf(r, true));
  }
  return { ok: true, body: withShells(body), cut: cutEdges(body, marked), loose, touches, off };
}
/** A cut edge is known again by its curve and the part of it: later tools may divide it further. */
interface Marked {
  readonly curve: NurbsCurve;
  readonly range: readonly [number, number];
}
const marksOf = (r: Imprint): Marked[] => r.cut.map((e) => ({ curve: r.body.edges[e].curve, range: r.body.edges[e].range }));
function cutEdges(b: Body, marked: readonly Marked[]): number[] {
  const { uses } = topologyOf(b);
  const by = new Map<NurbsCurve, Marked[]>();
  for (const m of marked) by.set(m.curve, [...(by.get(m.curve) ?? []), m]);
  return b.edges.flatMap((e, i) => {
    const mid = (e.range[0] + e.range[1]) / 2;
    // a rim parts nothing
    return uses[i].length > 1 && by.get(e.curve)?.some((m) => mid > m.range[0] && mid < m.range[1]) ? [i] : [];
  });
}
const facesOf = (r: Imprint, first: boolean): number[] => r.parent.flatMap((p, i) => (p < r.first === first ? [i] : []));

/** Faces of an imprint that hang together without crossing a cut, all of one body, with the side of the other body they lie on. */
export interface FaceGroup {
  readonly faces: readonly number[];
  readonly first: boolean;
  /** 1 outside, -1 inside of the other body as seen at the cuts; 0 where no cut tells, or where cuts contradict each other. */
  readonly side: number;
  readonly mixed: boolean;
}
export function groupsOf(r: Imprint): FaceGroup[] {
  const { uses } = topologyOf(r.body);
  const wall = new Set(r.cut);
  const taken = new Uint8Array(r.body.faces.length);
  const out: FaceGroup[] = [];
  for (let f = 0; f < r.body.faces.length; f++) {
    if (taken[f]) continue;
    const faces = [f];
    taken[f] = 1;
    const first = r.parent[f] < r.first;
    let [plus, minus] = [0, 0];
    for (let k = 0; k < faces.length; k++)
      for (const u of r.body.faces[faces[k]].loops.flat()) {
        const s = r.side.get(u.edge)?.get(faces[k]) ?? 0;
        if (s > 0) plus++;
        if (s < 0) minus++;
        if (wall.has(u.edge)) continue;
        for (const other of uses[u.edge])
          if (!taken[other.face] && r.parent[other.face] < r.first === first) {
            taken[other.face] = 1;
            faces.push(other.face);
          }
      }
    out.push({ faces, first, side: plus > minus ? 1 : minus > plus ? -1 : 0, mixed: plus > 0 && minus > 0 });
  }
  return out;
}

function splitSolids(target: Body, tools: readonly Body[], o: ImprintOptions): Split | Unsplit {
  let solids: Body[] = target.solids.map((list) =>
    subBody(
      target,
      list.flatMap((s) => target.shells[s].faces),
    ),
  );
  const touches: { at: Vec3; gap: number }[] = [];
  const loose: Vec3[] = [];
  let off = 0;
  for (const tool of tools) {
    const next: Body[] = [];
    for (const solid of solids) {
      const r = imprintBodies(solid, tool, o);
      if (r.problems.length) return { ok: false, why: r.problems[0].what, at: r.problems[0].at };
      touches.push(...r.touches);
      loose.push(...r.loose);
      off = Math.max(off, r.off);
      const parts = piecesOf(r, solid);
      if ('why' in parts) return parts;
      loose.push(...parts.loose);
      next.push(...(parts.list.length > 1 ? parts.list : [solid]));
    }
    solids = next;
  }
  const body = combineSolids(solids);
  return 'why' in body ? body : { ok: true, body, cut: [], loose, touches, off };
}
/** Closed pieces of a solid between the parts of a tool that lie inside it; each piece gets its own copy of those parts. */
function piecesOf(r: Imprint, solid: Body): { list: Body[]; loose: Vec3[] } | Unsplit {
  const groups = groupsOf(r);
  // a piece may well lie before one part of the cutter and behind another; a part of the cutter lies inside or outside
  const bad = groups.find((g) => g.mixed && !g.first);
  if (bad) return { ok: false, why: 'a part lies on both sides of the cutter', at: placeInFace(r.body, bad.faces[0]).point };
  const { uses } = topologyOf(r.body);
  const cut = new Set(r.cut);
  const loose: Vec3[] = [];
  const within: number[] = [];
  for (const [i, g] of groups.entries()) {
    if (g.first) continue;
    const edges = g.faces.flatMap((f) => r.body.faces[f].loops.flat().map((u) => u.edge));
    const inside = g.side ? g.side < 0 : inBody(solid, placeInFace(r.body, g.faces[0]).point);
    if (!inside) continue;
    const open = edges.find((e) => !cut.has(e) && !r.body.edges[e].degenerate && uses[e].length < 2);
    if (open !== undefined) loose.push(r.body.vertices[r.body.edges[open].start].point);
    else within.push(i);
  }
  if (loose.length || !within.length) return { list: [], loose };
  // every part of the tool stands twice: for the piece behind it and for the one before it
  const key = (i: number, side: number) => (groups[i].first ? `${i}` : `${i}:${side}`);
  const owner = new Map<string, string>();
  const find = (k: string): string => {
    const up = owner.get(k) ?? k;
    if (up === k) return k;
    const top = find(up);
    owner.set(k, top);
    return top;
  };
  const groupOf = new Map<number, number>();
  groups.forEach((g, i) => {
    for (const f of g.faces) groupOf.set(f, i);
  });
  for (const [i, g] of groups.entries()) {
    if (!g.first) continue;
    for (const f of g.faces)
      for (const u of r.body.faces[f].loops.flat()) {
        if (!cut.has(u.edge)) continue;
        const side = r.side.get(u.edge)?.get(f) || (g.mixed ? 0 : g.side);
        for (const other of uses[u.edge]) {
          const j = groupOf.get(other.face) as number;
          if (groups[j].first || !within.includes(j)) continue;
          if (!side) return { ok: false, why: 'the side of a part cannot be told', at: placeInFace(r.body, g.faces[0]).point };
          owner.set(find(key(i, 0)), find(key(j, side)));
        }
      }
  }
  // parts of a tool that meet along a cut edge, on the same side
  const members = new Map<string, { group: number; side: number }[]>();
  const put = (i: number, side: number) => {
    const k = find(key(i, side));
    members.set(k, [...(members.get(k) ?? []), { group: i, side }]);
  };
  groups.forEach((g, i) => {
    if (g.first) put(i, 0);
    else if (within.includes(i)) for (const side of [1, -1]) put(i, side);
  });
  const list = [...members.values()].map((m) => {
    const turned = new Set(m.flatMap(({ group, side }) => (side > 0 ? groups[group].faces : [])));
    const faces = r.body.faces.map((f, i): Face => (turned.has(i) ? { ...f, reversed: !f.reversed } : f));
    return subBody(
      { ...r.body, faces },
      m.flatMap(({ group }) => groups[group].faces),
    );
  });
  return { list, loose };
}

/** Closed pieces as one body: those of positive volume are solids, those of negative volume voids of the solid round them. */
export function combineSolids(pieces: readonly Body[]): Body | Unsplit {
  const outer: Body[] = [];
  const voids: Body[] = [];
  for (const p of pieces)
    for (const faces of connectedFaces(p)) {
      const part = subBody(p, faces);
      const { rims, crowded } = topologyOf(part);
      if (rims.length || crowded.length) {
        const e = part.edges[(rims[0] ?? crowded[0]) as number];
        return {
          ok: false,
          why: rims.length ? 'a piece stays open' : 'more than two faces meet at an edge',
          at: part.vertices[e.start].point,
        };
      }
      (signedVolume(part) > 0 ? outer : voids).push(part);
    }
  const hosts = outer.map((b) => [b]);
  for (const v of voids) {
    const at = placeInFace(v, 0).point;
    const k = outer.length === 1 ? 0 : outer.findIndex((b) => inBody(b, at));
    if (k < 0) return { ok: false, why: 'a void lies in no solid', at };
    hosts[k].push(v);
  }
  const all = combineBodies(hosts.flat().map((b) => ({ ...b, solids: [] })));
  let shell = 0;
  const solids = hosts.map((list) => list.flatMap((b) => b.shells.map(() => shell++)));
  return { ...all, solids };
}
