import type { Neighbour, NeighbourJet } from '../brep/index.ts';
import { angleBetween, cross, DEG, dot, type Frame, formatNumber, length, scale, unit, type Vec3 } from '../math/index.ts';
import {
  closestOnCurve,
  closestOnSurface,
  domainU,
  domainV,
  type NurbsCurve,
  type NurbsSurface,
  surfaceJet,
  surfacePoint,
} from '../nurbs/index.ts';
import type { EndCondition } from './conditions.ts';
import { type Crossing, gordon, type Network, sortNetwork } from './gordon.ts';
import { type HeldSide, holdSides } from './hold.ts';
import { loft, PLAIN_LOFT } from './loft.ts';
import type { BehindSide, Side } from './match-side.ts';

export type BorderMeets =
  | { readonly kind: 'neighbour'; readonly neighbour: Neighbour; readonly grade: 1 | 2 | 3 }
  /** The border lies in the plane and the skin runs square into it, so that its mirror image goes on smoothly. */
  | { readonly kind: 'mirror'; readonly plane: Frame };
export interface WeaveCurve {
  readonly curve: NurbsCurve;
  readonly meets?: BorderMeets;
}
export interface WeaveOptions {
  /** Gaps between curves that are closed (mm). */
  readonly gap: number;
  readonly tolerance: number;
}
export interface CornerClash {
  readonly at: Vec3;
  /** Degrees by which what is asked at the corner contradicts itself. */
  readonly angle: number;
}
export interface WeaveResult {
  readonly surface: NurbsSurface;
  readonly counts: readonly [number, number];
  /** Which given curve is which border. */
  readonly borders: readonly { readonly side: Side; readonly index: number }[];
  readonly misses: readonly Crossing[];
  readonly clashes: readonly CornerClash[];
  /** Largest way between the given curves and the skin (mm), and where. */
  readonly miss: number;
  readonly missAt: Vec3;
  readonly moved: number;
}
export type WeaveOutcome =
  | { readonly ok: true; readonly result: WeaveResult }
  | { readonly ok: false; readonly code: string; readonly message: string; readonly place?: readonly Vec3[] };

/** A straight wall behind a border, along a plane's normal: what a mirror image asks for in the first derivative. */
export function mirrorBehind(plane: Frame): BehindSide {
  return (point, tangent): NeighbourJet => {
    const zero: Vec3 = [0, 0, 0];
    const partials = Array.from({ length: 16 }, (): Vec3 => zero);
    partials[4] = plane.z;
    partials[1] = tangent;
    const n = cross(plane.z, tangent);
    return { point, normal: length(n) > 1e-14 ? unit(n) : plane.x, partials, away: plane.z, uv: [0, 0], face: 0 };
  };
}

/** Weaves a skin over curves that cross each other like threads; borders may meet neighbours. Lengths in mm. */
export function weave(given: readonly WeaveCurve[], o: WeaveOptions): WeaveOutcome {
  if (given.length < 2) return { ok: false, code: 'too-few', message: 'A weave needs two curves or more' };
  const sorted = sortNetwork(
    given.map((g) => g.curve),
    o.gap,
  );
  if (!sorted.ok) return sorted;
  const net = sorted.network;
  const [n, m] = [net.along.length, net.across.length];
  const base = baseOf(given, net, o);
  if ('message' in base) return base;
  const sides: HeldSide[] = [];
  const borders: { side: Side; index: number }[] = [
    { side: 'u0', index: net.along[0].index },
    { side: 'u1', index: net.along[n - 1].index },
  ];
  if (m > 1) borders.push({ side: 'v0', index: net.across[0].index }, { side: 'v1', index: net.across[m - 1].index });
  else if (m === 1 && base.v[0] < 1e-6) borders.push({ side: 'v0', index: net.across[0].index });
  else if (m === 1 && base.v[0] > 1 - 1e-6) borders.push({ side: 'v1', index: net.across[0].index });
  for (const b of borders) {
    const meets = given[b.index].meets;
    if (meets) sides.push({ side: b.side, behind: behindOf(meets), grade: meets.kind === 'mirror' ? 1 : meets.grade });
  }
  const lost = given.findIndex((g, i) => g.meets && !borders.some((b) => b.index === i));
  if (lost >= 0)
    return {
      ok: false,
      code: 'inner-condition',
      message: `Curve ${lost + 1} runs inside the weave: only its outer curves can meet a neighbour. Set it to touch`,
      place: [surfacePoint(base.surface, 0.5, 0.5)],
    };
  let surface = base.surface;
  let moved = 0;
  if (sides.length && !base.met) {
    const inside = (list: readonly number[]) => list.filter((x) => x > 1e-6 && x < 1 - 1e-6);
    const held = holdSides(surface, sides, { u: inside(base.u), v: inside(base.v), fixed: borders.map((b) => b.side) });
    surface = held.surface;
    moved = held.moved;
  }
  const miss = missOf(surface, [
    ...net.along.map((s, i) => ({ curve: s.curve, u: base.u[i] })),
    ...net.across.map((s, j) => ({ curve: s.curve, v: base.v[j] })),
  ]);
  return {
    ok: true,
    result: {
      surface,
      counts: [n, m],
      borders,
      misses: net.misses,
      clashes: clashesOf(surface, sides, borders),
      miss: miss.d,
      missAt: miss.at,
      moved,
    },
  };
}
const behindOf = (meets: BorderMeets): BehindSide => (meets.kind === 'mirror' ? mirrorBehind(meets.plane) : (p) => meets.neighbour.at(p));

type Base = { surface: NurbsSurface; u: readonly number[]; v: readonly number[]; met?: boolean };
function baseOf(given: readonly WeaveCurve[], net: Network, o: WeaveOptions): Base | Extract<WeaveOutcome, { ok: false }> {
  if (net.across.length > 1) {
    const g = gordon(net, o.tolerance);
    return { surface: g.surface, u: g.u, v: g.v };
  }
  const ends = [net.along[0], net.along[net.along.length - 1]].map((s): EndCondition | undefined => {
    const meets = given[s.index].meets;
    if (!meets) return undefined;
    return meets.kind === 'neighbour'
      ? { kind: 'neighbour', neighbour: meets.neighbour, grade: meets.grade, reach: 1 }
      : { kind: 'direction', direction: meets.plane.z, grade: 1, reach: 1 };
  });
  const alone = net.across.length === 0;
  const towards = (c: EndCondition | undefined, from: NurbsCurve, to: NurbsCurve): EndCondition | undefined => {
    if (c?.kind !== 'direction') return c;
    const way = closestOnCurve(to, pointOn(from)).point;
    return dot(c.direction, [0, 1, 2].map((k) => way[k] - pointOn(from)[k]) as unknown as Vec3) < 0
      ? { ...c, direction: scale(c.direction, -1) }
      : c;
  };
  const list = net.along.map((s) => s.curve);
  const r = loft(
    list.map((c) => ({ kind: 'chain', curves: [c] })),
    {
      ...PLAIN_LOFT,
      tolerance: o.tolerance,
      // without crossings the skin is a loft, and meets its neighbours exactly where they are sides of surfaces
      start: alone ? towards(ends[0], list[0], list[1]) : undefined,
      end: alone ? towards(ends[1], list[list.length - 1], list[list.length - 2]) : undefined,
      guides: alone ? [] : net.across.map((s) => s.curve),
      guideReach: o.gap,
      match: alone ? 'auto' : 'length',
    },
    'weave',
  );
  if (!r.ok) return r;
  const s = r.result.surface;
  // parameters of the curves along u: where the rows stand
  const u = list.map((c, i) => {
    if (i === 0) return 0;
    if (i === list.length - 1) return 1;
    let best = { d: Infinity, u: 0 };
    for (let k = 0; k <= 400; k++) {
      const d = closestOnCurve(c, surfacePoint(s, k / 400, 0.5)).distance;
      if (d < best.d) best = { d, u: k / 400 };
    }
    let [low, high] = [best.u - 1 / 400, best.u + 1 / 400];
    for (let k = 0; k < 50; k++) {
      const [x, y] = [high - 0.618034 * (high - low), low + 0.618034 * (high - low)];
      if (closestOnCurve(c, surfacePoint(s, x, 0.5)).distance < closestOnCurve(c, surfacePoint(s, y, 0.5)).distance) high = y;
      else low = x;
    }
    return (low + high) / 2;
  });
  const v = net.across.length ? [placeAcross(s, net.across[0].curve)] : [];
  return { surface: s, u, v, met: alone };
}
const pointOn = (c: NurbsCurve): Vec3 =>
  closestOnCurve(c, [c.control[0] / c.control[3], c.control[1] / c.control[3], c.control[2] / c.control[3]]).point;
/** The v at which a skin runs along a curve. */
function placeAcross(s: NurbsSurface, c: NurbsCurve): number {
  let best = { d: Infinity, v: 0 };
  const far = (v: number) => [0.1, 0.37, 0.64, 0.9].reduce((m, u) => Math.max(m, closestOnCurve(c, surfacePoint(s, u, v)).distance), 0);
  for (let k = 0; k <= 200; k++) {
    const d = far(k / 200);
    if (d < best.d) best = { d, v: k / 200 };
  }
  let [low, high] = [Math.max(0, best.v - 1 / 200), Math.min(1, best.v + 1 / 200)];
  for (let k = 0; k < 50; k++) {
    const [x, y] = [high - 0.618034 * (high - low), low + 0.618034 * (high - low)];
    if (far(x) < far(y)) high = y;
    else low = x;
  }
  const v = (low + high) / 2;
  return v < 1e-5 ? 0 : v > 1 - 1e-5 ? 1 : v;
}
/** Largest way from the curves to the skin: inner curves lie on it where it is moved along itself; the part between the outermost crossings counts. */
function missOf(s: NurbsSurface, list: readonly { curve: NurbsCurve; u?: number; v?: number }[]): { d: number; at: Vec3 } {
  let worst = { d: 0, at: surfacePoint(s, 0, 0) };
  for (const x of list)
    for (let i = 0; i <= 60; i++) {
      const near = [x.u ?? i / 60, x.v ?? i / 60] as const;
      const on = closestOnCurve(x.curve, surfacePoint(s, near[0], near[1]));
      const d = Math.min(on.distance, closestOnSurface(s, on.point, near).distance);
      if (d > worst.d) worst = { d, at: on.point };
    }
  return worst;
}
/** Corners where two borders ask for different normals, or a border leaves the tangent plane of the other one's neighbour. */
export function clashesOf(s: NurbsSurface, sides: readonly HeldSide[], borders: readonly { side: Side }[]): CornerClash[] {
  const out: CornerClash[] = [];
  const [u, v] = [domainU(s), domainV(s)];
  for (const a of ['u0', 'u1'] as const)
    for (const b of ['v0', 'v1'] as const) {
      const [ha, hb] = [sides.find((h) => h.side === a), sides.find((h) => h.side === b)];
      if (!ha && !hb) continue;
      const j = surfaceJet(s, u[a === 'u0' ? 0 : 1], v[b === 'v0' ? 0 : 1]);
      const na = ha?.behind(j.point, j.v).normal;
      const nb = hb?.behind(j.point, j.u).normal;
      let angle = 0;
      if (na && nb) angle = Math.max(angle, Math.asin(Math.min(1, length(cross(na, nb)))) / DEG);
      // the other border's own direction
      if (na && borders.some((x) => x.side === b)) angle = Math.max(angle, Math.abs(90 - angleBetween(na, j.u) / DEG));
      if (nb && borders.some((x) => x.side === a)) angle = Math.max(angle, Math.abs(90 - angleBetween(nb, j.v) / DEG));
      if (angle > 0.05) out.push({ at: j.point, angle });
    }
  return out;
}
export const weaveText = (m: Crossing): string => `${formatNumber(m.miss, 4)} mm between curves ${m.first + 1} and ${m.second + 1}`;
