import type { Neighbour } from '../brep/index.ts';
import { add, cross, distance, dot, type Frame, length, monotoneMap, scale, sub, unit, type Vec3 } from '../math/index.ts';
import {
  averagedKnots,
  closestOnCurve,
  closestOnSurface,
  derivativesAt,
  domain,
  endPoint,
  evaluateNet,
  fitFunction,
  fitPeriodic,
  interpolateInSpace,
  joinCurves,
  knotRuns,
  leanFit,
  lengthTable,
  makeCompatible,
  moveStart,
  type NurbsCurve,
  type NurbsSurface,
  pointAt,
  pointCount,
  remapCurve,
  reverseCurve,
  startPoint,
  surfacePoint,
} from '../nurbs/index.ts';
import { type BehindSide, matchSide } from './match-side.ts';
import { commonRows, isRing, type LineUp } from './sections.ts';

export interface RailCondition {
  readonly neighbour: Neighbour;
  readonly grade: 1 | 2 | 3;
}
export interface RailOptions extends LineUp {
  /** Height of the section: as it was drawn, or growing with the way between the rails. */
  readonly height: 'kept' | 'width';
  readonly first?: RailCondition;
  readonly second?: RailCondition;
}
export interface RailResult {
  readonly surface: NurbsSurface;
  /** Largest way of the skin's borders from the rails (mm). */
  readonly railMiss: number;
  /** Largest way of the skin from the sections (mm), and where. */
  readonly sectionMiss: number;
  readonly sectionAt: Vec3;
  /** Sections did not end on the rails: their ends were moved by at most so much (mm). */
  readonly moved: number;
  readonly deviation: number;
  readonly closed: boolean;
}
export type RailOutcome =
  | { readonly ok: true; readonly result: RailResult }
  | { readonly ok: false; readonly code: string; readonly message: string; readonly place?: readonly Vec3[] };

/** A section in the frame between the rails: along the way, over it, along the rails, as rows of x, y, z, w. */
export interface RailSection {
  /** Common share of the rails. */
  readonly at: number;
  readonly row: Float64Array;
}
export interface RailShape {
  readonly like: NurbsCurve;
  readonly sections: readonly RailSection[];
  readonly closedSections: boolean;
}

interface Pair {
  readonly a: NurbsCurve;
  readonly b: NurbsCurve;
  readonly ring: boolean;
}
/** Places of the rails that belong together: parameters of both at a common share. */
interface Meeting {
  readonly a: (r: number) => number;
  readonly b: (r: number) => number;
  readonly joints: readonly number[];
  readonly own: boolean;
}

/** The second rail turned so that it runs beside the first. */
export function pairOf(
  first: readonly NurbsCurve[],
  second: readonly NurbsCurve[],
): Pair | { code: string; message: string; place: Vec3[] } {
  const a = joinCurves(first);
  let b = joinCurves(second);
  const rings = [isRing(a), isRing(b)];
  if (rings[0] !== rings[1])
    return {
      code: 'open-with-closed',
      message: 'One rail is closed and the other is open: close or split one of them',
      place: [startPoint(rings[0] ? b : a)],
    };
  if (!rings[0]) {
    const ahead = distance(startPoint(a), startPoint(b)) + distance(endPoint(a), endPoint(b));
    const back = distance(startPoint(a), endPoint(b)) + distance(endPoint(a), startPoint(b));
    if (back < ahead) b = reverseCurve(b);
    return { a, b, ring: false };
  }
  const foot = closestOnCurve(b, startPoint(a));
  const from = foot.t;
  b = moveStart(b, from);
  const around = (c: NurbsCurve) => {
    const t = lengthTable(c);
    return pointAt(c, t.near(0.25 * t.total));
  };
  const back = reverseCurve(b);
  if (distance(around(a), around(back)) < distance(around(a), around(b))) b = back;
  return { a, b, ring: true };
}

/** How rails run beside each other: by what the sections join, else by share of length (or their own parameters where those agree). */
function meetingOf(p: Pair, joints: readonly { a: number; b: number }[]): Meeting {
  const [ta, tb] = [lengthTable(p.a), lengthTable(p.b)];
  const list = joints
    .map((j) => ({ a: ta.lengthAt(j.a) / ta.total, b: tb.lengthAt(j.b) / tb.total }))
    .sort((x, y) => x.a - y.a)
    .filter((j, i, l) => (i === 0 || j.a - l[i - 1].a > 1e-6) && j.a > 1e-4 && j.a < 1 - 1e-4 && j.b > 1e-4 && j.b < 1 - 1e-4);
  // polynomial rails keep their own parameters where sections join the same ones and lengths grow alike: the borders are the rails then
  const span = (c: NurbsCurve) => domain(c)[1] - domain(c)[0];
  const own = (c: NurbsCurve, t: number) => (t - domain(c)[0]) / span(c);
  const alike = [0.25, 0.5, 0.75].every((x) => {
    const share = (c: NurbsCurve, t: typeof ta) => t.lengthAt(domain(c)[0] + x * span(c)) / t.total;
    return Math.abs(share(p.a, ta) - share(p.b, tb)) < 0.1;
  });
  const plain = !p.a.rational && !p.b.rational && p.a.degree <= 5 && p.b.degree <= 5 && !p.ring;
  if (plain && alike && joints.every((j) => Math.abs(own(p.a, j.a) - own(p.b, j.b)) < 1e-5)) {
    const lin = (c: NurbsCurve) => (r: number) => domain(c)[0] + r * span(c);
    return { a: lin(p.a), b: lin(p.b), joints: [], own: true };
  }
  if (!list.some((j) => Math.abs(j.a - j.b) > 1e-4))
    return { a: (r) => ta.near(r * ta.total), b: (r) => tb.near(r * tb.total), joints: [], own: false };
  const common = list.map((j) => (j.a + j.b) / 2);
  const ma = monotoneMap(
    common,
    list.map((j) => j.a),
    0,
    1,
    false,
  );
  const mb = monotoneMap(
    common,
    list.map((j) => j.b),
    0,
    1,
    false,
  );
  return { a: (r) => ta.near(ma(r) * ta.total), b: (r) => tb.near(mb(r) * tb.total), joints: common, own: false };
}
/** The frame between the rails: x from the first to the second, z along. The width is the way between. */
function frameBetween(p: Pair, m: Meeting, r: number): { frame: Frame; width: number } | undefined {
  const [A, da] = derivativesAt(p.a, m.a(r), 1);
  const [B, db] = derivativesAt(p.b, m.b(r), 1);
  const w = sub(B, A);
  const width = length(w);
  if (width < 1e-9) return { frame: { origin: A, x: [1, 0, 0], y: [0, 1, 0], z: [0, 0, 1] }, width: 0 };
  const x = scale(w, 1 / width);
  const t = add(unit(da), unit(db));
  const z0 = sub(t, scale(x, dot(t, x)));
  if (length(z0) < 1e-6) return undefined;
  const z = unit(z0);
  return { frame: { origin: A, x, y: cross(z, x), z }, width };
}

/** Sections drawn between one pair of rails, in the rails' own frame. */
export function shapeBetween(
  p: Pair,
  curves: readonly NurbsCurve[],
  o: RailOptions,
): { ok: true; shape: RailShape; meeting: Meeting; moved: number } | { ok: false; code: string; message: string; place?: readonly Vec3[] } {
  // sections run from the first rail to the second
  const runs = curves.map((c) => {
    const ahead = closestOnCurve(p.a, startPoint(c)).distance + closestOnCurve(p.b, endPoint(c)).distance;
    const back = closestOnCurve(p.a, endPoint(c)).distance + closestOnCurve(p.b, startPoint(c)).distance;
    return back < ahead ? reverseCurve(c) : c;
  });
  if (runs.some(isRing))
    return {
      ok: false,
      code: 'closed-section',
      message: 'A section between two rails runs from one to the other: this one is closed',
      place: [startPoint(runs.find(isRing) as NurbsCurve)],
    };
  const joints = runs.map((c) => ({ a: closestOnCurve(p.a, startPoint(c)).t, b: closestOnCurve(p.b, endPoint(c)).t }));
  const meeting = meetingOf(p, joints);
  const common = commonRows(runs, { tolerance: o.tolerance, pins: o.pins, asRun: true });
  if (!common.ok) return common;
  const rows = common.rows;
  let moved = 0;
  const sections: RailSection[] = [];
  for (const [k, r] of rows.entries()) {
    const [ta, tb] = [lengthTable(p.a), lengthTable(p.b)];
    const j = joints[k];
    const at = meeting.own
      ? (j.a - domain(p.a)[0]) / (domain(p.a)[1] - domain(p.a)[0])
      : (ta.lengthAt(j.a) / ta.total + tb.lengthAt(j.b) / tb.total) / 2;
    const f = frameBetween(p, meeting, at);
    if (!f || f.width < 1e-9)
      return {
        ok: false,
        code: 'no-width',
        message: 'The rails meet where this section stands, or run towards each other: move it to where they lie apart',
        place: [startPoint(runs[k])],
      };
    const row = new Float64Array(r.control.length);
    const n = row.length / 4;
    const local = Array.from({ length: n }, (_, i): Vec3 => {
      const w = r.control[4 * i + 3];
      const d = sub([r.control[4 * i] / w, r.control[4 * i + 1] / w, r.control[4 * i + 2] / w], f.frame.origin);
      return [dot(d, f.frame.x) / f.width, dot(d, f.frame.y), dot(d, f.frame.z)];
    });
    const [from, to] = [local[0], sub(local[n - 1], [1, 0, 0])];
    moved = Math.max(moved, Math.hypot(from[0] * f.width, from[1], from[2]), Math.hypot(to[0] * f.width, to[1], to[2]));
    local.forEach((q, i) => {
      // ends that do not lie on the rails are brought there, the rest follows evenly
      const share = n === 1 ? 0 : i / (n - 1);
      const fixed = sub(q, add(scale(from, 1 - share), scale(to, share)));
      const h = o.height === 'width' ? 1 / f.width : 1;
      row.set([fixed[0], fixed[1] * h, fixed[2] * h, r.control[4 * i + 3]], 4 * i);
    });
    sections.push({ at: Math.min(1, Math.max(0, at)), row });
  }
  const sorted = [...sections].sort((x, y) => x.at - y.at);
  for (let k = 1; k < sorted.length; k++)
    if (sorted[k].at - sorted[k - 1].at < 1e-4)
      return {
        ok: false,
        code: 'same-place',
        message: 'Two sections stand at the same place of the rails: move one of them along',
        place: [startPoint(runs[sections.indexOf(sorted[k])])],
      };
  return { ok: true, shape: { like: rows[0], sections: sorted, closedSections: false }, meeting, moved };
}

/** The skin of a shape between a pair of rails; `drawn` are the sections to compare it with. */
export function skinBetween(
  p: Pair,
  given: Meeting | undefined,
  shape: RailShape,
  o: RailOptions,
  drawn: readonly NurbsCurve[],
  moved: number,
): RailOutcome {
  const m = given ?? meetingOf(p, []);
  const count = pointCount(shape.like);
  const stride = 4 * count;
  const nodes = [...shape.sections];
  if (p.ring) {
    const once = [...nodes];
    nodes.length = 0;
    for (let k = -2; k <= 2; k++) nodes.push(...once.map((x) => ({ ...x, at: x.at + k })));
  } else if (nodes.length > 1) {
    if (nodes[0].at > 1e-6) nodes.unshift({ ...nodes[0], at: 0 });
    if (nodes[nodes.length - 1].at < 1 - 1e-6) nodes.push({ ...nodes[nodes.length - 1], at: 1 });
  }
  const t = Float64Array.from(nodes, (x) => x.at);
  const values = new Float64Array(nodes.length * stride);
  nodes.forEach((x, i) => {
    values.set(x.row, i * stride);
  });
  const single = shape.sections.length === 1;
  const degree = Math.min(3, nodes.length - 1);
  const net = single ? undefined : interpolateInSpace(degree, averagedKnots(t, degree), t, values, stride);
  if (!single && !net) return { ok: false, code: 'same-place', message: 'The sections stand on each other' };
  const local = new Float64Array(stride);
  const rational = shape.sections.some((s) => s.row.some((x, i) => i % 4 === 3 && Math.abs(x - s.row[3]) > 1e-14));
  let broken: Vec3 | undefined;
  const rows = (r: number, out: Float64Array) => {
    if (net) evaluateNet(net, r, local);
    else local.set(shape.sections[0].row);
    const f = frameBetween(p, m, r);
    if (!f) {
      broken ??= pointAt(p.a, m.a(r));
      return;
    }
    const h = o.height === 'width' ? f.width : 1;
    for (let i = 0; i < stride; i += 4) {
      const w = local[i + 3];
      const q = add(
        f.frame.origin,
        add(add(scale(f.frame.x, local[i] * f.width), scale(f.frame.y, local[i + 1] * h)), scale(f.frame.z, local[i + 2] * h)),
      );
      out.set([q[0] * w, q[1] * w, q[2] * w, w], i);
    }
  };
  const breaks: { t: number; multiplicity: number }[] = [];
  const [ta, tb] = [lengthTable(p.a), lengthTable(p.b)];
  for (const [c, table] of [
    [p.a, ta],
    [p.b, tb],
  ] as const) {
    const runs = knotRuns(c.knots, c.degree);
    runs.values.slice(1, -1).forEach((x, i) => {
      const share = m.own ? (x - domain(c)[0]) / (domain(c)[1] - domain(c)[0]) : table.lengthAt(x) / table.total;
      breaks.push({ t: share, multiplicity: Math.min(5, 5 - Math.max(0, c.degree - runs.multiplicities[i + 1] - 1)) });
    });
  }
  for (const x of m.joints) breaks.push({ t: x, multiplicity: 4 });
  if (net) for (const x of knotRuns(net.knots, degree).values) if (x > 1e-9 && x < 1 - 1e-9) breaks.push({ t: x, multiplicity: 3 });
  if (p.ring) breaks.push({ t: 0, multiplicity: 4 });
  const first = (p.ring ? fitPeriodic : fitFunction)(
    (r, out) => rows(p.ring ? ((r % 1) + 1) % 1 : r, out),
    0,
    1,
    stride,
    5,
    0.4 * o.tolerance,
    breaks,
    160,
  );
  const fit = first.deviation < 0.9 * o.tolerance ? leanFit(first, stride, 5, o.tolerance - first.deviation, breaks, p.ring) : first;
  if (broken)
    return {
      ok: false,
      code: 'no-frame',
      message: 'The rails run towards each other here, so no section stands across them: turn one rail round, or choose other rails',
      place: [broken],
    };
  let surface: NurbsSurface = {
    degreeU: 5,
    degreeV: shape.like.degree,
    knotsU: fit.knots,
    knotsV: shape.like.knots,
    countU: fit.data.length / stride,
    countV: count,
    control: fit.data,
    rational,
  };
  // rails with parameters of their own are the borders themselves
  if (m.own) surface = withBorders(surface, p);
  for (const [c, side] of [
    [o.first, 'v0'],
    [o.second, 'v1'],
  ] as const) {
    if (!c) continue;
    if (rational)
      return {
        ok: false,
        code: 'rational',
        message:
          'Sections with weights (arcs, circles, conics) cannot meet a neighbour with tangent or curvature: refit them to splines first',
      };
    const behind: BehindSide = (q) => c.neighbour.at(q);
    surface = matchSide(surface, side, behind, c.grade, o.first && o.second ? Math.max(o.first.grade, o.second.grade) + 1 : 2).surface;
  }
  const railMiss = borderMiss(surface, p);
  const miss = sectionMissOf(surface, drawn);
  return {
    ok: true,
    result: { surface, railMiss, sectionMiss: miss.d, sectionAt: miss.at, moved, deviation: fit.deviation, closed: p.ring },
  };
}
/** First and last columns replaced by the rails, brought to the surface's space. */
function withBorders(s: NurbsSurface, p: Pair): NurbsSurface {
  const of = (c: NurbsCurve) => {
    const r = remapCurve(c, 0, 1);
    return { degree: r.degree, knots: r.knots, data: r.control, stride: 4 };
  };
  const whole = makeCompatible([{ degree: s.degreeU, knots: s.knotsU, data: s.control, stride: s.countV * 4 }, of(p.a), of(p.b)]);
  const [net, a, b] = whole;
  const countU = net.data.length / net.stride;
  const control = new Float64Array(net.data);
  for (let i = 0; i < countU; i++) {
    // weights of a section are the same all along
    for (const [c, o] of [
      [a, i * net.stride],
      [b, i * net.stride + net.stride - 4],
    ] as const)
      for (let k = 0; k < 3; k++) control[o + k] = c.data[4 * i + k] * control[o + 3];
  }
  return { ...s, degreeU: net.degree, knotsU: net.knots, countU, control };
}
function borderMiss(s: NurbsSurface, p: Pair): number {
  const [v0, v1] = [s.knotsV[0], s.knotsV[s.knotsV.length - 1]];
  let worst = 0;
  for (let i = 0; i <= 120; i++) {
    const u = i / 120;
    worst = Math.max(worst, closestOnCurve(p.a, surfacePoint(s, u, v0)).distance, closestOnCurve(p.b, surfacePoint(s, u, v1)).distance);
  }
  return worst;
}
function sectionMissOf(s: NurbsSurface, drawn: readonly NurbsCurve[]): { d: number; at: Vec3 } {
  let worst = { d: 0, at: surfacePoint(s, 0, s.knotsV[0]) };
  for (const c of drawn) {
    const t = lengthTable(c);
    let foot: readonly [number, number] | undefined;
    for (let i = 0; i <= 40; i++) {
      const q = pointAt(c, t.near((i / 40) * t.total));
      const f = nearestOn(s, q, foot);
      foot = [f.u, f.v];
      if (f.distance > worst.d) worst = { d: f.distance, at: q };
    }
  }
  return worst;
}
const nearestOn = (s: NurbsSurface, q: Vec3, near?: readonly [number, number]) => {
  const all = closestOnSurface(s, q);
  if (!near) return all;
  const step = closestOnSurface(s, q, near);
  return step.distance < all.distance ? step : all;
};
/** Builds the skin over one pair of rails and the sections that stand between them. */
export function twoRails(
  first: readonly NurbsCurve[],
  second: readonly NurbsCurve[],
  sections: readonly (readonly NurbsCurve[])[],
  o: RailOptions,
): RailOutcome {
  const p = pairOf(first, second);
  if ('code' in p) return { ok: false, ...p };
  const curves = sections.map((s) => joinCurves(s));
  const r = shapeBetween(p, curves, o);
  if (!r.ok) return r;
  return skinBetween(p, r.meeting, r.shape, o, curves, r.moved);
}
