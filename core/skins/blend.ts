import type { Border } from '../brep/index.ts';
import { add, angleBetween, cross, DEG, distance, dot, length, scale, sub, unit, type Vec3 } from '../math/index.ts';
import { evaluateNet, lengthTable, makeCompatible, type Net, type NurbsCurve, reverseNet } from '../nurbs/index.ts';
import { alignClosed, alignOpen } from './align.ts';
import { carriedOn, rowsFromDerivatives } from './blend-exact.ts';
import { fitRuns } from './blend-fit.ts';
import {
  type BlendAims,
  type BlendEnd,
  type BlendOutcome,
  type BlendSide,
  cornerAt,
  inverseOf,
  placeOn,
  type Run,
  wayOut,
} from './blend-run.ts';
import { matchTracks, trackOf } from './sections.ts';

export interface BlendOptions {
  /** What the fit of trimmed borders tries to keep: mm, degrees, percent. */
  readonly aim: BlendAims;
  /** Where a border is a line of its surface: `lines` leaves along the surface's own lines (exact), `square` square to it, `best` decides. */
  readonly across: 'best' | 'lines' | 'square';
  readonly ends: readonly [BlendEnd, BlendEnd];
  /** The second border is run the other way than the shortest rulings say. */
  readonly flip?: boolean;
  /** Start of the first border where both are closed; a corner, or where its curve starts, when left out. */
  readonly startFirst?: number;
  /** Start of the second border where both are closed, by share of its length. */
  readonly start?: number;
  /** Matched points: shares of length of both borders, lined up. */
  readonly pins?: readonly (readonly number[])[];
  /** Most control points along. */
  readonly most?: number;
}
const SIN_LEAST = 0.62;

/**
 * A strip between two borders that meets what lies behind them with G0 to G3: one Bézier across (degree grade + grade + 1), a spline along.
 * Where a border is a line of its surface the neighbour is carried on in homogeneous coordinates, exactly; other borders are fitted row by
 * row (position, tangent, curvature, its change), each on what the rows before it became, with knots where the seam still misses.
 * Lengths in mm. Sources: rows of Farin 2002, ch. 21 for the conditions; fits and settings are our own.
 */
export function blend(first: BlendSide, second: BlendSide, o: BlendOptions): BlendOutcome {
  const sides = [first, second] as const;
  const bad = check(sides);
  if (bad) return bad;
  const closed = first.border.closed;
  const lined = lineUp(first.border, second.border, o);
  const tracks = [
    trackOf(first.border.curve, lined.first, false, closed, 1e-4),
    trackOf(second.border.curve, lined.second.start, lined.second.reversed, closed, 1e-4),
  ];
  const { cuts: raw, maps } = matchTracks(tracks, o.pins ?? [], closed);
  const corners = closed && tracks.some((t) => t.startsAtKink);
  const common = (k: 0 | 1) => (s: number) => Math.min(1, Math.max(0, tracks[k].along(maps[k].to(s)) / tracks[k].total));
  const shares = [common(0), common(1)] as const;
  const backwards = [false, lined.second.reversed] as const;
  // how far apart, and what the arc between them is longer than its chord
  const probe = Array.from({ length: 25 }, (_, i) => {
    const s = (i + 0.5) / 25;
    return sides.map((x, k) => x.border.place(shares[k](s)));
  });
  const way = probe.map(([a, b]) => distance(a.point, b.point));
  if (Math.max(...way) < 1e-6) return { ok: false, code: 'same-edge', message: 'Both edges lie on each other: there is nothing to bridge' };
  const arc = arcFactor(sides, shares);
  const chordAt = (s: number) => distance(sides[0].border.place(shares[0](s)).point, sides[1].border.place(shares[1](s)).point);
  // which borders can be met exactly
  const natural = sides.map((x, k) =>
    o.across === 'square' ? undefined : naturalRun(x, lined, k as 0 | 1, closed, o, arc, way.reduce((a, b) => a + b, 0) / way.length),
  );
  if (natural[0] && natural[1] && !agree(natural[0], natural[1], tracks, maps, o)) {
    // one of them gives the parameter: the one with more points, which would cost the fit more
    const k = natural[0].net.data.length >= natural[1].net.data.length ? 1 : 0;
    natural[k] = undefined;
  }
  // a closed strip closes smoothly when both run by their surfaces' parameters, or neither
  if (closed && !(natural[0] && natural[1])) natural.fill(undefined);
  const master = natural[0] ? 0 : natural[1] ? 1 : undefined;
  const shareOf = (k: 0 | 1): ((t: number) => number) => {
    const own = natural[k];
    if (own) return own.share;
    if (master === undefined) return shares[k];
    const lead = natural[master] as NaturalRun;
    const track = tracks[master];
    return (t) => {
      let x = track.reversed ? 1 - lead.share(t) : lead.share(t);
      if (closed) x -= Math.floor(x + 1e-12);
      return shares[k](t <= 0 ? 0 : t >= 1 ? 1 : maps[master].back(x));
    };
  };
  const runs = ([0, 1] as const).map(
    (k): Run => ({
      side: sides[k],
      share: shareOf(k),
      backwards: backwards[k],
      handle: () => 1,
      lean: () => 0,
      exact: undefined,
    }),
  );
  const chord = master === undefined ? chordAt : (t: number) => distance(placeOn(runs[0], t).point, placeOn(runs[1], t).point);
  const toT =
    master === undefined
      ? (s: number) => s
      : (s: number) => inverseOf((t) => sOf(runs[master], tracks[master], maps[master], t, closed), s);
  const cuts = raw.map(toT).filter((t) => t > 1e-6 && t < 1 - 1e-6 && runs.some((r) => cornerAt(r, t) > 0.5 * DEG));
  for (const r of runs) {
    r.handle = (t) => arc * chord(t);
    const lean = leansOf(r, runs.indexOf(r) as 0 | 1, cuts, corners, o.ends);
    if ('message' in lean) return lean;
    r.lean = lean.at;
  }
  for (const k of [0, 1] as const) {
    const n = natural[k];
    if (!n) continue;
    const lam = lamOf(n, runs[k], o);
    const leans =
      [0, 0.5, 1].some((t) => Math.abs(runs[k].lean(t) - n.lean(t)) > 1e-3) && o.ends.some((e) => e.kind === 'mirror' || e.leave);
    if (!lam || leans) continue;
    runs[k].exact = rowsFromDerivatives(sameSpace(carriedOn(n.net, sides[k].grade, lam)), degreeAcross(sides));
    const [l, hh] = [lam, runs[k].handle];
    runs[k].handle = (t) => ((l[0] + l[1] * t) * n.speed(t)) / Math.max(1e-12, sides[k].reach(t)) || hh(t);
    runs[k].lean = n.lean;
  }
  const fitted = fitRuns(runs, {
    closed,
    cuts: corners ? [0, ...cuts] : cuts,
    master: master === undefined || !runs[master].exact ? undefined : (runs[master].exact as readonly Net[])[0],
    ends: o.ends,
    aim: o.aim,
    most: o.most ?? 160,
    degree: degreeAcross(sides),
    scale: way.reduce((a, b) => a + b, 0) / way.length,
  });
  if (!fitted.ok) return fitted;
  const handle = (k: 0 | 1, t: number) => {
    const r = runs[k];
    const p = placeOn(r, t);
    const j = sides[k].border.held ? sides[k].border.jet(r.share(t)) : undefined;
    const direction = j ? wayOut(r, j, p.tangent, t) : unit(sub(placeOn(runs[1 - k], t).point, p.point));
    return { from: p.point, direction, rate: r.handle(t) / 3 };
  };
  return {
    ok: true,
    result: {
      surface: fitted.surface,
      closed,
      exact: [!!runs[0].exact, !!runs[1].exact],
      share: [runs[0].share, runs[1].share],
      handle,
      lined: { first: lined.first, ...lined.second },
      passes: fitted.passes,
    },
  };
}
const degreeAcross = (s: readonly [BlendSide, BlendSide]) => Math.max(1, s[0].grade + s[1].grade + 1);
const sameSpace = (list: readonly Net[]): Net[] => makeCompatible(list);

function check(sides: readonly [BlendSide, BlendSide]): Extract<BlendOutcome, { ok: false }> | undefined {
  const [a, b] = sides.map((s) => s.border);
  for (const [k, s] of sides.entries())
    if (s.grade > 0 && !s.border.held)
      return {
        ok: false,
        code: 'free-curve',
        message: `The ${k ? 'second' : 'first'} side holds a free curve: with no skin behind it only G0 can be met there. Pick the edge of a skin, or set that side to G0`,
        place: [s.border.place(0.5).point],
      };
  if (a.closed !== b.closed)
    return {
      ok: false,
      code: 'open-with-closed',
      message: `The ${a.closed ? 'first' : 'second'} side is closed and the other is open: a blend needs both open or both closed. Take a part of the closed one, or its whole rim on the other side`,
      place: [(a.closed ? b : a).place(0).point],
    };
  return undefined;
}

/** Directions and starts: open borders for the shortest rulings, closed ones for least twist; a corner of the first is its start. */
function lineUp(a: Border, b: Border, o: BlendOptions): { first: number; second: { start: number; reversed: boolean } } {
  const N = 96;
  const closed = a.closed;
  const plain = trackOf(a.curve, 0, false, closed, 1e-4);
  const first = closed ? (o.startFirst ?? (plain.kinks.length && !plain.startsAtKink ? plain.kinks[0] : 0)) : 0;
  const [ta, tb] = [trackOf(a.curve, first, false, closed, 1e-4), trackOf(b.curve, 0, false, closed, 1e-4)];
  const samples = [ta, tb].map((t) => Array.from({ length: closed ? N : N + 1 }, (_, i) => t.at(i / N)));
  const auto = (closed ? alignClosed(samples) : alignOpen(samples))[1];
  const reversed = o.flip ? !auto.reversed : auto.reversed;
  if (!closed) return { first, second: { start: 0, reversed } };
  let start = o.start ?? auto.start;
  // corners start with corners
  if (o.start === undefined && ta.startsAtKink && (tb.kinks.length || tb.startsAtKink)) {
    const own = [...(tb.startsAtKink ? [0] : []), ...tb.kinks];
    const way = (k: number) => Math.min(Math.abs(k - start), 1 - Math.abs(k - start));
    const nearest = own.reduce((x, y) => (way(y) < way(x) ? y : x));
    if (way(nearest) < 0.1) start = nearest;
  }
  return { first, second: { start, reversed } };
}
/** How much longer the arc is that leaves both borders along their tangent planes than the chord between them. */
function arcFactor(sides: readonly [BlendSide, BlendSide], shares: readonly ((s: number) => number)[]): number {
  if (!sides[0].border.held || !sides[1].border.held) return 1;
  let sum = 0;
  for (let i = 0; i < 9; i++) {
    const s = (i + 0.5) / 9;
    const [p, q] = sides.map((x, k) => x.border.jet(shares[k](s)));
    const turn = Math.min(150 * DEG, angleBetween(p.away, scale(q.away, -1)));
    sum += turn < 1e-3 ? 1 : turn / 2 / Math.sin(turn / 2);
  }
  return sum / 9;
}

interface NaturalRun {
  /** Rows of 16 over 0..1 in the direction of the blend. */
  readonly net: Net;
  readonly share: (t: number) => number;
  /** Speed of the neighbour across, mm for one of its parameter. */
  readonly speed: (t: number) => number;
  readonly lean: (t: number) => number;
}
/** The border as a line of its own surface, when leaving along the surface's lines is sound there. */
function naturalRun(
  s: BlendSide,
  lined: ReturnType<typeof lineUp>,
  k: 0 | 1,
  closed: boolean,
  o: BlendOptions,
  arc: number,
  chord: number,
): NaturalRun | undefined {
  const run = s.border.natural();
  if (!run) return undefined;
  const start = k ? lined.second.start : lined.first;
  if (closed && Math.min(start, 1 - start) * s.border.total > 1e-6) return undefined;
  const net = k && lined.second.reversed ? reverseNet(run) : run;
  const n = net.data.length / 16;
  const row: NurbsCurve = {
    dim: 3,
    degree: net.degree,
    knots: net.knots,
    control: Float64Array.from({ length: 4 * n }, (_, i) => net.data[16 * (i >> 2) + (i & 3)]),
    rational: true,
  };
  const table = lengthTable(row);
  const share = (t: number) => {
    const x = t <= 0 ? 0 : t >= 1 ? 1 : table.lengthAt(t) / table.total;
    return k && lined.second.reversed ? 1 - x : x;
  };
  const out = new Float64Array(16);
  const jet = (t: number): { out: Vec3; along: Vec3 } => {
    evaluateNet(net, t, out);
    const w = out[3];
    const p = [out[0] / w, out[1] / w, out[2] / w];
    const across = [0, 1, 2].map((d) => (out[4 + d] - out[7] * p[d]) / w) as unknown as Vec3;
    const h = 1e-5;
    const [a, b] = [Math.max(0, t - h), Math.min(1, t + h)];
    const q = [a, b].map((x) => {
      evaluateNet(net, x, out);
      return [out[0] / out[3], out[1] / out[3], out[2] / out[3]] as unknown as Vec3;
    });
    return { out: across, along: sub(q[1], q[0]) };
  };
  const probe = Array.from({ length: 33 }, (_, i) => jet(i / 32));
  const speeds = probe.map((j) => length(j.out));
  const sines = probe.map((j) => length(cross(j.out, j.along)) / (length(j.out) * length(j.along) || 1));
  const [slow, fast] = [Math.min(...speeds), Math.max(...speeds)];
  if (!(slow > 1e-9 * (fast + chord * arc))) return undefined;
  if (o.across === 'best' && s.grade > 0 && (Math.min(...sines) < SIN_LEAST || fast > 2.5 * slow)) return undefined;
  const j = (t: number) => jet(t);
  return {
    net,
    share,
    speed: (t) => length(j(t).out),
    lean: (t) => {
      const x = j(t);
      const T = unit(x.along);
      const along = dot(x.out, T);
      return Math.atan2(along, length(sub(x.out, scale(T, along))));
    },
  };
}
type Tracks = readonly ReturnType<typeof trackOf>[];
type Maps = ReturnType<typeof matchTracks>['maps'];
/** Do both borders pass matching places at the same parameters? */
function agree(a: NaturalRun, b: NaturalRun, tracks: Tracks, maps: Maps, o: BlendOptions): boolean {
  const most = o.across === 'lines' ? 0.3 : o.pins?.length ? 0.005 : 0.12;
  for (let i = 1; i < 20; i++) {
    const t = i / 20;
    const own = [a, b].map((n, k) => {
      const x = tracks[k].reversed ? 1 - n.share(t) : n.share(t);
      return maps[k].back(Math.min(1, Math.max(0, x)));
    });
    if (Math.abs(own[0] - own[1]) > most) return false;
  }
  return true;
}
function sOf(r: Run, track: Tracks[number], map: Maps[number], t: number, closed: boolean): number {
  let x = track.reversed ? 1 - r.share(t) : r.share(t);
  if (closed) x -= Math.floor(x + 1e-12);
  return t <= 0 ? 0 : t >= 1 ? 1 : map.back(x);
}
/** Speed of the carried-on neighbour for the handles wished: constant where that is good enough, else linear along the border. */
function lamOf(n: NaturalRun, r: Run, o: BlendOptions): readonly [number, number] | undefined {
  const list = Array.from({ length: 21 }, (_, i) => {
    const t = i / 20;
    return { t, lam: (r.side.reach(t) * r.handle(t)) / n.speed(t) };
  });
  const mean = list.reduce((s, x) => s + x.lam, 0) / list.length;
  const off = (f: (t: number) => number) => Math.max(...list.map((x) => Math.max(f(x.t) / x.lam, x.lam / f(x.t))));
  if (off(() => mean) < 1.35) return [mean, 0];
  // least squares line
  const [st, stt, sl, stl] = list.reduce((s, x) => [s[0] + x.t, s[1] + x.t * x.t, s[2] + x.lam, s[3] + x.t * x.lam], [0, 0, 0, 0]);
  const N = list.length;
  const slope = (N * stl - st * sl) / (N * stt - st * st);
  const base = (sl - slope * st) / N;
  if (base > 0 && base + slope > 0 && off((t) => base + slope * t) < 1.6) return [base, slope];
  return o.across === 'lines' ? [mean, 0] : undefined;
}

/** Leaning of the way out along a side: given at the ends, mitred at corners, straight between. */
function leansOf(
  r: Run,
  k: 0 | 1,
  cuts: readonly number[],
  ring: boolean,
  ends: readonly [BlendEnd, BlendEnd],
): { at: (t: number) => number } | Extract<BlendOutcome, { ok: false }> {
  if (!r.side.border.held) return { at: () => 0 };
  const h = 1e-7;
  const side = (t: number, from: number) => {
    const x = Math.min(1, Math.max(0, t + from * h));
    const j = r.side.border.jet(r.share(x));
    const p = placeOn(r, x);
    const along = unit(sub(p.tangent, scale(j.normal, dot(p.tangent, j.normal))));
    return { j, along, angle: (d: Vec3) => Math.atan2(dot(d, along), dot(d, j.away)) };
  };
  const mitre = (before: ReturnType<typeof side>, after: ReturnType<typeof side>) => {
    const d = add(before.j.away, after.j.away);
    return length(d) < 1e-6 ? [0, 0] : [before.angle(d), after.angle(d)];
  };
  const stops: { t: number; left: number; right: number }[] = [];
  const endLean = (e: 0 | 1): number | Extract<BlendOutcome, { ok: false }> => {
    const rule = ends[e];
    const s = side(e, e ? -1 : 1);
    if (rule.kind === 'mirror') {
      // the way out that lies in the plane
      const d = cross(s.j.normal, rule.plane.z);
      if (length(d) < 1e-9) return 0;
      const inPlane = dot(d, s.j.away) < 0 ? scale(d, -1) : d;
      return s.angle(unit(inPlane));
    }
    const d = rule.leave?.[k];
    if (!d) return 0;
    const flat = sub(d, scale(s.j.normal, dot(d, s.j.normal)));
    if (length(flat) < 1e-3) return 0;
    const out = dot(flat, s.j.away) < 0 ? scale(flat, -1) : flat;
    const angle = s.angle(unit(out));
    if (Math.abs(angle) > 75 * DEG)
      return {
        ok: false,
        code: 'end-lean',
        message: `The edge picked for the end leaves the ${k ? 'second' : 'first'} side at only ${(90 - Math.abs(angle) / DEG).toFixed(0)}° to it: the blend would run along its own edge. Leave that end square, or pick another edge`,
        place: [s.j.point],
      };
    return angle;
  };
  if (ring) {
    const [before, after] = mitre(side(1, -1), side(0, 1));
    stops.push({ t: 0, left: after, right: after }, { t: 1, left: before, right: before });
  } else if (!r.side.border.closed)
    for (const e of [0, 1] as const) {
      const l = endLean(e);
      if (typeof l !== 'number') return l;
      stops.push({ t: e, left: l, right: l });
    }
  else stops.push({ t: 0, left: 0, right: 0 }, { t: 1, left: 0, right: 0 });
  for (const t of cuts) {
    const [before, after] = cornerAt(r, t) > 0.5 * DEG ? mitre(side(t, -1), side(t, 1)) : [0, 0];
    stops.push({ t, left: before, right: after });
  }
  stops.sort((x, y) => x.t - y.t);
  if (stops.every((s) => s.left === 0 && s.right === 0)) return { at: () => 0 };
  return {
    at: (t) => {
      let i = 0;
      while (i + 2 < stops.length && t > stops[i + 1].t) i++;
      const [a, b] = [stops[i], stops[i + 1]];
      return a.right + ((b.left - a.right) * (t - a.t)) / (b.t - a.t || 1);
    },
  };
}
