import {
  type Body,
  type Edge,
  type EdgeUse,
  edgePoint,
  type Face,
  subBody,
  surfaceBody,
  toAngle,
  topologyOf,
  untrimmedFace,
  withShells,
} from '../brep/index.ts';
import { cutRegions, imprintOn, regionsAt, splitByTools } from '../joins/index.ts';
import { cross, distance, type Frame, length, unit, type Vec3 } from '../math/index.ts';
import {
  closestOnCurve,
  closestOnSurface,
  domainU,
  domainV,
  evaluateSurface,
  fitFunction,
  growSurface,
  isClosedU,
  isClosedV,
  isoU,
  makeCurve,
  type NurbsCurve,
  type NurbsSurface,
  planeOf,
  planeSurface,
  polylineCurve,
  ruledSurface,
  surfaceJet,
  surfacePoint,
} from '../nurbs/index.ts';
import { type FilletOptions, type NoFillet, no } from './options.ts';
import type { Along } from './strip.ts';

/** Faces of a divided body that stem from the named ones. */
export const childrenOf = (b: Body, names: ReadonlySet<string>): Set<string> =>
  new Set(b.faces.map((f) => f.name).filter((n) => names.has(n) || [...names].some((p) => n.startsWith(`${p}.`))));

/** What the strip runs into at one end of the spine. */
export interface End {
  readonly end: 0 | 1;
  readonly tip: Vec3;
  /** One face, several, the plane in which the rims there lie, or nothing. */
  readonly kind: 'face' | 'faces' | 'flat' | 'free';
  readonly faces: readonly number[];
  readonly plane?: Frame;
  /** Edges of the divided body between what goes and what stays that are no rails. */
  readonly stands: readonly number[];
  readonly drawn: Body;
  readonly along: Along;
  readonly o: FilletOptions;
}
/** Looks at one end of the spine: `drawn` has the rails on it, the faces of `gone` are to be taken away. */
export function endOf(drawn: Body, gone: ReadonlySet<number>, along: Along, end: 0 | 1, o: FilletOptions): End {
  const { spine } = along;
  const tip = spine.border.place(end).point;
  const far = spine.border.place(1 - end).point;
  const { uses } = topologyOf(drawn);
  const borders = new Set([...gone].flatMap((f) => drawn.faces[f].loops.flat().map((u) => u.edge)));
  const stands = [...borders].filter((e) => {
    const x = drawn.edges[e];
    if (isRail(x, o) || x.degenerate || uses[e].every((u) => gone.has(u.face)) !== uses[e].length < 2) return false;
    const p = edgePoint(x, (x.range[0] + x.range[1]) / 2);
    return distance(p, tip) < distance(p, far);
  });
  const faces = [...new Set(stands.flatMap((e) => uses[e].map((u) => u.face)).filter((f) => !gone.has(f)))];
  const at = { end, tip, faces, stands, drawn, along, o };
  if (faces.length) return { ...at, kind: faces.length === 1 ? 'face' : 'faces' };
  const points = stands.flatMap((e) => {
    const x = drawn.edges[e];
    return [0, 0.25, 0.5, 0.75, 1].map((k) => edgePoint(x, x.range[0] + (x.range[1] - x.range[0]) * k));
  });
  const flat = points.length > 5 ? planeOf([polylineCurve(points)]) : undefined;
  return flat && flat.deviation < 1e-6 ? { ...at, kind: 'flat', plane: flat.frame } : { ...at, kind: 'free' };
}
const isRail = (e: Edge, o: FilletOptions) => e.name.startsWith(`${o.name}.rail`);

/**
 * Ends the strip: in the faces that stand there, in the plane of the rims, or straight from rail to rail. `surface` is the strip's; it is
 * left alone when nothing stands there and it `ends` with its rails.
 */
export function endAt(
  at: End,
  kept: Body,
  strip: Body,
  surface: NurbsSurface,
  ends: boolean,
  middle: Vec3,
): { kept: Body; strip: Body } | NoFillet {
  if (at.kind === 'free' && ends) return { kept, strip };
  if (at.kind === 'face')
    return intoFace(at, kept, strip, middle) ?? no('end', 'The fillet does not run across the face at its end', [at.tip]);
  if (at.kind === 'faces') return intoFaces(at, kept, strip, middle);
  const cut = cutStrip(at, strip, at.plane ? planeWall(at, at.plane) : slant(at, surface), middle);
  return 'ok' in cut ? cut : { kept, strip: cut.strip };
}
function planeWall({ drawn, stands, along, end }: End, frame: Frame): Body {
  const far = Math.max(
    ...stands.flatMap((e) => [0, 1].map((k) => distance(edgePoint(drawn.edges[e], drawn.edges[e].range[k]), frame.origin))),
  );
  const size = 2 * far + 4 * along.spine.rule.size(end);
  return surfaceBody(planeSurface(frame, -size, size, -size, size), { prefix: 'end', face: () => 'end' }).body;
}
/** The fillet ended in several faces: they and the strip are drawn into each other. */
function intoFaces(at: End, kept: Body, strip: Body, middle: Vec3): { kept: Body; strip: Body } | NoFillet {
  const { drawn, faces, stands, along, end, o } = at;
  const names = new Set(faces.map((f) => drawn.faces[f].name));
  const curves = new Set(stands.map((e) => drawn.edges[e].curve));
  const r = imprintOn(kept, [strip], childrenOf(kept, names), { fit: along.fit, name: `${o.name}.end${end + 1}`, pause: o.pause });
  if (!r.ok || !r.edges) return no('end', `The fillet cannot be ended in the faces at the mark${r.ok ? '' : `: ${r.why}`}`, [at.tip]);
  // what stood on the part taken away goes too
  const rims = new Set(topologyOf(r.body).rims);
  const own = childrenOf(r.body, names);
  const stay = r.body.faces.flatMap((f, i) =>
    own.has(f.name) && f.loops.flat().some((u) => rims.has(u.edge) && curves.has(r.body.edges[u.edge].curve)) ? [] : [i],
  );
  const cut = cutStrip(at, strip, subBody(drawn, faces), middle);
  return 'ok' in cut ? cut : { kept: withShells(subBody(r.body, stay)), strip: cut.strip };
}
/** The part of the strip in the middle, as a tool cuts it. */
function cutStrip(
  { along, end, o, tip }: End,
  strip: Body,
  tool: Body,
  middle: Vec3,
): { strip: Body; edges: readonly number[] } | NoFillet {
  const cut = splitByTools(strip, [tool], { fit: along.fit, name: `${o.name}.end${end + 1}`, pause: o.pause });
  if (!cut.ok) return no('end', `The fillet cannot be ended at the mark: ${cut.why}`, [cut.at ?? tip]);
  if (!cut.cut.length) return no('end', 'The fillet does not reach the faces at its end', [tip]);
  const regions = cutRegions(cut.body, cut.cut);
  const keep = [...regionsAt(cut.body, regions, [middle])][0];
  const part = withShells(subBody(cut.body, [...regions[keep].faces]));
  return { strip: part, edges: part.edges.flatMap((e, i) => (e.name.startsWith(`${o.name}.end${end + 1}`) ? [i] : [])) };
}
/**
 * The fillet ended in one face: the strip is cut by its surface, carried on where it is too short, and the corner of the face between the
 * rails gives way to the new edge.
 */
function intoFace(at: End, kept: Body, strip: Body, middle: Vec3): { kept: Body; strip: Body } | NoFillet | undefined {
  const { drawn, stands, along, end } = at;
  const face = at.faces[0];
  const name = drawn.faces[face].name;
  const index = kept.faces.findIndex((f) => f.name === name && f.surface === drawn.faces[face].surface);
  if (index < 0) return undefined;
  const target = kept.faces[index];
  const curves = new Set(stands.map((e) => drawn.edges[e].curve));
  const rims = new Set(topologyOf(kept).rims);
  const goes = (u: EdgeUse) => rims.has(u.edge) && curves.has(kept.edges[u.edge].curve) && !kept.edges[u.edge].degenerate;
  const l = target.loops.findIndex((x) => x.some(goes));
  if (l < 0) return undefined;
  const loop = target.loops[l];
  // the uses that go, in one run: the loop is turned so that it begins behind them
  const n = loop.length;
  const first = loop.findIndex((u, i) => goes(u) && !goes(loop[(i + n - 1) % n]));
  if (first < 0) return undefined;
  const turned = [...loop.slice(first), ...loop.slice(0, first)];
  const count = turned.findIndex((u) => !goes(u));
  if (count < 1 || turned.slice(count).some(goes)) return undefined;
  const startOf = (u: EdgeUse) => (u.reversed ? kept.edges[u.edge].end : kept.edges[u.edge].start);
  const endOf = (u: EdgeUse) => (u.reversed ? kept.edges[u.edge].start : kept.edges[u.edge].end);
  const [from, to] = [startOf(turned[0]), endOf(turned[count - 1])];
  const wide = widened(target, distance(kept.vertices[from].point, kept.vertices[to].point));
  const cut = cutStrip(at, strip, untrimmedFace(wide), middle);
  if ('ok' in cut) return cut;
  // the edges across the strip, from the one vertex to the other
  const chain = openChain(cut.edges, cut.strip.edges);
  if (!chain) return undefined;
  const ends = [chain[0], chain[chain.length - 1]].map((c, i) => {
    const e = cut.strip.edges[c.edge];
    return cut.strip.vertices[(i === 0) === c.reversed ? e.end : e.start].point;
  });
  const reach = 1e-3 * along.spine.rule.size(end) + 1e-4;
  const straight = distance(ends[0], kept.vertices[from].point) < reach && distance(ends[1], kept.vertices[to].point) < reach;
  const against = distance(ends[1], kept.vertices[from].point) < reach && distance(ends[0], kept.vertices[to].point) < reach;
  if (!straight && !against) return undefined;
  const run = straight ? chain : [...chain].reverse().map((c) => ({ edge: c.edge, reversed: !c.reversed }));
  const vertices = [...kept.vertices];
  const edges = [...kept.edges];
  let tail = from;
  const uses = run.map((c, i): EdgeUse => {
    const e = cut.strip.edges[c.edge];
    const next = i === run.length - 1 ? to : vertices.push(cut.strip.vertices[c.reversed ? e.start : e.end]) - 1;
    const image = imageOn(wide, e, along.fit);
    edges.push({ ...e, start: c.reversed ? next : tail, end: c.reversed ? tail : next, tolerance: Math.max(e.tolerance, image.off) });
    tail = next;
    return { edge: edges.length - 1, reversed: c.reversed, pcurve: { curve: image.curve } };
  });
  for (const v of [from, to]) vertices[v] = { ...vertices[v], tolerance: Math.max(vertices[v].tolerance, 2 * along.fit) };
  const loops = target.loops.map((x, i) => (i === l ? [...uses, ...turned.slice(count)] : x));
  const faces = kept.faces.map((f, i) => (i === index ? { ...wide, loops } : f));
  return {
    kept: withShells(
      subBody(
        { ...kept, vertices, edges, faces },
        faces.map((_, i) => i),
      ),
    ),
    strip: cut.strip,
  };
}
/** Edges that hang together end to end, in running order from one loose end to the other. */
function openChain(list: readonly number[], edges: readonly Edge[]): { edge: number; reversed: boolean }[] | undefined {
  const meeting = (v: number) => list.filter((e) => edges[e].start === v || edges[e].end === v);
  const first = list.find((e) => meeting(edges[e].start).length === 1 || meeting(edges[e].end).length === 1);
  if (first === undefined) return undefined;
  const out = [{ edge: first, reversed: meeting(edges[first].start).length !== 1 }];
  while (out.length < list.length) {
    const tip = out[out.length - 1];
    const v = tip.reversed ? edges[tip.edge].start : edges[tip.edge].end;
    const next = meeting(v).find((e) => out.every((x) => x.edge !== e));
    if (next === undefined) return undefined;
    out.push({ edge: next, reversed: edges[next].start !== v });
  }
  return out;
}
/** A face whose surface goes on by about `by` mm where it does not close on itself; its borders stay. */
function widened(f: Face, by: number): Face {
  if (f.turnU || f.turnV) return f;
  const s = f.surface;
  const [du, dv] = [domainU(s), domainV(s)];
  const j = surfaceJet(s, (du[0] + du[1]) / 2, (dv[0] + dv[1]) / 2);
  const u = isClosedU(s, 1e-6) ? 0 : (2 * by) / (length(j.u) || 1);
  const v = isClosedV(s, 1e-6) ? 0 : (2 * by) / (length(j.v) || 1);
  const grown = u || v ? growSurface(s, [u, u, v, v], 'natural') : undefined;
  return grown ? { ...f, surface: grown } : f;
}
/** Image of an edge on a face, at the edge's own parameter. */
function imageOn(f: Face, e: Edge, fit: number): { curve: NurbsCurve; off: number } {
  const j = surfaceJet(f.surface, ...middleOf(f));
  const speed = Math.max(length(j.u), length(j.v), 1e-9);
  let start: readonly [number, number] | undefined;
  let off = 0;
  const r = fitFunction(
    (t, out) => {
      const foot = closestOnSurface(f.surface, edgePoint(e, t), start);
      start = [foot.u, foot.v];
      off = Math.max(off, foot.distance);
      out[0] = toAngle(f.turnU, foot.u);
      out[1] = toAngle(f.turnV, foot.v);
    },
    e.range[0],
    e.range[1],
    2,
    3,
    fit / speed,
    [],
    200,
  );
  const points = Array.from({ length: r.data.length / 2 }, (_, i) => Array.from(r.data.subarray(2 * i, 2 * i + 2)));
  return { curve: makeCurve(3, points, r.knots), off: off + fit };
}
const middleOf = (f: Face): [number, number] => {
  const [du, dv] = [domainU(f.surface), domainV(f.surface)];
  return [(du[0] + du[1]) / 2, (dv[0] + dv[1]) / 2];
};
/** A wall across the strip from where one rail leaves its face to where the other does. */
function slant({ drawn, along, tip, o }: End, surface: NurbsSurface): Body {
  const shares = ([0, 1] as const).map((k) => {
    let exit = { at: tip, d: Number.POSITIVE_INFINITY };
    for (const e of drawn.edges) {
      if (!e.name.startsWith(`${o.name}.rail${k + 1}.`)) continue;
      for (const v of [e.start, e.end]) {
        const at = drawn.vertices[v].point;
        if (distance(at, tip) < exit.d) exit = { at, d: distance(at, tip) };
      }
    }
    return closestOnCurve(isoU(surface, k), exit.at).t;
  });
  const jet = new Float64Array(12);
  const reach = 0.3 * distance(surfacePoint(surface, 0, shares[0]), surfacePoint(surface, 1, shares[1]));
  const fit = fitFunction(
    (u, out) => {
      evaluateSurface(surface, u, shares[0] + (shares[1] - shares[0]) * u, 1, jet);
      const n = unit(cross([jet[6], jet[7], jet[8]], [jet[3], jet[4], jet[5]]));
      for (let d = 0; d < 3; d++) {
        out[d] = jet[d] - reach * n[d];
        out[3 + d] = jet[d] + reach * n[d];
      }
    },
    -0.05,
    1.05,
    6,
    3,
    0.2 * along.fit,
    [],
    200,
  );
  const row = (o: number) =>
    makeCurve(
      3,
      Array.from({ length: fit.data.length / 6 }, (_, i) => Array.from(fit.data.subarray(6 * i + o, 6 * i + o + 3))),
      fit.knots,
    );
  return surfaceBody(ruledSurface(row(0), row(3)), { prefix: 'end', face: (i, j) => `end.${i}.${j}` }).body;
}
