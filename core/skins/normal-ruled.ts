import { type Body, BodyBuilder, joinEqualEdges, kinksOf, surfaceBody } from '../brep/index.ts';
import { add, cross, DEG, distance, dot, length, negate, scale, sub, unit, type Vec3 } from '../math/index.ts';
import {
  clipCurve,
  derivativesAt,
  domain,
  endPoint,
  fitFunction,
  fitLean,
  knotRuns,
  makeCompatible,
  type NurbsCurve,
  type NurbsSurface,
  pointAt,
  startPoint,
} from '../nurbs/index.ts';

export interface NormalRuledOptions {
  /** Ways out of the skin and into it (mm). */
  readonly out: number;
  readonly in: number;
  /** Lean away from the normal, across the curve (degrees); or the angle to a pull direction. */
  readonly angle: number;
  readonly pull?: Vec3;
  readonly tolerance: number;
  /**
   * A cross-section with steps instead of one straight line from `-in` to `out`: ways along the line's direction (mm) with a rise along
   * `rise` (mm), from the inner to the outer end. `in` and `out` then only say how far it reaches.
   */
  readonly section?: readonly { readonly along: number; readonly up: number }[];
  /** Unit direction of the rises. */
  readonly rise?: Vec3;
  /** Follow the curves within the tolerance with few spans, instead of keeping them exactly: for cutters. */
  readonly lean?: boolean;
}
export interface NormalRuledResult {
  readonly surfaces: readonly NurbsSurface[];
  readonly body: Body;
  /** Largest way of the skin from the straight lines asked for (mm). */
  readonly deviation: number;
  /** Corners that were closed, with the angle between the directions that meet there (degrees). */
  readonly corners: readonly { readonly at: Vec3; readonly angle: number }[];
}
interface Leg {
  readonly curve: NurbsCurve;
  readonly normal: (p: Vec3) => Vec3;
}

/**
 * Straight lines out of the points of a chain along the normals of the skin it lies on, leaned by an angle, or at an angle to a pull
 * direction. Where neighbouring curves ask for different directions (across a crease) both turn towards their common one over a short way,
 * so that the corner is closed. `normals[i]` gives the normal of the skin beside curve i.
 */
export function normalRuled(
  curves: readonly NurbsCurve[],
  normals: readonly ((p: Vec3) => Vec3)[],
  o: NormalRuledOptions,
  prefix: string,
): { ok: true; result: NormalRuledResult } | { ok: false; code: string; message: string; place?: readonly Vec3[] } {
  const legs: Leg[] = curves.flatMap((c, i) => {
    const cuts = [domain(c)[0], ...kinksOf(c), domain(c)[1]];
    return cuts.slice(1).map((t, k) => ({ curve: cuts.length === 2 ? c : clipCurve(c, cuts[k], t), normal: normals[i] }));
  });
  let lost: Vec3 | undefined;
  const directionAt = (leg: Leg, t: number): Vec3 => {
    const [p, d] = derivativesAt(leg.curve, t, 1);
    const tangent = length(d) > 1e-14 ? unit(d) : ([1, 0, 0] as Vec3);
    const n0 = leg.normal(p);
    const n = unit(sub(n0, scale(tangent, dot(n0, tangent))));
    if (o.pull) {
      const side0 = cross(tangent, o.pull);
      if (length(side0) < 1e-6) {
        lost ??= p;
        return o.pull;
      }
      const side = dot(side0, n) < 0 ? negate(unit(side0)) : unit(side0);
      // square to the curve's own direction stays the pull itself
      return add(scale(unit(o.pull), Math.cos(o.angle * DEG)), scale(side, Math.sin(o.angle * DEG)));
    }
    const across = cross(tangent, n);
    return add(scale(n, Math.cos(o.angle * DEG)), scale(across, Math.sin(o.angle * DEG)));
  };
  const closed = legs.length > 1 && distance(startPoint(legs[0].curve), endPoint(legs[legs.length - 1].curve)) < 1e-5;
  const ends = legs.map((l) => {
    const [a, b] = domain(l.curve);
    const h = 1e-7 * (b - a);
    return [directionAt(l, a + h), directionAt(l, b - h)] as const;
  });
  const corners: { at: Vec3; angle: number }[] = [];
  const common = (i: number, j: number): Vec3 | undefined => {
    const [x, y] = [ends[i][1], ends[j][0]];
    const angle = Math.atan2(length(cross(x, y)), dot(x, y)) / DEG;
    if (angle < 1e-4) return undefined;
    corners.push({ at: endPoint(legs[i].curve), angle });
    // long enough that both walls keep their height along their own direction
    return scale(add(x, y), 1 / (1 + dot(x, y)));
  };
  const at = legs.map((_, i) => (i + 1 < legs.length ? common(i, i + 1) : closed ? common(i, 0) : undefined));
  for (const c of corners)
    if (c.angle > 150)
      return {
        ok: false,
        code: 'sharp-corner',
        message:
          'Two faces fold back on each other here: their normals nearly oppose, so no wall closes the corner. End the chain before it',
        place: [c.at],
      };
  const surfaces: NurbsSurface[] = [];
  let deviation = 0;
  for (const [i, leg] of legs.entries()) {
    const before = i > 0 ? at[i - 1] : closed ? at[legs.length - 1] : undefined;
    const after = at[i];
    const [a, b] = domain(leg.curve);
    const zone = Math.min((b - a) / 2, ((b - a) * 2 * (Math.abs(o.out) + Math.abs(o.in))) / Math.max(1e-9, roughLength(leg.curve)));
    const fall = (x: number) => (x >= 1 ? 0 : (1 - x) ** 2 * (1 + 2 * x));
    const direction = (t: number): Vec3 => {
      let d = directionAt(leg, Math.min(b - 1e-9 * (b - a), Math.max(a + 1e-9 * (b - a), t)));
      if (before) d = add(d, scale(sub(before, ends[i][0]), fall((t - a) / zone)));
      if (after) d = add(d, scale(sub(after, ends[i][1]), fall((b - t) / zone)));
      return d;
    };
    const made = strip(leg.curve, direction, o, [...(before ? [a + zone] : []), ...(after ? [b - zone] : [])]);
    surfaces.push(...made.surfaces);
    deviation = Math.max(deviation, made.deviation);
  }
  if (lost)
    return {
      ok: false,
      code: 'along-pull',
      message: 'The curve runs along the pull direction here, so nothing stands at an angle to it: choose another pull, or the normals',
      place: [lost],
    };
  const builder = new BodyBuilder(Math.max(1e-6, 4 * o.tolerance));
  surfaces.forEach((s, k) => {
    const own = surfaces.length > 1 ? `${prefix}.${k + 1}` : prefix;
    surfaceBody(s, { prefix: own, face: (x, y, n, m) => `${own}:wall${n > 1 ? `.${x}` : ''}${m > 1 ? `.part${y}` : ''}` }, builder, {
      u: [],
    });
  });
  return { ok: true, result: { surfaces, body: joinEqualEdges(builder).body, deviation, corners } };
}
function roughLength(c: NurbsCurve): number {
  let l = 0;
  const [a, b] = domain(c);
  for (let i = 0; i < 16; i++) l += distance(pointAt(c, a + ((b - a) * i) / 16), pointAt(c, a + ((b - a) * (i + 1)) / 16));
  return l;
}
/** Ruled strips along a curve: u along it, v from the inner to the outer end. The curve itself is kept exactly where it has no weights. */
function strip(
  c: NurbsCurve,
  direction: (t: number) => Vec3,
  o: NormalRuledOptions,
  joints: readonly number[],
): { surfaces: NurbsSurface[]; deviation: number } {
  const [a, b] = domain(c);
  const runs = knotRuns(c.knots, c.degree);
  const high = Math.abs(o.out) + Math.abs(o.in);
  const plain = !o.lean && !c.rational && c.degree <= 5;
  // a cutter may lean a little beside the normals where it follows its curve closely
  const scaled = high * (o.lean ? LEAN : 1);
  const both = (t: number, out: Float64Array) => {
    const d = direction(t);
    for (let k = 0; k < 3; k++) out[k] = d[k] * scaled;
    if (!plain) out.set(pointAt(c, t), 3);
  };
  const turns = joints.map((t) => ({ t, multiplicity: 4 }));
  const fit = o.lean
    ? fitLean(both, a, b, 6, 5, o.tolerance, turns, false)
    : fitFunction(both, a, b, plain ? 3 : 6, 5, o.tolerance, [
        ...runs.values
          .slice(1, -1)
          .map((t, i) => ({ t, multiplicity: Math.min(5, Math.max(2, 5 - Math.max(0, c.degree - runs.multiplicities[i + 1] - 1))) })),
        ...turns,
      ]);
  const dims = plain ? 3 : 6;
  const n = fit.data.length / dims;
  let base: Float64Array;
  let d: Float64Array;
  let knots = fit.knots;
  if (plain) {
    const dir = new Float64Array(4 * n);
    for (let i = 0; i < n; i++) for (let k = 0; k < 3; k++) dir[4 * i + k] = fit.data[3 * i + k];
    const [x, y] = makeCompatible([
      { degree: c.degree, knots: unit01(c.knots), data: c.control, stride: 4 },
      { degree: 5, knots: unit01(fit.knots), data: dir, stride: 4 },
    ]);
    base = x.data;
    d = y.data;
    knots = x.knots.map((t) => a + (b - a) * t);
  } else {
    base = new Float64Array(4 * n);
    d = new Float64Array(4 * n);
    for (let i = 0; i < n; i++)
      for (let k = 0; k < 3; k++) {
        d[4 * i + k] = fit.data[6 * i + k] * (high / scaled);
        base[4 * i + k] = fit.data[6 * i + 3 + k];
      }
  }
  const count = base.length / 4;
  const degree = knots.length - count - 1;
  const section = o.section ?? [
    { along: -o.in, up: 0 },
    { along: o.out, up: 0 },
  ];
  const rail = ({ along, up }: { along: number; up: number }, i: number, k: number) =>
    base[4 * i + k] + (along / high) * d[4 * i + k] + up * (o.rise?.[k] ?? 0);
  const surfaces = section.slice(1).map((outer, m): NurbsSurface => {
    const control = new Float64Array(count * 8);
    for (let i = 0; i < count; i++) {
      for (let k = 0; k < 3; k++) {
        control[8 * i + k] = rail(section[m], i, k);
        control[8 * i + 4 + k] = rail(outer, i, k);
      }
      control[8 * i + 3] = control[8 * i + 7] = 1;
    }
    return {
      degreeU: degree,
      degreeV: 1,
      knotsU: knots,
      knotsV: Float64Array.of(0, 0, 1, 1),
      countU: count,
      countV: 2,
      control,
      rational: false,
    };
  });
  return { surfaces, deviation: fit.deviation };
}
/** Share of the tolerance that counts for the far ends of a lean strip. */
const LEAN = 0.2;
const unit01 = (k: Float64Array) => k.map((t) => (t - k[0]) / (k[k.length - 1] - k[0]));
