import { type Body, edgeCurve, Neighbour } from '../brep/index.ts';
import { add, cross, distance, dot, gaussRule, length, scale, sub, unit, type Vec3 } from '../math/index.ts';
import {
  domain,
  domainU,
  domainV,
  endPoint,
  evaluateSurface,
  fitSurface,
  growSurface,
  isClosedU,
  isClosedV,
  type NurbsCurve,
  type NurbsSurface,
  pointAt,
  reverseCurve,
  startPoint,
} from '../nurbs/index.ts';

/** How a strip goes on from a rim: with the face's own surface, along tangents, or with the curvature it has there. */
export type RimWay = 'natural' | 'linear' | 'arc';
export interface RimEdge {
  readonly edge: number;
  readonly reversed: boolean;
}
export interface RimStrip {
  readonly surface: NurbsSurface;
  /** Is the strip's normal (u along the edge, v outwards) against the outside of the face? */
  readonly reversed: boolean;
  readonly face: number;
  /** Largest distance from the way asked for, mm. */
  readonly deviation: number;
  /** Largest angle to the face along the edge, degrees, at places that were not fitted. */
  readonly angle: number;
}
export interface StripProblem {
  readonly message: string;
  readonly place: Vec3;
}
interface Leg {
  readonly curve: NurbsCurve;
  readonly beside: Neighbour;
  readonly at: (t: number) => Side;
}
/** The face beside a place of the rim. */
interface Side {
  readonly point: Vec3;
  readonly normal: Vec3;
  readonly away: Vec3;
  readonly uv: readonly [number, number];
  readonly partials: readonly Vec3[];
}
const J = new Float64Array(12);
/** How near strips come to what is asked, as a share of the model's tolerance: their edges are sewn to the skin's. */
const FIT = 0.005;

/**
 * Strips of `by` mm beyond a chain of rims. Between two strips that ask for different directions both turn towards their common one (along
 * the line in which their tangent planes meet, or along the mitre), so that corners are closed; what remains between them of second order
 * is shared.
 */
export function rimStrips(
  b: Body,
  chain: readonly RimEdge[],
  by: number,
  way: RimWay,
  tolerance: number,
): { ok: true; strips: RimStrip[]; corners: Vec3[] } | ({ ok: false } & StripProblem) {
  const legs = chain.map(({ edge, reversed }): Leg => {
    const curve = reversed ? reverseCurve(edgeCurve(b.edges[edge])) : edgeCurve(b.edges[edge]);
    const beside = new Neighbour(b, [{ edge, reversed }]);
    return { curve, beside, at: (t) => sideAt(beside, pointAt(curve, t)) };
  });
  const last = legs.length - 1;
  const near = (p: Vec3, q: Vec3) => distance(p, q) < Math.max(10 * tolerance, 1e-5);
  const closed = near(startPoint(legs[0].curve), endPoint(legs[last].curve));
  const ends = legs.map((l) => {
    const [a, z] = domain(l.curve);
    const h = 1e-6 * (z - a);
    return [l.at(a + h), l.at(z - h)] as const;
  });
  const corners: Vec3[] = [];
  const joints: (Vec3 | undefined)[] = [];
  for (let i = 0; i <= last; i++) {
    const j = i < last ? i + 1 : closed ? 0 : -1;
    if (j < 0 || (i === j && legs.length === 1 && length(sub(ends[0][1].away, ends[0][0].away)) < 1e-4)) {
      joints.push(undefined);
      continue;
    }
    const d = commonWay(ends[i][1], ends[j][0]);
    if (d === 'none')
      return {
        ok: false,
        message: 'two rims fold back on each other here, so no strip closes the corner: extend them apart',
        place: endPoint(legs[i].curve),
      };
    joints.push(d);
    if (d) corners.push(endPoint(legs[i].curve));
  }
  const turned = legs.map((leg, i) => ({
    leg,
    before: i > 0 ? joints[i - 1] : closed ? joints[last] : undefined,
    after: joints[i],
    ends: ends[i],
  }));
  const ways = turned.map((x) => wayOf(b, x, by, way));
  const strips: RimStrip[] = [];
  for (const [i, { leg, before, after }] of turned.entries()) {
    const [a, z] = domain(leg.curve);
    const zone = zoneOf(leg.curve, by);
    // what both sides of a corner differ in is shared between them
    const shared = (t: number, s: number): Vec3 => {
      let out: Vec3 = [0, 0, 0];
      if (before) {
        const o = i > 0 ? i - 1 : last;
        const m = scale(sub(ways[o](domain(legs[o].curve)[1], s), ways[i](a, s)), 0.5);
        out = add(out, scale(m, fall((t - a) / zone)));
      }
      if (after) {
        const o = i < last ? i + 1 : 0;
        const m = scale(sub(ways[o](domain(legs[o].curve)[0], s), ways[i](z, s)), 0.5);
        out = add(out, scale(m, fall((z - t) / zone)));
      }
      return out;
    };
    const plain = !before && !after;
    const point = (t: number, s: number): Vec3 => (plain ? ways[i](t, s) : add(ways[i](t, s), shared(t, s)));
    const like = likeOf(leg.curve, [...(before ? [a + zone] : []), ...(after ? [z - zone] : [])]);
    const fit = fitSurface(
      (us, vs) => {
        const out = new Float64Array(us.length * vs.length * 3);
        for (let k = 0; k < us.length; k++) for (let m = 0; m < vs.length; m++) out.set(point(us[k], vs[m]), 3 * (k * vs.length + m));
        return out;
      },
      [a, z, 0, 1],
      like,
      FIT * tolerance,
      5,
      64,
    );
    let angle = 0;
    let turn = 0;
    for (let k = 0; k < 24; k++) {
      const t = a + ((z - a) * (k + 0.37)) / 24;
      const own = leg.at(t);
      evaluateSurface(fit.surface, t, 0, 1, J);
      const n = unit(cross([J[6], J[7], J[8]], [J[3], J[4], J[5]]));
      const c = dot(n, own.normal);
      turn += Math.sign(c);
      angle = Math.max(angle, (Math.acos(Math.min(1, Math.abs(c))) * 180) / Math.PI);
      for (const s of [0.33, 0.71, 1]) {
        evaluateSurface(fit.surface, t, s, 1, J);
        const m = cross([J[6], J[7], J[8]], [J[3], J[4], J[5]]);
        if (length(m) < 1e-9 * length([J[6], J[7], J[8]]) * length([J[3], J[4], J[5]]))
          return {
            ok: false,
            message: 'the strip folds here: its rim bends more tightly than the way it is to go. Make it shorter',
            place: own.point,
          };
      }
    }
    if (!Number.isFinite(fit.deviation))
      return { ok: false, message: 'the surface ends in a point here and cannot be carried on', place: startPoint(leg.curve) };
    const folded = foldOf(fit.surface);
    if (folded)
      return {
        ok: false,
        message: 'the strip folds over here: its rim bends more tightly than the way it is to go. Make it shorter, or pick fewer edges',
        place: folded,
      };
    strips.push({ surface: fit.surface, reversed: turn < 0, face: leg.beside.faces[0], deviation: fit.deviation, angle });
  }
  return { ok: true, strips, corners };
}

function sideAt(beside: Neighbour, p: Vec3): Side {
  const j = beside.at(p);
  return { point: j.point, normal: j.normal, away: j.away, uv: j.uv, partials: j.partials };
}
const fall = (x: number) => (x >= 1 ? 0 : x <= 0 ? 1 : (1 - x) ** 3 * (1 + 3 * x + 6 * x * x));
const zoneOf = (c: NurbsCurve, by: number): number => {
  const [a, z] = domain(c);
  let l = 0;
  for (let i = 0; i < 16; i++) l += distance(pointAt(c, a + ((z - a) * i) / 16), pointAt(c, a + ((z - a) * (i + 1)) / 16));
  return Math.min((z - a) / 2, ((z - a) * 3 * by) / Math.max(1e-9, l));
};

/** Direction both sides of a corner agree on, one mm out of each; undefined when they agree already. */
function commonWay(x: Side, y: Side): Vec3 | undefined | 'none' {
  if (length(sub(x.away, y.away)) < 1e-6) return undefined;
  const line = cross(x.normal, y.normal);
  if (length(line) > 1e-4) {
    const d = unit(line);
    const c = (dot(d, x.away) + dot(d, y.away)) / 2;
    if (Math.abs(c) < 0.1 || dot(d, x.away) * dot(d, y.away) <= 0) return 'none';
    return scale(d, 1 / c);
  }
  const c = 1 + dot(x.away, y.away);
  return c < 0.05 ? 'none' : scale(add(x.away, y.away), 1 / c);
}

/** Point at share `s` of the way out of the rim at parameter t. */
function wayOf(
  b: Body,
  { leg, before, after, ends }: { leg: Leg; before?: Vec3; after?: Vec3; ends: readonly [Side, Side] },
  by: number,
  way: RimWay,
): (t: number, s: number) => Vec3 {
  const [a, z] = domain(leg.curve);
  const zone = zoneOf(leg.curve, by);
  const known = new Map<number, { side: Side; d: Vec3; carried?: (s: number) => Vec3 }>();
  const face = b.faces[leg.beside.faces[0]];
  let grown: NurbsSurface | undefined;
  const at = (t: number) => {
    const kept = known.get(t);
    if (kept) return kept;
    const h = 1e-9 * (z - a);
    // the way out is looked for a hair inside the ends, the place itself is exact
    const found = leg.at(Math.min(z - h, Math.max(a + h, t)));
    const side: Side = { ...found, point: pointAt(leg.curve, t) };
    const beside = sub(side.point, found.point);
    let d = side.away;
    if (before) d = add(d, scale(sub(before, ends[0].away), fall((t - a) / zone)));
    if (after) d = add(d, scale(sub(after, ends[1].away), fall((z - t) / zone)));
    // it stays in the tangent plane
    d = sub(d, scale(side.normal, dot(d, side.normal)));
    const made: { side: Side; d: Vec3; carried?: (s: number) => Vec3 } = { side, d };
    if (way === 'natural') {
      grown ??= grownFor(face.surface, by);
      const on = carriedOn(grown ?? face.surface, side, d, by);
      made.carried = (s) => add(on(s), beside);
    }
    known.set(t, made);
    return made;
  };
  return (t, s) => {
    const { side, d, carried } = at(t);
    if (carried) return carried(s);
    if (way === 'linear') return add(side.point, scale(d, by * s));
    const l = length(d);
    const e = scale(d, 1 / l);
    const k = curvatureAlong(side, e);
    const x = by * s * l;
    if (Math.abs(k * x) < 1e-9) return add(side.point, scale(e, x));
    return add(add(side.point, scale(e, Math.sin(k * x) / k)), scale(side.normal, (1 - Math.cos(k * x)) / k));
  };
}
/** Curvature of the surface along a unit direction of its tangent plane, positive towards the normal (do Carmo 1976, 3-2). */
function curvatureAlong(side: Side, e: Vec3): number {
  const [du, dv] = inPlane(side.partials, e);
  const p = side.partials;
  const second = add(add(scale(p[8], du * du), scale(p[5], 2 * du * dv)), scale(p[2], dv * dv));
  return dot(second, side.normal);
}
/** (du, dv) of a tangent vector. Partial S^(k,l) stands at 4k+l. */
function inPlane(p: readonly Vec3[], d: Vec3): readonly [number, number] {
  const [u, v] = [p[4], p[1]];
  const [E, F, G] = [dot(u, u), dot(u, v), dot(v, v)];
  const [x, y] = [dot(d, u), dot(d, v)];
  const det = E * G - F * F;
  return det > 1e-30 ? [(x * G - y * F) / det, (y * E - x * F) / det] : [0, 0];
}
function grownFor(s: NurbsSurface, by: number): NurbsSurface | undefined {
  const [u0, u1] = domainU(s);
  const [v0, v1] = domainV(s);
  const reach = (k: number): number => {
    const u = k === 0 ? u0 : k === 1 ? u1 : (u0 + u1) / 2;
    const v = k === 2 ? v0 : k === 3 ? v1 : (v0 + v1) / 2;
    if (k < 2 ? isClosedU(s, 1e-6) : isClosedV(s, 1e-6)) return 0;
    evaluateSurface(s, u, v, 1, J);
    const o = k < 2 ? 6 : 3;
    const speed = Math.hypot(J[o], J[o + 1], J[o + 2]);
    const whole = k < 2 ? u1 - u0 : v1 - v0;
    return speed > 1e-12 ? Math.min(4 * whole, (3 * by) / speed) : 0;
  };
  return growSurface(s, [reach(0), reach(1), reach(2), reach(3)], 'natural');
}
/** The surface's own way out of a place: along a straight line of its parameters, by its true length. */
function carriedOn(s: NurbsSurface, side: Side, d: Vec3, by: number): (share: number) => Vec3 {
  const [du, dv] = inPlane(side.partials, d);
  const l = length(d);
  const wrap = [isClosedU(s, 1e-6), isClosedV(s, 1e-6)];
  const [du0, du1] = domainU(s);
  const [dv0, dv1] = domainV(s);
  const into = (x: number, a: number, b: number, round: boolean) =>
    round ? a + ((((x - a) % (b - a)) + (b - a)) % (b - a)) : Math.min(b, Math.max(a, x));
  const jet = (sigma: number) =>
    evaluateSurface(s, into(side.uv[0] + sigma * du, du0, du1, wrap[0]), into(side.uv[1] + sigma * dv, dv0, dv1, wrap[1]), 1, J);
  const speed = (sigma: number) => {
    jet(sigma);
    return Math.hypot(J[6] * du + J[3] * dv, J[7] * du + J[4] * dv, J[8] * du + J[5] * dv);
  };
  const { nodes, weights } = gaussRule(8);
  return (share) => {
    const want = by * share * l;
    let sigma = by * share;
    for (let k = 0; k < 12 && want > 0; k++) {
      let sum = 0;
      for (let g = 0; g < 8; g++) sum += (weights[g] * speed((sigma * (1 + nodes[g])) / 2) * sigma) / 2;
      const v = speed(sigma);
      if (!(v > 1e-12)) break;
      const step = (want - sum) / v;
      sigma += step;
      if (Math.abs(step) < 1e-13 * by) break;
    }
    jet(sigma);
    return [J[0], J[1], J[2]];
  };
}
/** A surface that only lends its breaks: those of the curve along u, none across. */
function likeOf(c: NurbsCurve, joints: readonly number[]): NurbsSurface {
  const inner = [...Array.from(c.knots), ...joints].sort((x, y) => x - y);
  const degree = c.degree;
  const count = inner.length - degree - 1;
  return {
    degreeU: degree,
    degreeV: 1,
    knotsU: Float64Array.from(inner),
    knotsV: Float64Array.of(0, 0, 1, 1),
    countU: count,
    countV: 2,
    control: new Float64Array(count * 8),
    rational: false,
  };
}
/** A place where a strip turns over, seen by its normals beside each other. */
function foldOf(s: NurbsSurface): Vec3 | undefined {
  const [u0, u1] = domainU(s);
  for (let i = 0; i <= 40; i++) {
    const u = u0 + ((u1 - u0) * i) / 40;
    let before: Vec3 | undefined;
    for (let k = 0; k <= 6; k++) {
      evaluateSurface(s, u, k / 6, 1, J);
      const n = cross([J[6], J[7], J[8]], [J[3], J[4], J[5]]);
      if (before && dot(n, before) < 0) return [J[0], J[1], J[2]];
      before = n;
    }
  }
  return undefined;
}
