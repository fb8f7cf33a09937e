import { type Body, BodyBuilder, capRim, flipBody, signedVolume, surfaceBody } from '../brep/index.ts';
import { add, cross, dot, formatNumber, length, scale, sub, unit, type Vec3 } from '../math/index.ts';
import {
  compatibleCurves,
  joinCurves,
  type NurbsCurve,
  type NurbsSurface,
  pointCount,
  remapCurve,
  reverseCurve,
  startPoint,
  surfacePoint,
  turnedCircle,
} from '../nurbs/index.ts';
import { acrossHermite, acrossRows, rowParameters } from './across.ts';
import { type Alignment, alignClosed, alignOpen } from './align.ts';
import { acrossConditioned, type EndCondition, surfaceOf } from './conditions.ts';
import { followGuides, guideMiss, type Passing, passing } from './guides.ts';
import { acrossNatural, type NaturalEnd } from './natural.ts';
import { fitRows, isRing, matchTracks, type Track, trackOf, twistOf } from './sections.ts';

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
  readonly match: 'auto' | 'length' | 'points' | 'parameter';
  readonly tolerance: number;
  /** One face per interval between sections, or one. */
  readonly perInterval: boolean;
  readonly cap: boolean;
  /** Overrides by section: start share of length for closed ones, direction. */
  readonly adjust: readonly { readonly section: number; readonly start?: number; readonly flip?: boolean }[];
  /** Groups of shares of length, one per chain section, that must meet each other. */
  readonly pins: readonly (readonly number[])[];
  /** How the skin leaves its first and reaches its last section. */
  readonly start?: EndCondition;
  readonly end?: EndCondition;
  /** A point at an end is a dome instead of a tip: handle as a share of the way to the next section. */
  readonly dome?: { readonly start?: number; readonly end?: number };
  /** Curves across the sections that the skin runs along. */
  readonly guides?: readonly NurbsCurve[];
  /** How far a guide may pass beside a section, mm. */
  readonly guideReach?: number;
}
/** Exactly through the sections, nothing adjusted. */
export const PLAIN_LOFT: LoftOptions = {
  degree: 3,
  ring: false,
  fit: 'through',
  match: 'auto',
  tolerance: 1e-6,
  perInterval: false,
  cap: false,
  adjust: [],
  pins: [],
};
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
  /** How the sections were brought together. */
  readonly how: 'exact' | 'parameter' | 'length';
  /** Largest way between guides and skin, and between guides and sections (mm). */
  readonly guided?: { readonly deviation: number; readonly miss: number; readonly missAt: Vec3 };
  /** Bend between neighbouring sections beyond which no rule tells their directions: the first pair of that kind. */
  readonly doubtful?: { readonly section: number; readonly bend: number };
}
export type LoftOutcome = { ok: true; result: LoftResult } | { ok: false; code: string; message: string; place?: readonly Vec3[] };

/** Builds a loft. Lengths in mm. Errors are values with the reason. */
export function loft(sections: readonly LoftSection[], options: LoftOptions, prefix: string): LoftOutcome {
  const refused = refuse(sections, options);
  if (refused) return refused;
  const chains = sections
    .map((s, i) => ({ s, i }))
    .filter((x): x is { s: Extract<LoftSection, { kind: 'chain' }>; i: number } => x.s.kind === 'chain');
  const curves = chains.map((c) => joinCurves(c.s.curves));
  const rings = curves.map(isRing);
  if (rings.some((r) => r !== rings[0])) {
    const odd = rings.findIndex((r) => r !== rings[0]);
    return {
      ok: false,
      code: 'open-with-closed',
      message: `Section ${chains[odd].i + 1} is ${rings[odd] ? 'closed' : 'open'} but section ${chains[0].i + 1} is ${rings[0] ? 'closed' : 'open'}: open and closed sections cannot be lofted together. Close or split one of them`,
      place: [startPoint(curves[odd])],
    };
  }
  const closed = rings[0];
  const guides = [...(options.guides ?? [])];
  const passings = guides.map((g) => curves.map((c) => passing(g, c)));
  const reach = options.guideReach ?? 0.1;
  for (const [g, list] of passings.entries())
    for (const [k, p] of list.entries())
      if (p.miss > reach)
        return {
          ok: false,
          code: 'guide-misses',
          message: `Guide ${g + 1} passes section ${chains[k].i + 1} at a distance of ${formatNumber(p.miss, 4)} mm; ${formatNumber(reach, 4)} mm are allowed. Move one of them onto the other`,
          place: [p.at],
        };
  if (guides.length && (options.ring || chains.length < 2 || chains.length < sections.length))
    return {
      ok: false,
      code: 'guide-ring',
      message: 'Guides need two or more curve sections and no ring: take the guides away, or the points and the ring',
    };
  // guides run as the sections follow each other
  passings.forEach((list, g) => {
    if (list[0].on <= list[list.length - 1].on) return;
    guides[g] = reverseCurve(guides[g]);
    passings[g] = list.map((p) => ({ ...p, on: 1 - p.on }));
  });

  const plain = curves.map((c) => trackOf(c, 0, false, closed, options.tolerance));
  const sampled = plain.map((t) => Array.from({ length: closed ? SAMPLES : SAMPLES + 1 }, (_, i) => t.at(i / SAMPLES)));
  const auto = closed ? alignClosed(sampled) : alignOpen(sampled);
  const aligned: Alignment[] = auto.map((a, k) => {
    const own = options.adjust.find((x) => x.section === chains[k].i);
    // the first guide is where closed sections start
    const start = closed ? (own?.start ?? (guides.length ? passings[0][k].section : a.start)) : 0;
    return { start, reversed: own?.flip ? !a.reversed : a.reversed };
  });
  const equal = curves.every((c) => c.degree === curves[0].degree && pointCount(c) === pointCount(curves[0]));
  if (options.match === 'points' && !equal)
    return {
      ok: false,
      code: 'counts-differ',
      message: `Matching by points needs equal degree and point counts; they are ${curves.map((c) => `${c.degree}/${pointCount(c)}`).join(', ')}. Match by length instead`,
    };
  let tracks = curves.map((c, k) => trackOf(c, aligned[k].start, aligned[k].reversed, closed, options.tolerance));
  // a circle has its seam wherever the others need it
  const round = curves.map((c, k) =>
    closed && !options.pins.length && !guides.length ? turnedCircle(c, aligned[k].start, aligned[k].reversed) : undefined,
  );
  const untouched = aligned.every((a, k) => round[k] || a.start < 0.02 || a.start > 0.98);
  const own = untouched && !options.pins.length && !guides.length;
  const natural = own ? naturalEnds(options) : undefined;
  const how =
    options.match === 'points' || options.match === 'parameter'
      ? options.match
      : options.match === 'auto' && own && (equal || (natural && evenParameters(curves)))
        ? equal
          ? 'points'
          : 'parameter'
        : 'length';
  // closed sections with corners start at a corner, so that the seam falls on one
  const cornered = tracks.find((t) => t.kinks.length);
  if (closed && how === 'length' && !guides.length && cornered && tracks.every((t) => !t.startsAtKink)) {
    const s0 = cornered.kinks[0];
    tracks = curves.map((c, k) =>
      trackOf(c, aligned[k].start + (aligned[k].reversed ? -s0 : s0), aligned[k].reversed, closed, options.tolerance),
    );
  }
  const pins = [...options.pins, ...guidePins(passings, tracks, closed)];
  let laid =
    how === 'length'
      ? undefined
      : ownRows(
          curves.map((c, k) => round[k] ?? c),
          aligned.map((a, k) => (round[k] ? { start: 0, reversed: false } : a)),
          how,
        );
  let deviation = 0;
  const byLength = () => {
    const fitted = fitRows(tracks, { tolerance: options.tolerance, pins }, closed);
    deviation = fitted.deviation;
    return fitted.rows;
  };
  // a lighter fit is taken where a looser tolerance asks for it
  if (laid && options.match === 'auto' && options.tolerance >= LIGHT && !natural) {
    const light = fitRows(tracks, { tolerance: options.tolerance, pins }, closed);
    if (light.deviation <= options.tolerance && light.rows[0].control.length < 0.8 * laid[0].control.length) {
      laid = light.rows;
      deviation = light.deviation;
    }
  }
  const conditioned = options.start || options.end;
  let exact = !!laid && deviation === 0;
  let surface: NurbsSurface | undefined;
  let at: readonly number[] = [];
  if (conditioned) {
    if (laid && natural) {
      at = rowParameters(laid, false);
      const joined = acrossNatural(laid, at, natural.start, natural.end, options.degree);
      if (joined) surface = surfaceOf(joined, joined.rows[0]);
    }
    if (!surface) {
      // conditions that are no sides of surfaces are laid in polynomial rows
      const rows = laid?.every((r) => !r.rational) ? laid : byLength();
      exact = exact && rows === laid;
      at = rowParameters(rows, false);
      const joined = acrossConditioned(rows, at, options.start, options.end, options.degree);
      surface = surfaceOf(joined, joined.rows[0]);
    }
  } else {
    const rows = laid ?? byLength();
    const all = withPoints(sections, rows);
    const domed = dome(all, sections, options);
    const across = domed ?? acrossRows(all, options);
    at = across.at;
    surface = surfaceOf(across, rows[0]);
  }
  for (let i = 3; i < surface.control.length; i += 4)
    if (!(surface.control[i] > 1e-6))
      return { ok: false, code: 'weights', message: 'The weights of these sections do not blend: match by length instead' };
  let guided: LoftResult['guided'];
  if (guides.length) {
    const places = placesOf(passings, tracks, pins, closed);
    const order = places.map((place, k) => ({ place, k })).sort((x, y) => x.place - y.place);
    const twin = order.findIndex((x, i) => {
      const next = order[(i + 1) % order.length];
      return order.length > 1 && (i + 1 < order.length ? next.place - x.place : closed ? next.place + 1 - x.place : 1) < 1e-5;
    });
    if (twin >= 0)
      return {
        ok: false,
        code: 'guides-together',
        message: `Guides ${order[twin].k + 1} and ${order[(twin + 1) % order.length].k + 1} pass the sections at the same place: take one of them away`,
        place: [passings[order[twin].k][0].at],
      };
    const fit = followGuides(surface, at, guides, passings, places, closed, Math.max(options.tolerance, 1e-7));
    surface = fit.surface;
    const worst = passings.flat().reduce((m, p) => (p.miss > m.miss ? p : m));
    guided = { deviation: guideMiss(surface, guides, places), miss: worst.miss, missAt: worst.at };
  }
  const made = bodyOf(surface, options, prefix, closed, at);
  const rails = tracks.map((t, k) => ({
    section: chains[k].i,
    points: Array.from({ length: 65 }, (_, i) => plain[k].at(i / 64)),
    start: t.start,
    reversed: t.reversed,
    direction: sub(t.at(0.04), t.at(0)),
  }));
  return {
    ok: true,
    result: {
      surface,
      ...made,
      rails,
      closed,
      exact,
      twist: twistOf(tracks),
      fitDeviation: deviation,
      how: exact ? (how === 'parameter' ? 'parameter' : 'exact') : 'length',
      guided,
      doubtful: closed
        ? doubtful(
            sampled,
            chains.map((c) => c.i),
          )
        : undefined,
    },
  };
}
const SAMPLES = 96;
/** Tolerance from which a fit with fewer points is preferred to the sections' own (mm). */
const LIGHT = 1e-5;

function refuse(sections: readonly LoftSection[], options: LoftOptions): LoftOutcome | undefined {
  if (sections.length < 2) return { ok: false, code: 'too-few', message: 'A loft needs at least two sections' };
  if (sections.every((s) => s.kind === 'point')) return { ok: false, code: 'only-points', message: 'At least one section must be a curve' };
  const inner = sections.slice(1, -1).findIndex((s) => s.kind === 'point');
  if (inner >= 0)
    return {
      ok: false,
      code: 'inner-point',
      message: `Section ${inner + 2} is a point: points can only stand at the two ends. Drag it to an end`,
      place: [(sections[inner + 1] as { point: Vec3 }).point],
    };
  if (options.ring && sections.some((s) => s.kind === 'point'))
    return { ok: false, code: 'ring-point', message: 'A closed ring cannot have a point section' };
  if (options.ring && sections.length < 3) return { ok: false, code: 'ring-few', message: 'A closed ring needs at least three sections' };
  if (options.ring && (options.start || options.end))
    return { ok: false, code: 'ring-ends', message: 'A closed ring has no ends to be conditioned: set both to free' };
  const point = (s: LoftSection) => s.kind === 'point';
  if ((options.start && point(sections[0])) || (options.end && point(sections[sections.length - 1])))
    return { ok: false, code: 'point-end', message: 'A point has no neighbour or direction to meet: set that end to free or rounded' };
  return undefined;
}

/** The sections' own points: by their order, or brought to one degree and knot vector. Undefined when their knots differ too much. */
function ownRows(curves: readonly NurbsCurve[], aligned: readonly Alignment[], how: 'points' | 'parameter'): NurbsCurve[] | undefined {
  const list = curves.map((c, k) => remapCurve(aligned[k].reversed ? reverseCurve(c) : c, 0, 1));
  const plainWeights = (rows: NurbsCurve[]) =>
    rows.every((r) => r.control.every((x, i) => i % 4 !== 3 || Math.abs(x - 1) < 1e-14))
      ? rows.map((r) => ({ ...r, rational: false }))
      : rows;
  if (how === 'parameter') return plainWeights(compatibleCurves(list).map((r) => ({ ...r, rational: true })));
  const knots = list[0].knots;
  if (list.some((c) => c.knots.some((x, i) => Math.abs(x - knots[i]) > 1e-9))) return undefined;
  return plainWeights(list.map((c) => ({ ...c, knots, rational: true })));
}
/** Do the curves' parameters run about as their lengths do? */
function evenParameters(curves: readonly NurbsCurve[]): boolean {
  const at = curves.map((c) => {
    const t = trackOf(c, 0, false, false, 1);
    const [a, b] = [c.knots[c.degree], c.knots[c.knots.length - c.degree - 1]];
    return [0.25, 0.5, 0.75].map((x) => t.table.lengthAt(a + x * (b - a)) / t.total);
  });
  return at.every((l) => l.every((x, i) => Math.abs(x - at[0][i]) < 0.12));
}
function naturalEnds(o: LoftOptions): { start?: NaturalEnd; end?: NaturalEnd } | undefined {
  if (!o.start && !o.end) return undefined;
  const of = (c: EndCondition | undefined): NaturalEnd | undefined | false => {
    if (!c) return undefined;
    const net = c.kind === 'neighbour' ? c.neighbour.natural() : undefined;
    return net ? { net, grade: c.grade, reach: c.reach } : false;
  };
  const [start, end] = [of(o.start), of(o.end)];
  return start === false || end === false ? undefined : { start, end };
}
function withPoints(sections: readonly LoftSection[], rows: readonly NurbsCurve[]): NurbsCurve[] {
  const pointRow = (p: Vec3, like: NurbsCurve): NurbsCurve => {
    const control = new Float64Array(like.control.length);
    for (let i = 0; i < control.length; i += 4) {
      const w = like.control[i + 3];
      control.set([p[0] * w, p[1] * w, p[2] * w, w], i);
    }
    return { ...like, control };
  };
  const all: NurbsCurve[] = [];
  const [first, last] = [sections[0], sections[sections.length - 1]];
  if (first.kind === 'point') all.push(pointRow(first.point, rows[0]));
  all.push(...rows);
  if (last.kind === 'point') all.push(pointRow(last.point, rows[rows.length - 1]));
  return all;
}
/** Points at the ends as domes: the skin leaves them in one plane, square to the way from the middle of the next section. */
function dome(all: readonly NurbsCurve[], sections: readonly LoftSection[], o: LoftOptions) {
  const [first, last] = [sections[0], sections[sections.length - 1]];
  const atStart = first.kind === 'point' ? o.dome?.start : undefined;
  const atEnd = last.kind === 'point' ? o.dome?.end : undefined;
  if (atStart === undefined && atEnd === undefined) return undefined;
  const params = rowParameters(all, false);
  const leave = (point: Vec3, next: NurbsCurve, reach: number, gap: number, way: number): Float64Array => {
    const c = next.control;
    const n = c.length / 4;
    const places = Array.from(
      { length: n },
      (_, i): Vec3 => [c[4 * i] / c[4 * i + 3], c[4 * i + 1] / c[4 * i + 3], c[4 * i + 2] / c[4 * i + 3]],
    );
    let normal: Vec3 = [0, 0, 0];
    for (let i = 0; i < n; i++) normal = add(normal, cross(sub(places[i], point), sub(places[(i + 1) % n], point)));
    const axis = length(normal) > 1e-12 ? unit(normal) : ([0, 0, 1] as Vec3);
    const out = new Float64Array(c.length);
    places.forEach((q, i) => {
      const d = sub(q, point);
      const flat = sub(d, scale(axis, dot(d, axis)));
      // as far as the row itself is, laid into the plane
      const v = scale(flat, (way * reach * length(d)) / (gap * Math.max(1e-9, length(flat))));
      out.set(scale(v, c[4 * i + 3]), 4 * i);
    });
    return out;
  };
  const n = all.length;
  const start = first.kind === 'point' && atStart !== undefined ? [leave(first.point, all[1], atStart, params[1] - params[0], 1)] : [];
  const end = last.kind === 'point' && atEnd !== undefined ? [leave(last.point, all[n - 2], atEnd, params[n - 1] - params[n - 2], -1)] : [];
  return {
    ...acrossHermite(
      all.map((r) => r.control),
      params,
      start,
      end,
      o.degree,
    ),
    at: params,
  };
}

const shareOn = (t: Track, own: number, closed: boolean): number => {
  const raw = t.reversed ? (closed ? t.start - own : 1 - own) : own - t.start;
  const m = closed ? ((raw % 1) + 1) % 1 : raw;
  return m < 1e-6 || m > 1 - 1e-6 ? (m > 0.5 && !closed ? 1 : 0) : m;
};
/** Guides are matched points of all sections; those at the ends of open ones, or at the start of closed ones, need none. */
function guidePins(passings: readonly (readonly Passing[])[], tracks: readonly Track[], closed: boolean): number[][] {
  return passings
    .map((list) => list.map((p, k) => shareOn(tracks[k], p.section, closed)))
    .filter((pin) => pin.every((x) => x > 1e-4 && x < 1 - 1e-4));
}
function placesOf(
  passings: readonly (readonly Passing[])[],
  tracks: readonly Track[],
  pins: readonly (readonly number[])[],
  closed: boolean,
): number[] {
  const { maps } = matchTracks(tracks, pins, closed);
  return passings.map((list) => {
    const at = list.map((p, k) => maps[k].back(shareOn(tracks[k], p.section, closed)));
    return at.reduce((a, b) => a + b, 0) / at.length;
  });
}

/** The first pair of neighbouring closed sections whose planes bend by more than 90 degrees. */
function doubtful(samples: readonly (readonly Vec3[])[], at: readonly number[]): LoftResult['doubtful'] {
  const shape = samples.map((pts) => {
    let n: Vec3 = [0, 0, 0];
    let c: Vec3 = [0, 0, 0];
    pts.forEach((p, i) => {
      n = add(n, cross(p, pts[(i + 1) % pts.length]));
      c = add(c, scale(p, 1 / pts.length));
    });
    return { n: length(n) > 1e-12 ? unit(n) : undefined, c };
  });
  for (let k = 1; k < shape.length; k++) {
    const [a, b] = [shape[k - 1], shape[k]];
    const chord = sub(b.c, a.c);
    if (!a.n || !b.n || length(chord) < 1e-9) continue;
    const lean = [a.n, b.n].map((n) => Math.acos(Math.min(1, Math.abs(dot(n, unit(chord))))));
    const bend = ((lean[0] + lean[1]) * 180) / Math.PI;
    if (bend > 90) return { section: at[k], bend };
  }
  return undefined;
}

function bodyOf(surface: NurbsSurface, options: LoftOptions, prefix: string, closed: boolean, at: readonly number[]) {
  const builder = new BodyBuilder();
  const cutsU = options.perInterval ? at.slice(1, -1) : undefined;
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
  if (surfaceFlux(surface) < 0) body = flipBody(body);
  return { body, capNotes };
}

/** Positive when the faces of a closed or nearly closed skin look away from its middle. */
export const outwardFlux = (b: Body): number => signedVolume(b);
/** The same for one surface, from a coarse grid: enough to tell inside from outside. */
export function surfaceFlux(s: NurbsSurface): number {
  const [nu, nv] = [17, 49];
  const at = (k: Float64Array, d: number, i: number, m: number) => k[d] + ((k[k.length - d - 1] - k[d]) * i) / (m - 1);
  const P = Array.from({ length: nu }, (_, i) =>
    Array.from({ length: nv }, (_, j) => surfacePoint(s, at(s.knotsU, s.degreeU, i, nu), at(s.knotsV, s.degreeV, j, nv))),
  );
  let [volume, area] = [0, 0];
  let centre: Vec3 = [0, 0, 0];
  let vector: Vec3 = [0, 0, 0];
  for (let i = 0; i + 1 < nu; i++)
    for (let j = 0; j + 1 < nv; j++) {
      const [p, q, r, t] = [P[i][j], P[i + 1][j], P[i + 1][j + 1], P[i][j + 1]];
      const n = scale(cross(sub(r, p), sub(t, q)), 0.5);
      const mid = scale(add(add(p, q), add(r, t)), 0.25);
      const l = length(n);
      volume += dot(mid, n) / 3;
      area += l;
      centre = add(centre, scale(mid, l));
      vector = add(vector, n);
    }
  return area > 0 ? volume - dot(scale(centre, 1 / area), vector) / 3 : 0;
}
