import {
  type Body,
  type BodyBuilder,
  Border,
  builderFrom,
  capRim,
  edgeCurve,
  edgePoint,
  orderChain,
  rimChains,
  surfaceBody,
  withShells,
} from '../brep/index.ts';
import { distance, dot, type Frame, formatNumber, insidePolygon, sub, toLocal, type Vec3 } from '../math/index.ts';
import { arcLength, closestOnCurve, planeOf } from '../nurbs/index.ts';
import { blend, patchRim } from '../skins/index.ts';
import { bridge, closedBy, straightStrip, wovenStrip } from './strips.ts';

export interface Filled {
  readonly message: string;
  readonly place: Vec3;
  /** Names of the faces that fill it. */
  readonly faces: readonly string[];
}
type Chain = readonly number[];
/** Where the middle of an edge lies: how an opening is known again. */
export function middleOf(b: Body, edge: number): Vec3 {
  const e = b.edges[edge];
  return edgePoint(e, (e.range[0] + e.range[1]) / 2);
}
const short = (x: number) => (x < 1e-6 ? '0' : formatNumber(x, 6));

/**
 * Openings closed: two rims whose skins lead to each other with a smooth strip between them; flat ones with a flat face (rims inside a flat rim
 * become its holes); two rims that run round each other close by with a ring; walls that are gone with straight lines from rim to rim; others
 * with a patch or a woven skin that goes on with the curvature of what stands around. Only those at `near`, when it is given, and none of
 * those at `refused`.
 */
export function fillOpenings(
  given: Body,
  tolerance: number,
  name: string,
  near?: Vec3,
  refused: readonly Vec3[] = [],
): { body: Body; filled: readonly Filled[] } {
  const filled: Filled[] = [];
  let body = given;
  let n = 0;
  const next = () => `${name}:fill${n ? n + 1 : ''}`;
  const at = (chain: Chain): Vec3 => middleOf(body, chain[0]);
  const barred = (chain: Chain) => chain.some((e) => refused.some((p) => distance(p, middleOf(body, e)) < 1e-9));
  const asked = (chain: Chain) =>
    !near || chain.some((e) => closestOnCurve(edgeCurve(body.edges[e]), near).distance < 10 * tolerance + 1e-6);
  const wanted = (chain: Chain) => !barred(chain) && asked(chain);
  const reach = Math.max(tolerance, 1e-4);
  /** Knits what closes these rims into the body; tells whether it does. */
  const take = (filling: Body | undefined, chains: readonly Chain[], message: string): boolean => {
    const knitted =
      filling &&
      closedBy(
        body,
        filling,
        chains.reduce((sum, c) => sum + c.length, 0),
        reach,
      );
    if (!knitted) return false;
    filled.push({ message, place: at(chains[0]), faces: filling.faces.map((f) => f.name) });
    body = knitted;
    n++;
    return true;
  };
  /** The first pair of rims that something closes; edges have new numbers after it. */
  const pairs = (make: (a: Chain, b: Chain) => Body | undefined, message: string): boolean => {
    const chains = rimChains(body);
    for (const [i, a] of chains.entries())
      for (const b of chains.slice(i + 1)) if (!barred(a) && (asked(a) || asked(b)) && take(make(a, b), [a, b], message)) return true;
    return false;
  };
  while (pairs((a, b) => bridge(body, a, b, next()), 'Two rims whose skins lead to each other were joined by a smooth strip'));
  // flat rims, the widest first, with those of the same plane inside them as holes
  const k = builderFrom(body);
  const flat: Filled[] = [];
  for (const { outer, holes, frame } of flatNests(body, rimChains(body), tolerance)) {
    if (barred(outer) || ![outer, ...holes].some(asked)) continue;
    const face = next();
    if (!flatRing(k, outer, holes, frame, face, tolerance)) continue;
    n++;
    flat.push({
      faces: [face],
      message: holes.length ? `A flat opening was capped, ${holes.length} inside it left open` : 'A flat opening was capped',
      place: at(outer),
    });
  }
  if (flat.length) {
    filled.push(...flat);
    body = withShells(k.body());
  }
  while (pairs((a, b) => ringBetween(body, a, b, next()), 'Two rims close to each other were joined by a ring'));
  const one = (make: (chain: Chain) => Body | undefined, message: string): boolean =>
    rimChains(body).some((chain) => wanted(chain) && take(make(chain), [chain], message));
  while (one((c) => straightStrip(body, c, next(), reach), 'An opening was closed with straight lines between its two long sides'));
  const patched = builderFrom(body);
  let patches = 0;
  for (const chain of rimChains(body)) {
    if (!wanted(chain)) continue;
    const before = patched.faces.length;
    const edges = [...patched.edges];
    const face = next();
    const r = patchRim(patched, chain, face, 2, undefined, { steepest: 60 });
    if (!r.ok) continue;
    // a patch that misses its rim is no filling
    if (r.result.gap > tolerance) {
      patched.faces.length = before;
      edges.forEach((e, i) => {
        patched.edges[i] = e;
      });
      continue;
    }
    patches++;
    n++;
    filled.push({
      message: `An opening was patched (gap ${short(r.result.gap)} mm, kink ${formatNumber(r.result.kink, 3)}°)`,
      place: at(chain),
      faces: [face],
    });
  }
  if (patches) body = withShells(patched.body());
  while (one((c) => wovenStrip(body, c, next(), reach), 'An opening of four sides was filled with a woven skin'));
  return { body, filled };
}

interface Nest {
  readonly outer: Chain;
  readonly holes: readonly Chain[];
  readonly frame: Frame;
}
/** Flat rims by their planes: each with the rims that lie directly inside it. */
function flatNests(b: Body, chains: readonly Chain[], tolerance: number): Nest[] {
  const flats = chains.flatMap((chain) => {
    const curves = chain.map((e) => edgeCurve(b.edges[e]));
    const plane = planeOf(curves);
    if (!plane || plane.deviation > tolerance || !orderChain(chain, b.edges)) return [];
    return [{ chain, frame: plane.frame, length: curves.reduce((s, c) => s + arcLength(c), 0) }];
  });
  flats.sort((x, y) => y.length - x.length);
  const taken = new Set<Chain>();
  const out: Nest[] = [];
  for (const f of flats) {
    if (taken.has(f.chain)) continue;
    const outline = outlineOf(b, f.chain, f.frame);
    const inside = insidePolygon(outline);
    const holes: Chain[] = [];
    for (const g of flats) {
      if (g === f || taken.has(g.chain) || Math.abs(dot(g.frame.z, f.frame.z)) < 1 - 1e-8) continue;
      if (Math.abs(dot(sub(g.frame.origin, f.frame.origin), f.frame.z)) > tolerance) continue;
      const q = outlineOf(b, g.chain, f.frame);
      if (q.every(([x, y]) => inside(x, y)) && !holes.some((h) => insidePolygon(outlineOf(b, h, f.frame))(q[0][0], q[0][1])))
        holes.push(g.chain);
    }
    taken.add(f.chain);
    for (const h of holes) taken.add(h);
    out.push({ outer: f.chain, holes, frame: f.frame });
  }
  return out;
}
function outlineOf(b: Body, chain: Chain, frame: Frame): [number, number][] {
  const ordered = orderChain(chain, b.edges) ?? [];
  return ordered.flatMap(({ edge, reversed }) => {
    const e = b.edges[edge];
    return Array.from({ length: 24 }, (_, i): [number, number] => {
      const s = reversed ? 1 - i / 24 : i / 24;
      const p = toLocal(frame, edgePoint(e, e.range[0] + (e.range[1] - e.range[0]) * s));
      return [p[0], p[1]];
    });
  });
}
/** A flat face between a rim and those inside it, its outside as its neighbours have theirs. */
function flatRing(k: BodyBuilder, outer: Chain, holes: readonly Chain[], frame: Frame, name: string, tolerance: number): boolean {
  if (!holes.length) return capRim(k, outer, name, tolerance).added >= 0;
  const loops = [outer, ...holes].map((c) => orderChain(c, k.edges));
  if (loops.some((l) => !l)) return false;
  const first = outer[0];
  const neighbour = k.faces.flatMap((f) => f.loops.flat().flatMap((u) => (u.edge === first ? [u.reversed !== f.reversed] : [])))[0];
  const build = (f: Frame) => k.flatFace(f, loops as { edge: number; reversed: boolean }[][], name);
  const added = build(frame);
  const mine = k.faces[added].loops[0].find((u) => u.edge === first);
  if (mine && neighbour !== undefined && mine.reversed === neighbour) {
    k.faces.pop();
    build({ ...frame, y: [-frame.y[0], -frame.y[1], -frame.y[2]], z: [-frame.z[0], -frame.z[1], -frame.z[2]] });
  }
  return true;
}

/** A ring straight across between two closed rims that run side by side: nowhere further apart than a fifth of their length. */
function ringBetween(b: Body, first: Chain, second: Chain, name: string): Body | undefined {
  const borders = [first, second].map((c) => new Border(c.map((edge) => ({ body: b, edge, part: [0, 1] as const, side: 0 as const }))));
  if (!borders.every((x) => x.closed)) return undefined;
  const reach = 0.2 * Math.min(borders[0].total, borders[1].total);
  for (let i = 0; i < 16; i++) {
    const p = borders[0].place(i / 16).point;
    if (distance(borders[1].place(borders[1].nearest(p)).point, p) > reach) return undefined;
  }
  const side = (border: Border) => ({ border, grade: 0 as const, reach: () => 1 });
  const r = blend(side(borders[0]), side(borders[1]), {
    aim: { gap: 1e-5, kink: 1, step: 100 },
    across: 'best',
    ends: [{ kind: 'free' }, { kind: 'free' }],
  });
  if (!r.ok) return undefined;
  return surfaceBody(r.result.surface, { prefix: name, face: (i, j, n, m) => (n * m > 1 ? `${name}.${i}.${j}` : name) }).body;
}
