import { type Body, BodyBuilder, capRim, flipBody, joinEqualEdges, kinksOf, surfaceBody } from '../brep/index.ts';
import { roundCorners } from '../curves/index.ts';
import {
  add,
  cross,
  DEG,
  distance,
  dot,
  type Frame,
  formatNumber,
  length,
  rotateAbout,
  scale,
  sub,
  translation,
  unit,
  type Vec3,
} from '../math/index.ts';
import {
  arcOf,
  averagedKnots,
  basisDerivatives,
  clipCurve,
  closestOnCurve,
  derivativesAt,
  domain,
  endPoint,
  evaluateNet,
  findSpan,
  fitFunction,
  fitPeriodic,
  interpolateInSpace,
  joinCurves,
  knotRuns,
  leanFit,
  lengthTable,
  type Net,
  type NurbsCurve,
  type NurbsSurface,
  planeOf,
  pointAt,
  revolvedSurface,
  ruledSurface,
  startPoint,
  transformCurve,
  transpose,
} from '../nurbs/index.ts';
import { type Carrying, inFrame, type PathFrames, pathFrames, turnWith } from './frames.ts';
import { surfaceFlux } from './loft.ts';
import { commonRows, isRing, type LineUp } from './sections.ts';

export interface SweepOptions extends LineUp {
  readonly carry: Carrying;
  /** Sections stay where they were drawn, or are set square onto the path with their middle on it. */
  readonly place: 'drawn' | 'square';
  /** Turn about the path (degrees) and size, by share of the whole length. */
  readonly twist?: (share: number) => number;
  readonly size?: (share: number) => number;
  readonly corner: { readonly kind: 'mitre' } | { readonly kind: 'round'; readonly radius: number };
  /** The path is bent at its ends so that the skin leaves the first and the last section along their normals. */
  readonly normalEnds: boolean;
  readonly cap: boolean;
  /** Build in spite of folds; they are told all the same. */
  readonly foldAllowed?: boolean;
}
/** Stretch of the path where neighbouring sections cross each other. */
export interface Fold {
  /** Shares of the whole path. */
  readonly from: number;
  readonly to: number;
  readonly points: readonly Vec3[];
  /** Smallest radius of the path there, and how far the section reaches to the inner side (mm). */
  readonly radius: number;
  readonly reach: number;
  /** The largest size of the section, as a factor, that does not fold. */
  readonly factor: number;
}
export interface SweepResult {
  readonly surfaces: readonly NurbsSurface[];
  readonly body: Body;
  readonly path: readonly NurbsCurve[];
  readonly closed: boolean;
  readonly exact: boolean;
  readonly deviation: number;
  readonly folds: readonly Fold[];
  /** Smallest margin of the fold check: 1 on a straight path, 0 where it just folds. */
  readonly margin: number;
  /** Places where different stretches of the sweep run into each other. */
  readonly meets?: { readonly at: readonly Vec3[] };
  readonly capNotes: readonly string[];
  readonly rails: readonly {
    readonly points: readonly Vec3[];
    readonly start: number;
    readonly reversed: boolean;
    readonly direction: Vec3;
  }[];
  readonly closedSections: boolean;
  /** Smallest radius of the path, mm. */
  readonly tightest: number;
}
export type SweepOutcome =
  | { readonly ok: true; readonly result: SweepResult }
  | {
      readonly ok: false;
      readonly code: string;
      readonly message: string;
      readonly place?: readonly Vec3[];
      readonly folds?: readonly Fold[];
    };

/** Sections in the frames of a path, as functions of the length along it. */
interface Motion {
  readonly frames: PathFrames;
  readonly offset: number;
  /** Control points (homogeneous, in space) of the section at length s of this leg (the path's parameter there, if known). */
  readonly rows: (s: number, out: Float64Array, parameter?: number) => void;
  /** Places on the section at length s. */
  readonly points: (s: number) => Vec3[];
  /** Normal of the section's plane in space. */
  readonly plane: (s: number) => Vec3;
  /** Origin and the three axes (times size) at length s, 12 numbers: all of a motion whose section does not change. */
  readonly frame: (s: number, out: Float64Array, parameter?: number) => void;
  /** Parameters of the path where a fit needs knots. */
  readonly breaks: readonly { t: number; multiplicity: number }[];
  /** Slid into a mitre plane at an end. */
  readonly mitred: boolean;
  /** A section carried rigidly with least twist, in the frames: places, and the normal of its plane. How it moves is told by the bend alone then. */
  readonly rigid?: { readonly points: readonly Vec3[]; readonly normal: Vec3 };
}

/** Sweeps sections along a path (mm). Errors are values with reason and place. */
export function sweep(
  sections: readonly (readonly NurbsCurve[])[],
  pathCurves: readonly NurbsCurve[],
  o: SweepOptions,
  prefix: string,
): SweepOutcome {
  const curves = sections.map((s) => joinCurves(s));
  const prepared = legsOf(pathCurves, o);
  if (!prepared.ok) return prepared;
  const { ring } = prepared;
  if (ring) {
    const [s0, s1] = [o.size?.(0) ?? 1, o.size?.(1) ?? 1];
    const turn = (o.twist?.(1) ?? 0) - (o.twist?.(0) ?? 0);
    const open =
      Math.abs(s1 - s0) > 1e-9 * (Math.abs(s0) + Math.abs(s1))
        ? `the size at its end must be the one at its start (${formatNumber(s0, 4)} and ${formatNumber(s1, 4)})`
        : Math.abs(turn - 360 * Math.round(turn / 360)) > 1e-9
          ? `the twist over it must be whole turns (${formatNumber(turn, 2)}° now)`
          : undefined;
    if (open) return { ok: false, code: 'law-open', message: `The path is closed: ${open}`, place: [startPoint(prepared.legs[0])] };
  }
  let legs = prepared.legs;
  const lengths = () => legs.map((l) => lengthTable(l).total);
  const total = lengths().reduce((a, b) => a + b, 0);
  if (!(total > 1e-9)) return { ok: false, code: 'no-path', message: 'The path has no length' };
  let spots = curves.map((c) => spotOf(c, legs, ring));
  if (o.normalEnds) {
    if (ring || legs.length > 1)
      return {
        ok: false,
        code: 'normal-ends',
        message: 'Leaving the sections along their normals needs one smooth open path: turn it off, or take a path without corners',
      };
    legs = [squareEnds(legs[0], curves, spots, o.tolerance)];
    spots = curves.map((c) => spotOf(c, legs, ring));
  }
  // lines and arcs are swept exactly, each by itself
  if (curves.length === 1 && !o.twist && !o.size && o.carry.kind === 'least') legs = legs.flatMap((l) => linesAndArcs(l) ?? [l]);
  spots = curves.map((c) => spotOf(c, legs, ring));
  // frames, leg by leg
  const framed: PathFrames[] = [];
  for (const [i, leg] of legs.entries()) {
    const before = framed[i - 1];
    let first: Vec3 | undefined;
    if (before) {
      const end = before.at(before.length);
      first = turnWith(end.z, derivativesAt(leg, domain(leg)[0], 1)[1], end.x);
    }
    const f = pathFrames(leg, o.carry, first, ring && legs.length === 1);
    if (!f.ok) return { ok: false, code: 'frames', message: f.message, place: [f.place] };
    framed.push(f.frames);
  }
  const offsets = framed.map((_, i) => framed.slice(0, i).reduce((s, f) => s + f.length, 0));
  const whole = framed.reduce((s, f) => s + f.length, 0);
  // sections in their frames
  const homes = spots.map((spot) => framed[spot.leg].at(spot.s));
  const placed = curves.map((c, k) => (o.place === 'square' ? ontoPath(c, homes[k]) : c));
  const local = (p: Vec3, k: number): Vec3 => {
    const d = sub(p, homes[k].origin);
    return [dot(d, homes[k].x), dot(d, homes[k].y), dot(d, homes[k].z)];
  };
  const common = commonRows(placed, o, local);
  if (!common.ok) return common;
  const at = spots.map((spot) => (offsets[spot.leg] + spot.s) / whole);
  const order = at.map((_, k) => k).sort((a, b) => at[a] - at[b]);
  for (let k = 1; k < order.length; k++)
    if (at[order[k]] - at[order[k - 1]] < 1e-6)
      return {
        ok: false,
        code: 'same-place',
        message: `Sections ${order[k - 1] + 1} and ${order[k] + 1} stand at the same place of the path: move one of them along it`,
        place: [homes[order[k]].origin],
      };
  const rows = common.rows;
  const count = rows[0].control.length / 4;
  const shape = shapeAlong(
    order.map((k) => at[k]),
    order.map((k) => localRow(rows[k], homes[k])),
    order.map((k) => planeNormal(placed[k], homes[k])),
    o.normalEnds,
    ring,
  );
  const rational = rows.some((r) => r.rational);
  const plain = order.length === 1 && !o.twist && !o.size;
  const sample = sampler(rows[0]);
  const turnOver = (i: number) => framed[ring ? (i + framed.length) % framed.length : i];
  const motions = framed.map((frames, i): Motion => {
    const mitres: Mitres =
      framed.length > 1 ? [mitreNormal(turnOver(i - 1), frames), mitreNormal(frames, turnOver(i + 1))] : [undefined, undefined];
    return motionOf(frames, offsets[i], whole, shape, count, sample, o, ring && legs.length === 1, mitres);
  });
  const fold = foldsOf(motions, whole);
  if (fold.folds.length && !o.foldAllowed) {
    const f = fold.folds.reduce((a, b) => (b.factor < a.factor ? b : a));
    return {
      ok: false,
      code: 'folds',
      message: `The sweep folds over itself between ${percent(f.from)} and ${percent(f.to)} of the path: it bends with a radius of ${formatNumber(f.radius, 2)} mm there and the section reaches ${formatNumber(f.reach, 2)} mm to the inner side. A radius of ${formatNumber(f.reach * 1.05, 2)} mm clears it, or a section of ${Math.floor(95 * f.factor)} % of its size`,
      place: f.points,
      folds: fold.folds,
    };
  }
  const like: NurbsCurve = { ...rows[0], rational: true };
  const surfaces: NurbsSurface[] = [];
  let deviation = common.deviation;
  let exact = common.exact;
  for (const [i, m] of motions.entries()) {
    const one = order.length === 1 ? localRow(rows[0], homes[0]) : undefined;
    const made = legSurface(m, legs[i], like, rational, plain, one, o, ring && legs.length === 1);
    surfaces.push(made.surface);
    deviation = Math.max(deviation, made.deviation);
    exact = exact && made.exact;
  }
  const { body, capNotes } = bodyOfLegs(surfaces, prefix, o.cap && common.closed && !ring);
  return {
    ok: true,
    result: {
      surfaces,
      body,
      path: legs,
      closed: ring,
      exact,
      deviation,
      folds: fold.folds,
      margin: fold.margin,
      meets: crossesItself(motions, ring),
      capNotes,
      rails: common.tracks.map((t) => ({
        points: Array.from({ length: 65 }, (_, i) => pointAt(t.curve, t.table.near((i / 64) * t.total))),
        start: t.start,
        reversed: t.reversed,
        direction: sub(t.at(0.04), t.at(0)),
      })),
      closedSections: common.closed,
      tightest: fold.tightest,
    },
  };
}
const percent = (x: number) => `${(100 * x).toFixed(0)} %`;

/** Smooth legs of a path; corners are rounded first when asked. */
export function legsOf(
  given: readonly NurbsCurve[],
  o: Pick<SweepOptions, 'corner'>,
): { ok: true; legs: NurbsCurve[]; ring: boolean } | { ok: false; code: string; message: string; place?: readonly Vec3[] } {
  const split = (c: NurbsCurve) => {
    const cuts = [domain(c)[0], ...kinksOf(c, 0.05), domain(c)[1]];
    return cuts.slice(1).map((t, i) => (cuts.length === 2 ? c : clipCurve(c, cuts[i], t)));
  };
  const joined = joinCurves(given);
  const ring = isRing(joined);
  let legs = split(joined);
  const sharp = ring && legs.length >= 1 && turnBetween(legs[legs.length - 1], legs[0]) > 0.05 * DEG;
  if (legs.length > 1 && o.corner.kind === 'round') {
    const out: NurbsCurve[] = [legs[0]];
    for (let i = 1; i < legs.length; i++) {
      const [a, b] = [out[out.length - 1], legs[i]];
      const r = roundPair(a, b, o.corner.radius);
      if ('message' in r) return { ok: false, code: 'corner-radius', message: r.message, place: [r.place] };
      out.splice(out.length - 1, 1, ...r.curves);
    }
    if (sharp) {
      const r = roundPair(out[out.length - 1], out[0], o.corner.radius);
      if ('message' in r) return { ok: false, code: 'corner-radius', message: r.message, place: [r.place] };
      const [a, arc, b] = r.curves;
      out[0] = b;
      out.splice(out.length - 1, 1, a, arc);
    }
    legs = out;
  } else if (sharp && o.corner.kind === 'round' && legs.length === 1) {
    const r = roundPair(legs[0], legs[0], o.corner.radius);
    if ('message' in r) return { ok: false, code: 'corner-radius', message: r.message, place: [r.place] };
  } else if (ring && !sharp && legs.length > 1) {
    // the ring's own join is smooth: the first leg goes on from the last
    const last = legs.pop() as NurbsCurve;
    legs[0] = joinCurves([last, legs[0]]);
  }
  for (let i = 0; i < legs.length; i++) {
    const next = legs[i + 1] ?? (ring && legs.length > 1 ? legs[0] : undefined);
    if (next && turnBetween(legs[i], next) > 170 * DEG)
      return {
        ok: false,
        code: 'sharp-corner',
        message: 'The path turns back on itself here: no mitre fits. Round the corner or open it',
        place: [endPoint(legs[i])],
      };
  }
  return { ok: true, legs, ring };
}
/** Pieces of a smooth curve that consists of lines and arcs alone. */
function linesAndArcs(c: NurbsCurve): NurbsCurve[] | undefined {
  const { values, multiplicities } = knotRuns(c.knots, c.degree);
  const cuts = values.filter((_, i) => i === 0 || i === values.length - 1 || multiplicities[i] >= c.degree);
  if (cuts.length < 3) return undefined;
  const pieces = cuts.slice(1).map((t, i) => clipCurve(c, cuts[i], t));
  if (!pieces.every((x) => isStraight(x) || arcOf(x))) return undefined;
  // quarters of one circle are one arc
  const out: NurbsCurve[] = [];
  for (const x of pieces) {
    const both = out.length ? joinCurves([out[out.length - 1], x]) : undefined;
    if (both && (isStraight(both) || (!isRing(both) && arcOf(both)))) out[out.length - 1] = both;
    else out.push(x);
  }
  return out;
}
function turnBetween(a: NurbsCurve, b: NurbsCurve): number {
  const [p, q] = [unit(derivativesAt(a, domain(a)[1], 1)[1]), unit(derivativesAt(b, domain(b)[0], 1)[1])];
  return Math.atan2(length(cross(p, q)), dot(p, q));
}
function roundPair(a: NurbsCurve, b: NurbsCurve, radius: number): { curves: NurbsCurve[] } | { message: string; place: Vec3 } {
  const [p, q] = [derivativesAt(a, domain(a)[1], 1)[1], derivativesAt(b, domain(b)[0], 1)[1]];
  const z = cross(p, q);
  const place = endPoint(a);
  if (length(z) < 1e-12) return { curves: [a, b] };
  const x = unit(p);
  const frame: Frame = { origin: place, x, z: unit(z), y: cross(unit(z), x) };
  for (const c of [a, b]) {
    const flat = planeOf([c]);
    if (flat && flat.deviation < 1e-6 && Math.abs(Math.abs(dot(flat.frame.z, frame.z)) - 1) > 1e-9)
      return { message: 'The curves beside this corner lie in different planes: round it on the path itself, or mitre it', place };
    if (flat && flat.deviation >= 1e-6)
      return { message: 'The path is not flat beside this corner: mitre it, or round the path itself', place };
  }
  const r = roundCorners([a, b], false, frame, radius, 'all');
  return r.ok ? { curves: [...r.curves] } : { message: r.message, place: r.place };
}

/** The place of the path that belongs to a section: nearest to its middle; ends count where the middle lies beyond them. */
function spotOf(c: NurbsCurve, legs: readonly NurbsCurve[], ring: boolean): { leg: number; s: number } {
  const t = lengthTable(c);
  const n = 48;
  let middle: Vec3 = [0, 0, 0];
  for (let i = 0; i < n; i++) middle = add(middle, scale(pointAt(c, t.near(((i + 0.5) / n) * t.total)), 1 / n));
  // where the path pierces the section's plane nearest to the middle, else the nearest place
  const plane = planeOf([c]);
  let best = { d: Infinity, leg: 0, s: 0 };
  legs.forEach((leg, k) => {
    const table = lengthTable(leg);
    const foot = closestOnCurve(leg, middle);
    if (foot.distance < best.d) best = { d: foot.distance, leg: k, s: table.lengthAt(foot.t) };
  });
  if (plane && plane.deviation < 1e-4) {
    const leg = legs[best.leg];
    const table = lengthTable(leg);
    let t0 = table.near(best.s);
    const [a, b] = domain(leg);
    for (let k = 0; k < 20; k++) {
      const [p, d] = derivativesAt(leg, t0, 1);
      const slope = dot(d, plane.frame.z);
      if (Math.abs(slope) < 0.2 * length(d)) break;
      const next = Math.min(b, Math.max(a, t0 - dot(sub(p, plane.frame.origin), plane.frame.z) / slope));
      if (Math.abs(next - t0) < 1e-14 * (b - a)) break;
      t0 = next;
    }
    const s = table.lengthAt(t0);
    if (Math.abs(s - best.s) < 0.25 * table.total) best = { ...best, s };
  }
  const L = lengthTable(legs[best.leg]).total;
  const near = 1e-7 * L;
  if (!ring || legs.length > 1) best.s = best.s < near ? 0 : best.s > L - near ? L : best.s;
  else if (best.s > L - near) best.s = 0;
  return best;
}
/** The path with its ends bent towards the normals of the sections that stand there. */
function squareEnds(leg: NurbsCurve, curves: readonly NurbsCurve[], spots: readonly { s: number }[], tolerance: number): NurbsCurve {
  const table = lengthTable(leg);
  const L = table.total;
  const turnAt = (end: boolean) => {
    const k = spots.findIndex((s) => Math.abs(s.s - (end ? L : 0)) < 0.02 * L);
    const plane = k >= 0 ? planeOf([curves[k]]) : undefined;
    if (!plane) return undefined;
    const t = unit(derivativesAt(leg, end ? domain(leg)[1] : domain(leg)[0], 1)[1]);
    const n = dot(plane.frame.z, t) < 0 ? scale(plane.frame.z, -1) : plane.frame.z;
    return sub(n, t);
  };
  const [d0, d1] = [turnAt(false), turnAt(true)];
  if (!d0 && !d1) return leg;
  const fit = fitFunction(
    (s, out) => {
      const x = s / L;
      const p = pointAt(leg, table.near(s));
      // quintic with unit slope at one end: value and bend of the path there stay
      const h0 = L * (x - 6 * x ** 3 + 8 * x ** 4 - 3 * x ** 5);
      const y = 1 - x;
      const h1 = -L * (y - 6 * y ** 3 + 8 * y ** 4 - 3 * y ** 5);
      for (let k = 0; k < 3; k++) out[k] = p[k] + (d0 ? d0[k] * h0 : 0) + (d1 ? d1[k] * h1 : 0);
    },
    0,
    L,
    3,
    5,
    Math.max(1e-8 * (1 + L), 0.05 * tolerance),
    knotRuns(leg.knots, leg.degree)
      .values.slice(1, -1)
      .map((t) => ({ t: table.lengthAt(t), multiplicity: 3 })),
  );
  const n = fit.data.length / 3;
  const control = new Float64Array(4 * n);
  for (let i = 0; i < n; i++) control.set([fit.data[3 * i], fit.data[3 * i + 1], fit.data[3 * i + 2], 1], 4 * i);
  return { dim: 3, degree: 5, knots: fit.knots, control, rational: false };
}
/** A section turned square to the path, its middle on it; flat ones keep their own x where they can. */
function ontoPath(c: NurbsCurve, home: Frame): NurbsCurve {
  const plane = planeOf([c]);
  const t = lengthTable(c);
  let middle: Vec3 = [0, 0, 0];
  const n = 48;
  for (let i = 0; i < n; i++) middle = add(middle, scale(pointAt(c, t.near(((i + 0.5) / n) * t.total)), 1 / n));
  let z = plane ? plane.frame.z : home.z;
  if (dot(z, home.z) < 0) z = scale(z, -1);
  const moved = transformCurve(c, translation(scale(middle, -1)));
  const control = new Float64Array(moved.control);
  for (let i = 0; i < control.length; i += 4) {
    const w = control[i + 3];
    const p: Vec3 = [control[i] / w, control[i + 1] / w, control[i + 2] / w];
    const q = add(home.origin, turnWith(z, home.z, p));
    control.set([q[0] * w, q[1] * w, q[2] * w], i);
  }
  return { ...moved, control };
}
/** Control points in a frame's coordinates, weights kept: x, y, z, w. */
function localRow(r: NurbsCurve, f: Frame): Float64Array {
  const out = new Float64Array(r.control.length);
  for (let i = 0; i < out.length; i += 4) {
    const w = r.control[i + 3];
    const d = sub([r.control[i] / w, r.control[i + 1] / w, r.control[i + 2] / w], f.origin);
    out.set([dot(d, f.x), dot(d, f.y), dot(d, f.z), w], i);
  }
  return out;
}
function planeNormal(c: NurbsCurve, f: Frame): Vec3 {
  const plane = planeOf([c]);
  if (!plane || plane.deviation > 1e-3) return [0, 0, 1];
  const n: Vec3 = [dot(plane.frame.z, f.x), dot(plane.frame.z, f.y), dot(plane.frame.z, f.z)];
  // nearly along the path means that it is no section across it
  return Math.abs(n[2]) < 0.05 ? [0, 0, 1] : n[2] < 0 ? scale(n, -1) : n;
}
interface Shape {
  /** Local control points, and the normal of the section's plane, at a share of the whole length. */
  readonly at: (share: number, out: Float64Array) => Vec3;
  /** Shares where the shape is only twice smooth. */
  readonly joints: readonly number[];
  /** The normal, of a shape that is the same everywhere. */
  readonly constant?: Vec3;
}
/** Sections blended along the path: turned out of each other first, so that a turned shape keeps its size between. */
function shapeAlong(at: readonly number[], rows: readonly Float64Array[], normals: readonly Vec3[], calm: boolean, ring: boolean): Shape {
  const n = rows[0].length;
  if (rows.length === 1)
    return {
      at: (_, out) => {
        out.set(rows[0]);
        return normals[0];
      },
      joints: [],
      constant: normals[0],
    };
  const angles = [0];
  for (let k = 1; k < rows.length; k++) angles.push(angles[k - 1] + turnOf(rows[k - 1], rows[k]));
  const bare = rows.map((r, k) => turned(r, -angles[k]));
  const nodes = at.map((t, k) => ({ t, row: bare[k], angle: angles[k], normal: turnVector(normals[k], -angles[k]) }));
  if (ring) {
    // once round and on: five turns, the middle one is used
    const turn = Math.round((angles[rows.length - 1] + turnOf(rows[rows.length - 1], rows[0])) / (2 * Math.PI)) * 2 * Math.PI;
    const once = [...nodes];
    nodes.length = 0;
    for (let k = -2; k <= 2; k++) nodes.push(...once.map((x) => ({ ...x, t: x.t + k, angle: x.angle + k * turn })));
  } else {
    if (nodes[0].t > 1e-6) nodes.unshift({ ...nodes[0], t: 0 });
    if (nodes[nodes.length - 1].t < 1 - 1e-6) nodes.push({ ...nodes[nodes.length - 1], t: 1 });
  }
  const stride = n + 4;
  const values = new Float64Array(nodes.length * stride);
  nodes.forEach((x, k) => {
    values.set(x.row, k * stride);
    values.set([x.angle, ...x.normal], k * stride + n);
  });
  const t = Float64Array.from(nodes, (x) => x.t);
  const out = new Float64Array(stride);
  if (calm && !ring) {
    // between each two: leaves and arrives without change
    return {
      at: (share, put) => {
        let i = 0;
        while (i < nodes.length - 2 && share > t[i + 1]) i++;
        const x = Math.min(1, Math.max(0, (share - t[i]) / (t[i + 1] - t[i])));
        const f = x * x * x * (10 - 15 * x + 6 * x * x);
        for (let c = 0; c < stride; c++) out[c] = (1 - f) * values[i * stride + c] + f * values[(i + 1) * stride + c];
        return spread(out, n, put);
      },
      joints: Array.from(t).slice(1, -1),
    };
  }
  const degree = Math.min(3, nodes.length - 1);
  const net: Net | undefined = interpolateInSpace(degree, averagedKnots(t, degree), t, values, stride);
  if (!net) throw new Error('the sections stand on each other');
  return {
    at: (share, put) => {
      evaluateNet(net, share, out);
      return spread(out, n, put);
    },
    joints: knotRuns(net.knots, degree).values.filter((x) => x > 1e-9 && x < 1 - 1e-9),
  };
}
function spread(from: Float64Array, n: number, put: Float64Array): Vec3 {
  const [c, s] = [Math.cos(from[n]), Math.sin(from[n])];
  for (let i = 0; i < n; i += 4) {
    put[i] = c * from[i] - s * from[i + 1];
    put[i + 1] = s * from[i] + c * from[i + 1];
    put[i + 2] = from[i + 2];
    put[i + 3] = from[i + 3];
  }
  const m: Vec3 = [from[n + 1], from[n + 2], from[n + 3]];
  return [c * m[0] - s * m[1], s * m[0] + c * m[1], m[2]];
}
function turned(r: Float64Array, a: number): Float64Array {
  const out = new Float64Array(r);
  const [c, s] = [Math.cos(a), Math.sin(a)];
  for (let i = 0; i < r.length; i += 4) {
    out[i] = c * r[i] - s * r[i + 1];
    out[i + 1] = s * r[i] + c * r[i + 1];
  }
  return out;
}
const turnVector = (v: Vec3, a: number): Vec3 => [Math.cos(a) * v[0] - Math.sin(a) * v[1], Math.sin(a) * v[0] + Math.cos(a) * v[1], v[2]];
/** Turn in the plane that brings one row nearest to the next, both taken about their middles. */
function turnOf(a: Float64Array, b: Float64Array): number {
  const middle = (r: Float64Array) => {
    let [x, y] = [0, 0];
    for (let i = 0; i < r.length; i += 4) {
      x += r[i];
      y += r[i + 1];
    }
    return [(4 * x) / r.length, (4 * y) / r.length];
  };
  const [ca, cb] = [middle(a), middle(b)];
  let [sin, cos] = [0, 0];
  for (let i = 0; i < a.length; i += 4) {
    const [px, py, qx, qy] = [a[i] - ca[0], a[i + 1] - ca[1], b[i] - cb[0], b[i + 1] - cb[1]];
    sin += px * qy - py * qx;
    cos += px * qx + py * qy;
  }
  return Math.hypot(sin, cos) > 1e-12 ? Math.atan2(sin, cos) : 0;
}

/** Normals of the planes in which a leg meets the one before and the one behind, at corners. */
type Mitres = readonly [Vec3 | undefined, Vec3 | undefined];
/** Places on a curve from its control points, at fixed parameters. */
function sampler(like: NurbsCurve): (row: Float64Array) => Vec3[] {
  const { values } = knotRuns(like.knots, like.degree);
  const per = Math.max(2, Math.ceil(48 / (values.length - 1)));
  const at: number[] = [];
  for (let i = 0; i + 1 < values.length; i++) for (let k = 0; k < per; k++) at.push(values[i] + ((values[i + 1] - values[i]) * k) / per);
  at.push(values[values.length - 1]);
  const p = like.degree;
  const spots = at.map((t) => {
    const span = findSpan(like.knots, p, t);
    const b = new Float64Array(p + 1);
    basisDerivatives(like.knots, p, span, t, 0, b);
    return { first: span - p, b };
  });
  return (row) =>
    spots.map(({ first, b }): Vec3 => {
      const h = [0, 0, 0, 0];
      for (let j = 0; j <= p; j++) for (let d = 0; d < 4; d++) h[d] += b[j] * row[4 * (first + j) + d];
      return [h[0] / h[3], h[1] / h[3], h[2] / h[3]];
    });
}
function motionOf(
  frames: PathFrames,
  offset: number,
  whole: number,
  shape: Shape,
  count: number,
  sample: (row: Float64Array) => Vec3[],
  o: SweepOptions,
  round: boolean,
  mitres: Mitres,
): Motion {
  const local = new Float64Array(count * 4);
  const L = frames.length;
  const frameAt = (s: number, parameter?: number): Frame => {
    const inside = Math.min(L, Math.max(0, s));
    const f = frames.at(inside, parameter);
    const turn = (o.twist?.((offset + inside) / whole) ?? 0) * DEG;
    const x = turn ? rotateAbout(f.x, f.z, turn) : f.x;
    return { origin: f.origin, x, y: cross(f.z, x), z: f.z };
  };
  const shareAt = (s: number) => (offset + Math.min(L, Math.max(0, s))) / whole;
  // towards a corner the section is slid along the path, more and more, until it lies in the mitre plane
  const slope = (m: Vec3 | undefined, s: number): readonly [number, number] | undefined => {
    if (!m) return undefined;
    const f = frameAt(s);
    const ahead = dot(m, f.z);
    return [-dot(m, f.x) / ahead, -dot(m, f.y) / ahead];
  };
  const slopes = [slope(mitres[0], 0), slope(mitres[1], L)];
  const first = new Float64Array(count * 4);
  shape.at(offset / whole, first);
  for (let i = 0; i < first.length; i += 4) for (let k = 0; k < 3; k++) first[i + k] *= first[i + 3];
  let far = 0;
  for (const p of sample(first)) far = Math.max(far, Math.hypot(p[0], p[1]));
  const zone = Math.min(L, 8 * far);
  const fall = (x: number) => (x >= 1 ? 0 : (1 - x) ** 3 * (1 + 3 * x + 6 * x * x));
  const slideAt = (s: number): readonly [number, number] => {
    const [h0, h1] = [fall(Math.max(0, s) / zone), fall(Math.max(0, L - s) / zone)];
    const of = (k: 0 | 1) => (slopes[0]?.[k] ?? 0) * h0 + (slopes[1]?.[k] ?? 0) * h1;
    return [of(0), of(1)];
  };
  const { values, multiplicities } = knotRuns(frames.path.knots, frames.path.degree);
  const smoothness = (i: number) => Math.max(0, frames.path.degree - multiplicities[i]);
  const breaks = [
    ...values.map((t, i) => ({ t, multiplicity: Math.min(4, Math.max(2, 5 - Math.max(0, smoothness(i) - 1))) })).slice(1, -1),
    ...shape.joints
      .map((x) => x * whole - offset)
      .filter((s) => s > 0 && s < L)
      .map((s) => ({ t: frames.table.near(s), multiplicity: 3 })),
  ];
  if (round) breaks.push({ t: domain(frames.path)[0], multiplicity: 4 });
  if (slopes[0] && zone < L) breaks.push({ t: frames.table.near(zone), multiplicity: 3 });
  if (slopes[1] && zone < L) breaks.push({ t: frames.table.near(L - zone), multiplicity: 3 });
  const rows = (s: number, out: Float64Array, parameter?: number) => {
    shape.at(shareAt(s), local);
    const f = frameAt(s, parameter);
    const size = o.size?.(shareAt(s)) ?? 1;
    const [a, b] = slideAt(s);
    for (let i = 0; i < local.length; i += 4) {
      const p = inFrame(f, [size * local[i], size * local[i + 1], size * (local[i + 2] + a * local[i] + b * local[i + 1])]);
      const w = local[i + 3];
      out[i] = p[0] * w;
      out[i + 1] = p[1] * w;
      out[i + 2] = p[2] * w;
      out[i + 3] = w;
    }
  };
  const row = new Float64Array(count * 4);
  return {
    frames,
    offset,
    rows,
    points: (s) => {
      rows(s, row);
      return sample(row);
    },
    frame: (s, out, parameter) => {
      const f = frameAt(s, parameter);
      const size = o.size?.(shareAt(s)) ?? 1;
      const [a, b] = slideAt(s);
      out.set(f.origin);
      out.set(scale(add(f.x, scale(f.z, a)), size), 3);
      out.set(scale(add(f.y, scale(f.z, b)), size), 6);
      out.set(scale(f.z, size), 9);
    },
    plane: (s) => {
      const n = shape.at(shareAt(s), local);
      const f = frameAt(s);
      const [a, b] = slideAt(s);
      return unit(add(add(scale(f.x, n[0] - a * n[2]), scale(f.y, n[1] - b * n[2])), scale(f.z, n[2])));
    },
    breaks,
    mitred: !!mitres[0] || !!mitres[1],
    rigid:
      shape.constant && !o.twist && !o.size && o.carry.kind === 'least' && !mitres[0] && !mitres[1]
        ? { points: sample(first), normal: shape.constant }
        : undefined,
  };
}

/**
 * Fold check before building: with m the normal of the section's plane the sweep folds where m · dS/ds <= 0. Along one ray from the path this is
 * linear in the size of the section, which gives the size that would just not fold.
 */
function foldsOf(motions: readonly Motion[], whole: number): { folds: Fold[]; margin: number; tightest: number } {
  const folds: Fold[] = [];
  let margin = Infinity;
  let tightest = Infinity;
  for (const m of motions) {
    const L = m.frames.length;
    const n = Math.max(40, Math.round((240 * L) / whole));
    let open: { from: number; to: number; points: Vec3[]; factor: number; at: number } | undefined;
    const close = () => {
      if (!open) return;
      const k = m.frames.bend(open.at);
      const bend = length(k);
      let reach = 0;
      const origin = m.frames.at(open.at).origin;
      if (bend > 0) for (const p of m.points(open.at)) reach = Math.max(reach, dot(sub(p, origin), scale(k, 1 / bend)));
      folds.push({
        from: (m.offset + open.from) / whole,
        to: (m.offset + open.to) / whole,
        points: open.points,
        radius: 1 / Math.max(bend, 1e-12),
        reach,
        factor: open.factor,
      });
      open = undefined;
    };
    const look = (s: number) => {
      if (m.rigid) {
        const [f, k] = [m.frames.at(s), m.frames.bend(s)];
        // frames of least twist turn by the bend only: x' = -(k·x) t, y' = -(k·y) t, t' = k
        const [kx, ky] = [dot(k, f.x), dot(k, f.y)];
        const n = m.rigid.normal;
        const tilt = (n[0] * kx + n[1] * ky) / n[2];
        const most = m.rigid.points.reduce((x, p) => Math.max(x, kx * p[0] + ky * p[1] - tilt * p[2]), -Infinity);
        return { s, least: 1 - most, factor: most > 0 ? 1 / most : Infinity };
      }
      const h = 1e-4 * L;
      const [s0, s1] = [Math.max(0, s - h), Math.min(L, s + h)];
      const [a, b] = [m.points(s0), m.points(s1)];
      const normal = m.plane(s);
      const ahead = dot(normal, m.frames.at(s).z);
      let least = Infinity;
      let factor = Infinity;
      for (let j = 0; j < a.length; j++) {
        const v = dot(normal, scale(sub(b[j], a[j]), 1 / (s1 - s0)));
        least = Math.min(least, v / ahead);
        if (v < ahead) factor = Math.min(factor, ahead / (ahead - v));
      }
      return { s, least, factor };
    };
    const even = Array.from({ length: n + 1 }, (_, i) => look((L * i) / n));
    // closer around the places where it is tightest
    const finer = even.flatMap((x, i) => {
      const [p, q] = [even[i - 1], even[i + 1]];
      if ((p && p.least < x.least) || (q && q.least < x.least) || x.least > 0.5) return [];
      const [low, high] = [p?.s ?? x.s, q?.s ?? x.s];
      return Array.from({ length: 17 }, (_, k) => look(low + ((high - low) * (k + 0.5)) / 17));
    });
    for (const x of [...even, ...finer].sort((a, b) => a.s - b.s)) {
      tightest = Math.min(tightest, 1 / Math.max(1e-12, length(m.frames.bend(x.s))));
      margin = Math.min(margin, x.least);
      if (x.least <= 0) {
        open ??= { from: x.s, to: x.s, points: [], factor: Infinity, at: x.s };
        open.to = x.s;
        open.points.push(m.frames.at(x.s).origin);
        if (x.factor < open.factor) {
          open.factor = x.factor;
          open.at = x.s;
        }
      } else close();
    }
    close();
  }
  return { folds, margin, tightest };
}

/** Far stretches of the path whose sections reach into each other, by how far they reach towards each other. */
function crossesItself(motions: readonly Motion[], ring: boolean): { at: readonly Vec3[] } | undefined {
  const total = motions.reduce((s, m) => s + m.frames.length, 0);
  const stations: { s: number; origin: Vec3; points: Vec3[]; reach: number }[] = [];
  for (const m of motions) {
    const n = Math.max(6, Math.round((80 * m.frames.length) / total));
    for (let i = 0; i <= n; i++) {
      const s = (m.frames.length * i) / n;
      const origin = m.frames.at(s).origin;
      const points = m.points(s);
      stations.push({ s: m.offset + s, origin, points, reach: Math.max(...points.map((p) => distance(p, origin))) });
    }
  }
  const towards = (x: (typeof stations)[number], u: Vec3) => Math.max(...x.points.map((p) => dot(sub(p, x.origin), u)));
  for (let i = 0; i < stations.length; i++)
    for (let j = i + 1; j < stations.length; j++) {
      const [a, b] = [stations[i], stations[j]];
      const apart = Math.min(b.s - a.s, ring ? total - (b.s - a.s) : Infinity);
      const d = distance(a.origin, b.origin);
      if (apart <= Math.PI * Math.max(a.reach, b.reach) || d >= a.reach + b.reach || d < 1e-9) continue;
      const u = scale(sub(b.origin, a.origin), 1 / d);
      if (towards(a, u) + towards(b, scale(u, -1)) > d) return { at: [a.origin, b.origin] };
    }
  return undefined;
}

/** Where two legs meet at a corner; none where they run on smoothly. */
function mitreNormal(a: PathFrames | undefined, b: PathFrames | undefined): Vec3 | undefined {
  if (!a || !b) return undefined;
  const end = a.at(a.length);
  const start = b.at(0);
  if (dot(end.z, start.z) > Math.cos(0.05 * DEG)) return undefined;
  return unit(add(end.z, start.z));
}
interface AlongFit {
  readonly knots: Float64Array;
  readonly data: Float64Array;
  readonly deviation: number;
}
function fitRowsAlong(m: Motion, count: number, tolerance: number, round: boolean): AlongFit {
  return fewest(m, (s, t, out) => m.rows(s, out, t), 4 * count, tolerance, round);
}
/**
 * A fit along a path within the tolerance, with as few knots as that needs. It runs by the path's own parameter: then the path itself is
 * fitted exactly, and only what turns about it costs knots.
 */
function fewest(m: Motion, f: (s: number, t: number, out: Float64Array) => void, dim: number, tolerance: number, round: boolean): AlongFit {
  const { path, table } = m.frames;
  const [a, b] = domain(path);
  // what is carried rigidly needs the length only to choose a station of the frames
  const at = (t: number, out: Float64Array) => f(m.rigid ? table.lengthAbout(t) : table.lengthAt(t), t, out);
  const fit = (round ? fitPeriodic : fitFunction)(at, a, b, dim, 5, 0.4 * tolerance, m.breaks, 160);
  return fit.deviation < 0.9 * tolerance ? leanFit(fit, dim, 5, tolerance - fit.deviation, m.breaks, round) : fit;
}
/** One section: origin and axes are fitted, axes weighted by how far the section reaches along them; control points follow. */
function fitFrame(m: Motion, local: Float64Array, tolerance: number, round: boolean): AlongFit {
  const reach = [0, 1, 2].map((k) => {
    let r = 0;
    for (let i = 0; i < local.length; i += 4) r = Math.max(r, Math.abs(local[i + k]));
    return r;
  });
  const used = [0, 1, 2].filter((k) => reach[k] > 1e-12);
  const dim = 3 + 3 * used.length;
  const whole = new Float64Array(12);
  const fit = fewest(
    m,
    (s, t, out) => {
      m.frame(s, whole, t);
      for (let d = 0; d < 3; d++) out[d] = whole[d];
      used.forEach((k, n) => {
        for (let d = 0; d < 3; d++) out[3 + 3 * n + d] = whole[3 + 3 * k + d] * reach[k];
      });
    },
    dim,
    tolerance,
    round,
  );
  const rows = fit.data.length / dim;
  const data = new Float64Array(rows * local.length);
  for (let r = 0; r < rows; r++)
    for (let i = 0; i < local.length; i += 4) {
      const w = local[i + 3];
      for (let d = 0; d < 3; d++) {
        let x = fit.data[r * dim + d];
        used.forEach((k, n) => {
          x += (local[i + k] / reach[k]) * fit.data[r * dim + 3 + 3 * n + d];
        });
        data[r * local.length + i + d] = w * x;
      }
      data[r * local.length + i + 3] = w;
    }
  return { knots: fit.knots, data, deviation: fit.deviation };
}
function legSurface(
  m: Motion,
  leg: NurbsCurve,
  like: NurbsCurve,
  rational: boolean,
  plain: boolean,
  /** The section in the path's frame, when there is a single one. */
  one: Float64Array | undefined,
  o: SweepOptions,
  round: boolean,
): { surface: NurbsSurface; deviation: number; exact: boolean } {
  const count = like.control.length / 4;
  const row = (s: number): NurbsCurve => {
    const control = new Float64Array(count * 4);
    m.rows(s, control);
    return { ...like, control, rational };
  };
  if (plain && isStraight(leg))
    return { surface: { ...transpose(ruledSurface(row(0), row(m.frames.length))), rational }, deviation: 0, exact: true };
  const arc = plain && o.carry.kind !== 'normal' && !m.mitred ? arcOf(leg) : undefined;
  if (arc && (o.carry.kind !== 'fixed' || Math.abs(dot(unit(o.carry.direction), arc.axis)) > 1 - 1e-12))
    return { surface: transpose(revolvedSurface(row(0), arc.centre, arc.axis, 0, arc.angle)), deviation: 0, exact: true };
  const fit = one ? fitFrame(m, one, o.tolerance, round) : fitRowsAlong(m, count, o.tolerance, round);
  const surface: NurbsSurface = {
    degreeU: 5,
    degreeV: like.degree,
    knotsU: fit.knots,
    knotsV: like.knots,
    countU: fit.data.length / (4 * count),
    countV: count,
    control: fit.data,
    rational,
  };
  return { surface, deviation: fit.deviation, exact: false };
}
function isStraight(c: NurbsCurve): boolean {
  const [a, b] = [startPoint(c), endPoint(c)];
  const l = distance(a, b);
  if (l < 1e-12) return false;
  const d = scale(sub(b, a), 1 / l);
  for (let i = 0; i < c.control.length; i += 4) {
    const w = c.control[i + 3];
    const p = sub([c.control[i] / w, c.control[i + 1] / w, c.control[i + 2] / w], a);
    if (length(cross(p, d)) > 1e-11 * l) return false;
  }
  return true;
}
/** Legs side by side as one skin; the edges between them are shared. */
export function bodyOfLegs(surfaces: readonly NurbsSurface[], prefix: string, cap: boolean): { body: Body; capNotes: string[] } {
  const builder = new BodyBuilder(2e-6);
  const sides = surfaces.map((s, k) => {
    const own = surfaces.length > 1 ? `${prefix}.leg${k + 1}` : prefix;
    return surfaceBody(
      s,
      { prefix: own, face: (i, j, n, m) => `${own}:side${n > 1 ? `.${i}` : ''}${m > 1 ? `.part${j}` : ''}` },
      builder,
      surfaces.length > 1 ? { u: [] } : undefined,
    ).sides;
  });
  const capNotes: string[] = [];
  const joined = joinEqualEdges(builder);
  if (!cap) return { body: surfaces.length === 1 && surfaceFlux(surfaces[0]) < 0 ? flipBody(joined.body) : joined.body, capNotes };
  const out = new BodyBuilder(2e-6);
  out.vertices.push(...joined.body.vertices);
  out.edges.push(...joined.body.edges);
  out.faces.push(...joined.body.faces);
  for (const [k, end, name] of [
    [0, false, 'start'],
    [surfaces.length - 1, true, 'end'],
  ] as const) {
    const chain = sides[k][end ? 'u1' : 'u0'].flatMap((e) =>
      joined.edge[e] >= 0 && !out.edges[joined.edge[e]].degenerate ? [joined.edge[e]] : [],
    );
    if (!chain.length) continue;
    const r = capRim(out, chain, `${prefix}:cap-${name}`, 1e-5);
    if (r.reason)
      capNotes.push(`The ${name} stays open: ${r.reason}${r.deviation ? ` (${r.deviation.toPrecision(2)} mm out of flat)` : ''}`);
  }
  return { body: out.body(), capNotes };
}
