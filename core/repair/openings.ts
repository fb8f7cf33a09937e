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
  topologyOf,
  withShells,
} from '../brep/index.ts';
import { knitBodies } from '../joins/index.ts';
import { distance, dot, type Frame, formatNumber, insidePolygon, sub, toLocal, type Vec3 } from '../math/index.ts';
import { arcLength, closestOnCurve, planeOf } from '../nurbs/index.ts';
import { blend, patchRim } from '../skins/index.ts';

export interface Filled {
  readonly message: string;
  readonly place: Vec3;
}
type Chain = readonly number[];
const short = (x: number) => (x < 1e-6 ? '0' : formatNumber(x, 6));

/**
 * Openings closed: flat ones with a flat face (rims inside a flat rim become its holes), two rims that run round each other close by with a
 * ring between them, others with a patch that goes on with the curvature of what stands around. Only those at `near`, when it is given.
 */
export function fillOpenings(given: Body, tolerance: number, name: string, near?: Vec3): { body: Body; filled: readonly Filled[] } {
  const filled: Filled[] = [];
  const at = (chain: Chain): Vec3 => {
    const e = given.edges[chain[0]];
    return edgePoint(e, (e.range[0] + e.range[1]) / 2);
  };
  const wanted = (chain: Chain) =>
    !near || chain.some((e) => closestOnCurve(edgeCurve(given.edges[e]), near).distance < 10 * tolerance + 1e-6);
  let chains: Chain[] = rimChains(given);
  let body = given;
  let n = 0;
  const next = () => `${name}:fill${n++ ? n : ''}`;
  const k = builderFrom(given);
  // flat rims, the widest first, with those of the same plane inside them as holes
  for (const { outer, holes, frame } of flatNests(given, chains, tolerance)) {
    if (![outer, ...holes].some(wanted)) continue;
    if (!flatRing(k, outer, holes, frame, next(), tolerance)) continue;
    chains = chains.filter((c) => c !== outer && !holes.includes(c));
    filled.push({
      message: holes.length ? `A flat opening was capped, ${holes.length} inside it left open` : 'A flat opening was capped',
      place: at(outer),
    });
  }
  if (filled.length) body = withShells(k.body());
  // rims round each other
  for (const [i, a] of chains.entries())
    for (const b of chains.slice(i + 1)) {
      if (!chains.includes(a) || !chains.includes(b) || !(wanted(a) || wanted(b))) continue;
      const ring = ringBetween(body, a, b, next());
      if (!ring) continue;
      const knitted = knitBodies([body, ring], Math.max(tolerance, 1e-4)).body;
      if (topologyOf(knitted).rims.length > topologyOf(body).rims.length - a.length - b.length + 1) continue;
      return again(knitted, { message: 'Two rims close to each other were joined by a ring', place: at(a) });
    }
  const patched = builderFrom(body);
  let patches = 0;
  for (const chain of chains) {
    if (!wanted(chain)) continue;
    const r = patchRim(patched, chain, next(), 2, undefined, { steepest: 60 });
    if (!r.ok) continue;
    patches++;
    filled.push({
      message: `An opening was patched (gap ${short(r.result.gap)} mm, kink ${formatNumber(r.result.kink, 3)}°)`,
      place: at(chain),
    });
  }
  return { body: patches ? patched.body() : body, filled };

  function again(b: Body, told: Filled) {
    const rest = fillOpenings(b, tolerance, `${name}.${n}`, near);
    return { body: rest.body, filled: [...filled, told, ...rest.filled] };
  }
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
