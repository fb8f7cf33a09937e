import {
  add,
  cross,
  DEG,
  distance,
  dot,
  length,
  type MonotoneMap,
  monotoneMap,
  nearestTurn,
  scale,
  solveMap,
  sub,
  type Vec3,
} from '../math/index.ts';
import {
  endPoint,
  fitTogether,
  joinCurves,
  type LengthTable,
  lengthTable,
  type NurbsCurve,
  pointAt,
  remapCurve,
  reverseCurve,
  startPoint,
  turnedCircle,
} from '../nurbs/index.ts';
import { alignClosed, alignOpen } from './align.ts';

/** A section lined up: places on it by share of its length, from its start in its direction. */
export interface Track {
  readonly curve: NurbsCurve;
  readonly start: number;
  readonly reversed: boolean;
  readonly total: number;
  readonly at: (share: number) => Vec3;
  readonly kinks: readonly number[];
  /** Joints that are no corners: share, and the derivatives by length that agree (1 = tangent alone, 2 = curvature too). */
  readonly soft: readonly { share: number; order: number }[];
  readonly startsAtKink: boolean;
  readonly table: LengthTable;
  /** Length along the curve of a share of the track. */
  readonly along: (share: number) => number;
}
export function trackOf(curve: NurbsCurve, start: number, reversed: boolean, closed: boolean, tolerance: number): Track {
  const table = lengthTable(curve);
  const local = (share: number) => {
    let s = reversed ? -share : share;
    s += start;
    if (closed) s -= Math.floor(s + (share >= 1 ? -1e-12 : 1e-12));
    else if (reversed) s += 1;
    return Math.min(1, Math.max(0, s));
  };
  const shifted = (k: number) => {
    const raw = reversed ? (closed ? start - k : 1 - k) : k - start;
    const m = closed ? ((raw % 1) + 1) % 1 : raw;
    return m > 1 - 1e-9 || m < 1e-9 ? 0 : m;
  };
  // order of each joint by what the jump would move over a sixteenth of the length
  const h = table.total / 16;
  const kinkShares: number[] = [];
  const soft: { share: number; order: number }[] = [];
  for (const j of table.joints) {
    if (j.s === 0 && !closed) continue;
    const jump = (k: number) =>
      Math.hypot(j.left[3 * k] - j.right[3 * k], j.left[3 * k + 1] - j.right[3 * k + 1], j.left[3 * k + 2] - j.right[3 * k + 2]);
    if (jump(0) > 0.01 * DEG) kinkShares.push(j.s / table.total);
    else if ((jump(1) * h * h) / 8 > 0.1 * tolerance) soft.push({ share: shifted(j.s / table.total), order: 1 });
    else if ((jump(2) * h ** 3) / 48 > 0.1 * tolerance) soft.push({ share: shifted(j.s / table.total), order: 2 });
  }
  const kinks = kinkShares.map(shifted).sort((a, b) => a - b);
  return {
    curve,
    start: local(0),
    reversed,
    total: table.total,
    at: (share) => pointAt(curve, table.near(local(share) * table.total)),
    along: (share) => local(share) * table.total,
    table,
    soft: soft.sort((a, b) => a.share - b.share),
    startsAtKink: kinks[0] === 0,
    kinks: kinks.filter((k, i) => k > 0 && (i === 0 || k - kinks[i - 1] > 1e-9)),
  };
}
export const isRing = (c: NurbsCurve): boolean => distance(startPoint(c), endPoint(c)) < 1e-6;

/** Common share to a track's own share of length, and back. */
export interface TrackMap {
  readonly to: (s: number) => number;
  readonly back: (share: number) => number;
  /** Common shares where the map is only once or twice smooth. */
  readonly joints: readonly { readonly s: number; readonly smooth: 1 | 2 }[];
}
/** Corners of different sections nearer than this share of the length are taken for the same. */
const SAME_CORNER = 0.04;
/** Joints of line and arc are brought together where speeds change by no more than this factor. */
const UNEVEN = 1.7;
/** Do both lists fall between the same fixed places? */
const sameOrder = (l: readonly number[], target: readonly number[], still: readonly number[]): boolean =>
  l.every((x, i) => still.every((f) => x < f === target[i] < f));
function evenMap(x: readonly number[], y: readonly number[], a: number, b: number, periodic: boolean): boolean {
  const X = periodic ? [...x, x[0] + b - a] : [a, ...x, b];
  const Y = periodic ? [...y, y[0] + b - a] : [a, ...y, b];
  return (
    !y.length ||
    X.slice(1).every((_, i) => {
      const slope = (Y[i + 1] - Y[i]) / (X[i + 1] - X[i]);
      return slope < UNEVEN && slope > 1 / UNEVEN;
    })
  );
}
/**
 * Which places of the sections meet: matched points, and corners where all sections have as many of them between those, or where they lie
 * close by. A corner that no other section has stays where it is and fades towards them. `cuts` are the common shares of all corners.
 */
export function matchTracks(
  tracks: readonly Track[],
  pins: readonly (readonly number[])[],
  closed: boolean,
): { cuts: number[]; maps: TrackMap[] } {
  const n = tracks.length;
  type Anchor = { s: number; share: number; corner: boolean };
  const anchors: Anchor[][] = tracks.map(() => []);
  const wanted = pins.filter((p) => p.length === n).sort((a, b) => a[0] - b[0]);
  const held = wanted.filter((p, i) => p.every((x, k) => x > (i ? wanted[i - 1][k] : 0) + 1e-4 && x < 1 - 1e-4));
  const near = (t: Track, x: number) => t.kinks.find((k) => Math.abs(k - x) < 1e-6);
  const mean = (list: readonly number[]) => list.reduce((a, b) => a + b, 0) / list.length;
  const cuts: number[] = [];
  const meet = (group: readonly (number | undefined)[]) => {
    const s = mean(group.filter((x): x is number => x !== undefined));
    let corner = false;
    group.forEach((x, k) => {
      if (x === undefined) return;
      const own = near(tracks[k], x);
      if (own !== undefined) corner = true;
      anchors[k].push({ s, share: own ?? x, corner: own !== undefined });
    });
    if (corner) cuts.push(s);
  };
  for (const p of held) meet(p);
  // corners between the matched points
  for (let i = 0; i <= held.length; i++) {
    const low = tracks.map((_, k) => (i ? held[i - 1][k] : 0));
    const high = tracks.map((_, k) => (i < held.length ? held[i][k] : 1));
    const lists = tracks.map((t, k) => t.kinks.filter((x) => x > low[k] + 1e-6 && x < high[k] - 1e-6));
    if (lists.every((l) => l.length === lists[0].length)) {
      for (let c = 0; c < lists[0].length; c++) meet(lists.map((l) => l[c]));
      continue;
    }
    // by place between the two matched points; one of each section at most meets
    const all = lists.flatMap((l, k) => l.map((x) => ({ k, x, at: (x - low[k]) / (high[k] - low[k]) }))).sort((a, b) => a.at - b.at);
    while (all.length) {
      const first = all.shift() as (typeof all)[number];
      const group: (number | undefined)[] = tracks.map(() => undefined);
      group[first.k] = first.x;
      while (all.length && all[0].at - first.at < SAME_CORNER && group[all[0].k] === undefined) {
        const next = all.shift() as typeof first;
        group[next.k] = next.x;
      }
      // in common shares the place of those that have it
      meet(group);
    }
  }
  cuts.sort((a, b) => a - b);
  const maps = anchors.map((list, k): TrackMap => {
    const sorted = list.sort((a, b) => a.s - b.s);
    if (!sorted.length) return { to: (s) => s, back: (x) => x, joints: [] };
    const corners = sorted.filter((x) => x.corner);
    if (closed && !corners.length && !tracks[k].startsAtKink) {
      const to = monotoneMap([0, ...sorted.map((x) => x.s)], [0, ...sorted.map((x) => x.share)], 0, 1, true);
      return { to, back: (x) => solveMap(to, x, 0, 1), joints: [0, ...sorted.map((x) => x.s)].map((s) => ({ s, smooth: to.smooth })) };
    }
    // smooth between corners, which may change the speed
    const stops = [{ s: 0, share: 0 }, ...corners, { s: 1, share: 1 }];
    const pieces = stops.slice(1).map((stop, i) => {
      const inner = sorted.filter((x) => !x.corner && x.s > stops[i].s && x.s < stop.s);
      const span = stop.s - stops[i].s;
      const rise = stop.share - stops[i].share;
      const flat = monotoneMap(
        inner.map((x) => (x.s - stops[i].s) / span),
        inner.map((x) => (x.share - stops[i].share) / rise),
        0,
        1,
        false,
      );
      return { from: stops[i], to: stop, span, rise, flat, inner };
    });
    return {
      to: (s) => {
        const q = pieces.find((x) => s <= x.to.s) ?? pieces[pieces.length - 1];
        return q.from.share + q.rise * q.flat((s - q.from.s) / q.span);
      },
      back: (x) => {
        const q = pieces.find((p) => x <= p.to.share) ?? pieces[pieces.length - 1];
        return q.from.s + q.span * solveMap(q.flat, (x - q.from.share) / q.rise, 0, 1);
      },
      joints: pieces.flatMap((q) => q.inner.map((x) => ({ s: x.s, smooth: q.flat.smooth }))),
    };
  });
  return { cuts: cuts.filter((c, i) => c > 1e-6 && c < 1 - 1e-6 && (i === 0 || c - cuts[i - 1] > 1e-6)), maps };
}

export interface FitRowsOptions {
  /** mm, square to the sections. */
  readonly tolerance: number;
  /** Groups of shares of length, one per track, that must meet each other. */
  readonly pins: readonly (readonly number[])[];
}
/** All sections on one knot vector, by share of length, fitted together; kinks become full knots, joints knots of the multiplicity they need. */
export function fitRows(tracks: readonly Track[], options: FitRowsOptions, closed: boolean): { rows: NurbsCurve[]; deviation: number } {
  const n = tracks.length;
  const { cuts, maps: outer } = matchTracks(tracks, options.pins, closed);
  const bounds = [0, ...cuts, 1];
  const degree = tracks.every((t) => t.curve.degree === 1) && !options.pins.length ? 1 : 5;
  let deviation = 0;
  const parts = bounds.slice(1).map((b, p) => {
    const a = bounds[p];
    const periodic = closed && bounds.length === 2 && tracks.every((t) => !t.startsAtKink && !t.kinks.length);
    // soft joints of this part in common shares; sections with the same number of them meet joint by joint, over a smooth map
    const soft = tracks.map((t, k) =>
      t.soft.map((j) => ({ t: outer[k].back(j.share), order: j.order })).filter((j) => periodic || (j.t > a + 1e-9 && j.t < b - 1e-9)),
    );
    // joints of line and arc are brought together; without any, those of splines
    const rank = soft.some((l) => l.some((j) => j.order === 1)) ? 1 : 2;
    const firm = soft.map((l) => l.filter((j) => j.order === rank).map((j) => j.t));
    const having = firm.filter((l) => l.length);
    const meet = having.length > 1 && having.every((l) => l.length === having[0].length);
    let maps: (MonotoneMap | undefined)[] = tracks.map(() => undefined);
    let target: number[] = [];
    if (meet) {
      // turn lists of periodic parts so that they start near each other
      const lists = firm.map((l) => (l.length && periodic ? nearestTurn(l, having[0]) : l));
      target = having[0].map((_, i) => lists.filter((l) => l.length).reduce((s, l) => s + l[i], 0) / having.length);
      // matched points stay matched: they are places of the maps that do not move
      const still = [...new Set(outer.flatMap((m) => m.joints.map((x) => x.s)))]
        .filter((x) => periodic || (x > a + 1e-9 && x < b - 1e-9))
        .sort((x, y) => x - y);
      const with0 = (l: readonly number[]) => [...l, ...still].sort((x, y) => x - y);
      const apart = target.every((t) => still.every((x) => Math.abs(x - t) > 1e-3)) && lists.every((l) => sameOrder(l, target, still));
      // joints that would have to move far are others: they stay where they are
      const even = apart && lists.every((l) => !l.length || evenMap(with0(target), with0(l), a, b, periodic));
      if (even && target.every((t, i) => i === 0 || t > target[i - 1] + 1e-6))
        maps = lists.map((l) => (l.length ? monotoneMap(with0(target), with0(l), a, b, periodic) : undefined));
      else target = [];
    }
    const seeds: { t: number; multiplicity: number; most: number }[] = [];
    outer.forEach((m, k) => {
      for (const j of m.joints)
        if (periodic || (j.s > a + 1e-9 && j.s < b - 1e-9)) {
          const t = maps[k] ? solveMap(maps[k], j.s, a, b) : j.s;
          seeds.push({ t: periodic ? wrapShare(t) : t, multiplicity: degree - j.smooth, most: degree - j.smooth });
        }
    });
    const wrap = (t: number) => (periodic ? ((t % 1) + 1) % 1 : t);
    // no smoother than the joint itself, nor than the maps that bring them together
    const knot = degree - Math.min(rank, ...maps.flatMap((m) => (m ? [m.smooth] : [])));
    for (const t of target) seeds.push({ t: wrap(t), multiplicity: knot, most: knot });
    soft.forEach((l, k) => {
      for (const j of l)
        if (j.order === rank) {
          if (!maps[k]) seeds.push({ t: wrap(j.t), multiplicity: degree - rank, most: degree - rank });
        } else
          seeds.push({
            t: wrap(maps[k] ? solveMap(maps[k] as (s: number) => number, j.t, a, b) : j.t),
            multiplicity: degree - 2,
            most: degree - 2,
          });
    });
    const fit = fitTogether(
      tracks.map((t, k) => {
        const map = maps[k];
        const shareOf = (s: number) => outer[k].to(map ? map(s) : s);
        return {
          place: (s: number) => t.along(Math.min(1, Math.max(0, periodic ? wrapShare(shareOf(s)) : shareOf(s)))),
          table: t.table,
        };
      }),
      { a, b, degree, tolerance: options.tolerance, periodic, seeds },
    );
    deviation = Math.max(deviation, fit.deviation);
    return fit;
  });
  const rows = tracks.map((_, k) => {
    const curves = parts.map((f): NurbsCurve => {
      const count = f.data.length / (3 * n);
      const control = new Float64Array(count * 4);
      for (let i = 0; i < count; i++)
        control.set([f.data[i * 3 * n + 3 * k], f.data[i * 3 * n + 3 * k + 1], f.data[i * 3 * n + 3 * k + 2], 1], i * 4);
      return { dim: 3, degree, knots: f.knots, control, rational: false };
    });
    const joined = joinCurves(curves);
    if (closed) joined.control.set(joined.control.subarray(0, 4), joined.control.length - 4);
    return joined;
  });
  return { rows: rows.map((r) => ({ ...r, knots: rows[0].knots })), deviation };
}
const wrapShare = (s: number) => s - Math.floor(s);

/** Largest mean turn between neighbouring sections about the chord between their middles, degrees. */
export function twistOf(tracks: readonly Track[]): number {
  let worst = 0;
  for (let k = 1; k < tracks.length; k++) {
    const [a, b] = [tracks[k - 1], tracks[k]];
    const M = 24;
    const pa = Array.from({ length: M }, (_, i) => a.at(i / M));
    const pb = Array.from({ length: M }, (_, i) => b.at(i / M));
    const mid = (l: Vec3[]) =>
      scale(
        l.reduce<Vec3>((s, p) => add(s, p), [0, 0, 0]),
        1 / M,
      );
    const [ca, cb] = [mid(pa), mid(pb)];
    const axis = sub(cb, ca);
    if (length(axis) < 1e-9) continue;
    const u = scale(axis, 1 / length(axis));
    let sum = 0;
    let weight = 0;
    for (let i = 0; i < M; i++) {
      const flat = (p: Vec3, c: Vec3): Vec3 => {
        const d = sub(p, c);
        return sub(d, scale(u, dot(d, u)));
      };
      const [x, y] = [flat(pa[i], ca), flat(pb[i], cb)];
      const w = length(x) * length(y);
      sum += w * Math.atan2(dot(cross(x, y), u), dot(x, y));
      weight += w;
    }
    if (weight > 0) worst = Math.max(worst, Math.abs(sum / weight) / DEG);
  }
  return worst;
}

export type CommonRows =
  | {
      readonly ok: true;
      readonly rows: readonly NurbsCurve[];
      readonly tracks: readonly Track[];
      readonly closed: boolean;
      readonly deviation: number;
      /** The sections' own points were used. */
      readonly exact: boolean;
    }
  | { readonly ok: false; readonly code: string; readonly message: string; readonly place?: readonly Vec3[] };
export interface LineUp {
  readonly tolerance: number;
  readonly adjust?: readonly { readonly section: number; readonly start?: number; readonly flip?: boolean }[];
  readonly pins?: readonly (readonly number[])[];
  /** Starts and directions are right as they are. */
  readonly asRun?: boolean;
}
/**
 * Sections of a sweep on one degree and knot vector over 0..1, lined up for least twist: a single one, and several with equal points and
 * knots that need no turning, as they are; others by share of length. `samples` may show them where they are to be compared.
 */
export function commonRows(
  curves: readonly NurbsCurve[],
  options: LineUp,
  compare: (p: Vec3, section: number) => Vec3 = (p) => p,
): CommonRows {
  const rings = curves.map(isRing);
  const odd = rings.findIndex((r) => r !== rings[0]);
  if (odd > 0)
    return {
      ok: false,
      code: 'open-with-closed',
      message: `Section ${odd + 1} is ${rings[odd] ? 'closed' : 'open'} but section 1 is ${rings[0] ? 'closed' : 'open'}: open and closed sections do not go together. Close or split one of them`,
      place: [startPoint(curves[odd])],
    };
  const closed = rings[0];
  const N = 96;
  const plain = curves.map((c) => trackOf(c, 0, false, closed, options.tolerance));
  const sampled = plain.map((t, k) => Array.from({ length: closed ? N : N + 1 }, (_, i) => compare(t.at(i / N), k)));
  const auto = options.asRun ? curves.map(() => ({ start: 0, reversed: false })) : closed ? alignClosed(sampled) : alignOpen(sampled);
  const aligned = auto.map((a, k) => {
    const own = options.adjust?.find((x) => x.section === k);
    return { start: closed ? (own?.start ?? a.start) : 0, reversed: own?.flip ? !a.reversed : a.reversed };
  });
  // a circle has its seam wherever the others need it
  const round = curves.map((c, k) =>
    closed && !options.pins?.length ? turnedCircle(c, aligned[k].start, aligned[k].reversed) : undefined,
  );
  const own = curves.map((c, k) => remapCurve(round[k] ?? (aligned[k].reversed ? reverseCurve(c) : c), 0, 1));
  const same = own.every(
    (c) =>
      c.degree === own[0].degree && c.knots.length === own[0].knots.length && c.knots.every((x, i) => Math.abs(x - own[0].knots[i]) < 1e-9),
  );
  const still = aligned.every((a, k) => round[k] || a.start < 1e-3 || a.start > 1 - 1e-3) && !options.pins?.length;
  const tracks = curves.map((c, k) => trackOf(c, aligned[k].start, aligned[k].reversed, closed, options.tolerance));
  if (same && still) return { ok: true, rows: own.map((c) => ({ ...c, knots: own[0].knots })), tracks, closed, deviation: 0, exact: true };
  const fitted = fitRows(tracks, { tolerance: options.tolerance, pins: options.pins ?? [] }, closed);
  return { ok: true, rows: fitted.rows, tracks, closed, deviation: fitted.deviation, exact: false };
}
