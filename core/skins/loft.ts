import { type Body, BodyBuilder, capRim, flipBody, kinksOf, massProperties, surfaceBody } from '../brep/index.ts';
import { angleBetween, DEG, distance, dot, sub, type Vec3 } from '../math/index.ts';
import {
  joinCurves,
  knotRuns,
  lengthParameter,
  type NurbsCurve,
  type NurbsSurface,
  pointAt,
  pointCount,
  remapCurve,
  reverseCurve,
} from '../nurbs/index.ts';
import { type Alignment, alignClosed, alignOpen } from './align.ts';

import { acrossRows, fitRows, twistOf } from './loft-rows.ts';

export type LoftSection =
  | { readonly kind: 'chain'; readonly curves: readonly NurbsCurve[] }
  | { readonly kind: 'point'; readonly point: Vec3 };
export interface LoftOptions {
  /** Degree across the sections. */
  readonly degree: number;
  /** Closed ring: the last section runs on into the first. */
  readonly ring: boolean;
  readonly fit: 'through' | 'near';
  /** Sections with equal point counts are used as they are; others are matched by length within `tolerance` (mm). */
  readonly match: 'auto' | 'length' | 'points';
  readonly tolerance: number;
  /** One face per interval between sections, or one. */
  readonly perInterval: boolean;
  readonly cap: boolean;
  /** Overrides by section: start share of length for closed ones, direction. */
  readonly adjust: readonly { readonly section: number; readonly start?: number; readonly flip?: boolean }[];
  /** Groups of shares of length, one per chain section, that must meet each other. */
  readonly pins: readonly (readonly number[])[];
}
export interface LoftResult {
  readonly surface: NurbsSurface;
  readonly body: Body;
  /** For each chain section: its place in the list, points at even shares of its own length, and where and how the skin starts on it. */
  readonly rails: readonly {
    readonly section: number;
    readonly points: readonly Vec3[];
    readonly start: number;
    readonly reversed: boolean;
    readonly direction: Vec3;
  }[];
  readonly closed: boolean;
  readonly exact: boolean;
  /** Largest angle between neighbouring rulings and the sections' common direction of travel, degrees; a measure of twist. */
  readonly twist: number;
  readonly capNotes: readonly string[];
  readonly fitDeviation: number;
}
export type LoftOutcome = { ok: true; result: LoftResult } | { ok: false; code: string; message: string; place?: readonly Vec3[] };

export interface Track {
  readonly curve: NurbsCurve;
  /** Share of the curve's own length at which the track starts. */
  readonly start: number;
  readonly reversed: boolean;
  readonly total: number;
  readonly at: (share: number) => Vec3;
  /** Shares of length of corners strictly inside, and of the ends of its spans. */
  readonly kinks: readonly number[];
  readonly spans: readonly { share: number; multiplicity: number }[];
  readonly startsAtKink: boolean;
  readonly seamShare: number;
}
function trackOf(curve: NurbsCurve, start: number, reversed: boolean, closed: boolean): Track {
  const by = lengthParameter(curve);
  const local = (share: number) => {
    let s = reversed ? -share : share;
    s += start;
    if (closed) s -= Math.floor(s + (share >= 1 ? -1e-12 : 1e-12));
    else if (reversed) s += 1;
    return Math.min(1, Math.max(0, s));
  };
  const kinkShares = kinksOf(curve).map((t) => lengthUpTo(curve, t) / by.total);
  if (closed) {
    const join = angleBetween(endTangent(curve, true), endTangent(curve, false)) / DEG;
    if (join > 0.01) kinkShares.unshift(0);
  }
  const shifted = (k: number) => {
    const raw = reversed ? (closed ? start - k : 1 - k) : k - start;
    const m = closed ? ((raw % 1) + 1) % 1 : raw;
    return m > 1 - 1e-9 || m < 1e-9 ? 0 : m;
  };
  const kinks = kinkShares.map(shifted).sort((a, b) => a - b);
  const runs = knotRuns(curve.knots, curve.degree);
  const spans = runs.values
    .slice(0, closed ? -1 : undefined)
    .map((t, i) => ({
      share: shifted(lengthUpTo(curve, t) / by.total),
      multiplicity: i === 0 ? 5 : Math.max(1, 5 - (curve.degree - runs.multiplicities[i])),
    }))
    .filter((k) => k.share > 0 && k.share < 1);
  if (closed && spans.length && shifted(0) > 0) {
    const seam = spans.find((k) => Math.abs(k.share - shifted(0)) < 1e-9);
    if (seam && !kinkShares.includes(0)) seam.multiplicity = curve.rational && curve.degree > 3 ? 1 : 3;
  }
  return {
    curve,
    start: local(0),
    reversed,
    total: by.total,
    at: (share) => pointAt(curve, by.near(local(share) * by.total)),
    spans,
    seamShare: closed ? shifted(0) : 0,
    startsAtKink: kinks[0] === 0,
    kinks: kinks.filter((k, i) => k > 0 && (i === 0 || k - kinks[i - 1] > 1e-9)),
  };
}
function endTangent(c: NurbsCurve, atStart: boolean): Vec3 {
  const a = c.knots[c.degree];
  const b = c.knots[c.knots.length - c.degree - 1];
  const h = 1e-6 * (b - a);
  return atStart ? sub(pointAt(c, a + h), pointAt(c, a)) : sub(pointAt(c, b), pointAt(c, b - h));
}
function lengthUpTo(c: NurbsCurve, t: number): number {
  if (t <= c.knots[c.degree]) return 0;
  const a = c.knots[c.degree];
  return lengthParameter(c, a, t).total;
}
const isRing = (c: NurbsCurve) => distance(pointAt(c, c.knots[c.degree]), pointAt(c, c.knots[c.knots.length - c.degree - 1])) < 1e-6;

/** Builds a loft. Lengths in mm. Errors are values with the reason. */
export function loft(sections: readonly LoftSection[], options: LoftOptions, prefix: string): LoftOutcome {
  const chains = sections
    .map((s, i) => ({ s, i }))
    .filter((x): x is { s: Extract<LoftSection, { kind: 'chain' }>; i: number } => x.s.kind === 'chain');
  if (sections.length < 2) return { ok: false, code: 'too-few', message: 'A loft needs at least two sections' };
  if (!chains.length) return { ok: false, code: 'only-points', message: 'At least one section must be a curve' };
  const inner = sections.slice(1, -1).findIndex((s) => s.kind === 'point');
  if (inner >= 0)
    return {
      ok: false,
      code: 'inner-point',
      message: `Section ${inner + 2} is a point: points can only stand at the two ends. Drag it to an end`,
      place: [(sections[inner + 1] as { point: Vec3 }).point],
    };
  if (options.ring && chains.length < sections.length)
    return { ok: false, code: 'ring-point', message: 'A closed ring cannot have a point section' };
  if (options.ring && sections.length < 3) return { ok: false, code: 'ring-few', message: 'A closed ring needs at least three sections' };
  const curves = chains.map((c) => joinCurves(c.s.curves));
  const rings = curves.map(isRing);
  if (rings.some((r) => r !== rings[0])) {
    const odd = rings.findIndex((r) => r !== rings[0]);
    return {
      ok: false,
      code: 'open-with-closed',
      message: `Section ${chains[odd].i + 1} is ${rings[odd] ? 'closed' : 'open'} but section ${chains[0].i + 1} is ${rings[0] ? 'closed' : 'open'}: open and closed sections cannot be lofted together. Close or split one of them`,
      place: [pointAt(curves[odd], curves[odd].knots[curves[odd].degree])],
    };
  }
  const closed = rings[0];

  const N = 96;
  const plain = curves.map((c) => trackOf(c, 0, false, closed));
  const sampled = plain.map((t) => Array.from({ length: closed ? N : N + 1 }, (_, i) => t.at(i / N)));
  const auto = closed ? alignClosed(sampled) : alignOpen(sampled);
  const aligned: Alignment[] = auto.map((a, k) => {
    const own = options.adjust.find((x) => x.section === chains[k].i);
    return { start: closed ? (own?.start ?? a.start) : 0, reversed: own?.flip ? !a.reversed : a.reversed };
  });

  const equal = curves.every((c) => c.degree === curves[0].degree && pointCount(c) === pointCount(curves[0]));
  const untouched = aligned.every((a) => a.start < 0.02 || a.start > 0.98);
  const exact = options.match === 'points' ? equal : options.match === 'auto' && equal && untouched && !options.pins.length;
  if (options.match === 'points' && !equal)
    return {
      ok: false,
      code: 'counts-differ',
      message: `Matching by points needs equal degree and point counts; they are ${curves.map((c) => `${c.degree}/${pointCount(c)}`).join(', ')}. Match by length instead`,
    };

  let tracks = curves.map((c, k) => trackOf(c, aligned[k].start, aligned[k].reversed, closed));
  // closed sections with corners start at a corner, so that the seam falls on one
  const cornered = tracks.find((t) => t.kinks.length);
  if (closed && !exact && cornered && tracks.every((t) => !t.startsAtKink)) {
    const s0 = cornered.kinks[0];
    tracks = curves.map((c, k) => trackOf(c, aligned[k].start + (aligned[k].reversed ? -s0 : s0), aligned[k].reversed, closed));
  }
  let rows: NurbsCurve[];
  let fitDeviation = 0;
  if (exact) {
    const knots0 = remapCurve(curves[0], 0, 1).knots;
    rows = curves.map((c, k) => {
      const d = remapCurve(aligned[k].reversed ? reverseCurve(c) : c, 0, 1);
      return { ...d, knots: knots0, rational: true };
    });
    const knotsDiffer = rows.some((_, k) =>
      remapCurve(curves[k], 0, 1).knots.some(
        (x, i) => Math.abs((aligned[k].reversed ? 1 - remapCurve(curves[k], 0, 1).knots[knots0.length - 1 - i] : x) - knots0[i]) > 1e-9,
      ),
    );
    if (knotsDiffer) {
      const fitted = fitRows(tracks, options, closed);
      rows = fitted.rows;
      fitDeviation = fitted.deviation;
    }
    if (rows.every((r) => r.control.every((x, i) => i % 4 !== 3 || Math.abs(x - 1) < 1e-14)))
      rows = rows.map((r) => ({ ...r, rational: false }));
  } else {
    const fitted = fitRows(tracks, options, closed);
    rows = fitted.rows;
    fitDeviation = fitted.deviation;
  }
  const pointRow = (p: Vec3, like: NurbsCurve): NurbsCurve => {
    const control = new Float64Array(like.control.length);
    for (let i = 0; i < control.length; i += 4) {
      const w = like.control[i + 3];
      control.set([p[0] * w, p[1] * w, p[2] * w, w], i);
    }
    return { ...like, control };
  };
  const all: NurbsCurve[] = [];
  if (sections[0].kind === 'point') all.push(pointRow(sections[0].point, rows[0]));
  all.push(...rows);
  const last = sections[sections.length - 1];
  if (last.kind === 'point') all.push(pointRow(last.point, rows[rows.length - 1]));

  const across = acrossRows(all, options);
  const surface: NurbsSurface = {
    degreeU: across.degree,
    degreeV: rows[0].degree,
    knotsU: across.knots,
    knotsV: rows[0].knots,
    countU: across.data.length / rows[0].control.length,
    countV: rows[0].control.length / 4,
    control: across.data,
    rational: rows.some((r) => r.rational),
  };
  for (let i = 3; i < surface.control.length; i += 4)
    if (!(surface.control[i] > 1e-6))
      return { ok: false, code: 'weights', message: 'The weights of these sections do not blend: match by length instead' };

  const builder = new BodyBuilder();
  const cutsU = options.perInterval ? across.at.slice(1, -1) : undefined;
  const built = surfaceBody(
    surface,
    { prefix, face: (i, j, n, m) => `${prefix}:side${n > 1 ? `.${i}` : ''}${m > 1 ? `.part${j}` : ''}` },
    builder,
    cutsU ? { u: cutsU } : undefined,
  );
  const capNotes: string[] = [];
  if (options.cap && closed && !options.ring)
    for (const [side, name] of [
      ['u0', 'start'],
      ['u1', 'end'],
    ] as const) {
      const chain = built.sides[side].filter((e) => !builder.edges[e].degenerate);
      if (!chain.length) continue;
      const cap = capRim(builder, chain, `${prefix}:cap-${name}`, 1e-5);
      if (cap.reason)
        capNotes.push(`The ${name} stays open: ${cap.reason}${cap.deviation ? ` (${cap.deviation.toPrecision(2)} mm out of flat)` : ''}`);
    }
  let body = builder.body();
  if (outwardFlux(body) < 0) body = flipBody(body);
  const rails = tracks.map((t, k) => ({
    section: chains[k].i,
    points: Array.from({ length: 65 }, (_, i) => plain[k].at(i / 64)),
    start: t.start,
    reversed: t.reversed,
    direction: sub(t.at(0.04), t.at(0)),
  }));
  return {
    ok: true,
    result: { surface, body, rails, closed, exact: exact && fitDeviation === 0, twist: twistOf(tracks), capNotes, fitDeviation },
  };
}

/** Positive when the faces of a closed or nearly closed skin look away from its middle. */
export function outwardFlux(b: Body): number {
  const m = massProperties(b, undefined, true);
  return m.volume - dot(m.areaCentre, m.vectorArea) / 3;
}
