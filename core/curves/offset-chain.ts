import {
  along,
  angleBetween,
  boxSize,
  cross,
  DEG,
  distance,
  dot,
  type Frame,
  scale,
  signChange,
  sub,
  unit,
  type Vec3,
} from '../math/index.ts';
import {
  circleCurve,
  clipCurve,
  curvatureAt,
  curveOfFit,
  derivativesAt,
  domain,
  endPoint,
  type FitSeed,
  fitFunction,
  fitPeriodic,
  isClosed,
  knotRuns,
  leanFit,
  lineCurve,
  makeCurve,
  type NurbsCurve,
  pointAt,
  reverseCurve,
  startPoint,
} from '../nurbs/index.ts';
import { boxOfLoop } from './loops.ts';
import { type Branch, clearanceFrom, cutAtCrossings, type Stretch, strung, wrap } from './offset-branches.ts';

export type OffsetCorner = 'round' | 'sharp' | 'smooth';
export interface OffsetChain {
  readonly chains: readonly (readonly NurbsCurve[])[];
  /** Largest distance of the result from the true offset, mm: of fits from the exact curve, and what any place of it is too near to the given chain. */
  readonly deviation: number;
  /** Stretches that crossed themselves or came too near to the given curve and were left out. */
  readonly removed: number;
  /** Ends of what should be closed and is not. */
  readonly open: readonly Vec3[];
  /** Where the given chain crosses itself. */
  readonly crossings: readonly Vec3[];
}

/** Is the curve an exact circular arc? Its centre and radius then. */
function arcOf(c: NurbsCurve, plane: Frame): { centre: Vec3; radius: number } | undefined {
  if (!c.rational) return undefined;
  const [a, b] = domain(c);
  const k = curvatureAt(c, (a + b) / 2);
  if (!(k > 1e-9)) return undefined;
  const [p, d1] = derivativesAt(c, (a + b) / 2, 1);
  const n = unit(cross(plane.z, d1));
  for (const s of [1, -1]) {
    const centre = along(p, n, s / k);
    if ([0, 0.17, 0.41, 0.73, 1].every((x) => Math.abs(distance(pointAt(c, a + (b - a) * x), centre) - 1 / k) < 1e-9 / k))
      return { centre, radius: 1 / k };
  }
  return undefined;
}
const isLine = (c: NurbsCurve) => c.degree === 1 && c.control.length === 8;

/** A branch, and the curve of any stretch of it within a tolerance. */
interface Part extends Branch {
  readonly make: (from: number, to: number, closed: boolean) => { curve: NurbsCurve; deviation: number };
}
const exactPart = (curve: NurbsCurve, start: number, end: number): Part => {
  const [a, b] = domain(curve);
  return {
    range: [a, b],
    ring: false,
    start,
    end,
    at: (t) => pointAt(curve, t),
    velocity: (t) => derivativesAt(curve, t, 1)[1],
    places: isLine(curve) ? [a, b] : Array.from({ length: 65 }, (_, i) => a + ((b - a) * i) / 64),
    make: (from, to) => ({ curve: from <= a && to >= b ? curve : clipCurve(curve, Math.max(a, from), Math.min(b, to)), deviation: 0 }),
  };
};

/**
 * The offset of one smooth curve in its plane by d (positive to the left of travel): lines and arcs exactly; of others the stretches on which
 * it runs forward (where the curve bends tighter than d it runs back, and is nowhere at the distance). `node` gives new node numbers.
 */
function partsOf(c: NurbsCurve, plane: Frame, d: number, tolerance: number, start: number, end: number, node: () => number): Part[] {
  const [a, b] = domain(c);
  const round = isClosed(c) && angleBetween(derivativesAt(c, a, 1)[1], derivativesAt(c, b, 1)[1]) < 1e-6;
  const over = (t: number) => (round && t > b ? t - (b - a) : t);
  const left = (t: number): Vec3 => {
    const [p, v] = derivativesAt(c, over(t), 1);
    return along(p, unit(cross(plane.z, v)), d);
  };
  if (isLine(c)) return [exactPart(lineCurve(left(a), left(b)), start, end)];
  const arc = arcOf(c, plane);
  if (arc) {
    const out = dot(sub(left(a), startPoint(c)), sub(startPoint(c), arc.centre)) > 0 ? 1 : -1;
    const r = arc.radius + out * Math.abs(d);
    if (r <= 1e-9 * arc.radius) return [];
    const control = new Float64Array(c.control);
    for (let i = 0; i < control.length; i += 4)
      for (let x = 0; x < 3; x++)
        control[i + x] = (arc.centre[x] + ((control[i + x] / control[i + 3] - arc.centre[x]) * r) / arc.radius) * control[i + 3];
    return [exactPart({ ...c, control }, start, end)];
  }
  /** How fast the offset runs beside the curve: 1 - d·curvature. */
  const pace = (t: number): number => {
    const [, v, w] = derivativesAt(c, t, 2);
    return 1 - (d * dot(cross(v, w), plane.z)) / Math.hypot(...v) ** 3;
  };
  const velocity = (t: number): Vec3 => scale(derivativesAt(c, over(t), 1)[1], pace(over(t)));
  const { values, multiplicities } = knotRuns(c.knots, c.degree);
  // stretches with pace above zero; curvature may jump at knots, so each span is looked at by itself
  const good: [number, number][] = [];
  const whole = b - a;
  for (let i = 0; i + 1 < values.length; i++) {
    const [p, q] = [values[i], values[i + 1]];
    const n = 48;
    const at = Array.from({ length: n + 1 }, (_, k) => p + (q - p) * (k === 0 ? 1e-12 : k === n ? 1 - 1e-12 : k / n));
    const ends = [p];
    for (let k = 1; k <= n; k++) if (pace(at[k - 1]) < 0 !== pace(at[k]) < 0) ends.push(signChange(pace, at[k - 1], at[k]));
    ends.push(q);
    for (let k = 0; k + 1 < ends.length; k++) {
      if (ends[k + 1] - ends[k] < 1e-13 * whole || pace((ends[k] + ends[k + 1]) / 2) <= 0) continue;
      const last = good[good.length - 1];
      if (last && last[1] === ends[k]) last[1] = ends[k + 1];
      else good.push([ends[k], ends[k + 1]]);
    }
  }
  const smoothness = (m: number) => Math.min(5, Math.max(1, 5 - (c.degree - m - 1)));
  const knots: FitSeed[] = values.slice(1, -1).map((t, i) => ({ t, multiplicity: smoothness(multiplicities[i + 1]) }));
  const join: FitSeed = { t: a, multiplicity: round ? joinMultiplicity(c) : 5 };
  const make = (from: number, to: number, closed: boolean) => {
    const seeds = closed
      ? [...knots, join]
      : [...knots, join, { ...join, t: b }]
          .flatMap((k) => [k, { ...k, t: k.t + whole }])
          .filter((k) => k.t > from && k.t < to && (k.t < b - 1e-12 * whole || round));
    const fit = (closed ? fitPeriodic : fitFunction)(
      (t, out) => {
        out.set(left(t));
      },
      from,
      to,
      3,
      5,
      0.3 * tolerance,
      seeds,
      400,
    );
    const lean = leanFit(fit, 3, 5, 0.9 * tolerance - fit.deviation, seeds, closed);
    return { curve: curveOfFit(lean, 5), deviation: lean.deviation };
  };
  const part = (from: number, to: number, s: number, e: number, ring = false): Part => ({
    range: [from, to],
    ring,
    start: s,
    end: e,
    at: left,
    velocity,
    make,
    places: placesBetween(from, to, [...values, ...values.map((t) => t + whole)], left),
  });
  if (round && good.length === 1 && good[0][0] === a && good[0][1] === b) return [part(a, b, start, start, true)];
  // what passes the join of a closed curve is one stretch
  if (round && good.length > 1 && good[0][0] === a && good[good.length - 1][1] === b) {
    const first = good.shift() as [number, number];
    good[good.length - 1][1] = first[1] + whole;
  }
  return good.map(([p, q]) => part(p, q, p === a ? start : node(), q === b ? end : node()));
}
/** The knot multiplicity that the join of a closed curve asks for in its offset: by the derivatives that agree there. */
function joinMultiplicity(c: NurbsCurve): number {
  const [a, b] = domain(c);
  const [p, q] = [derivativesAt(c, a, 3), derivativesAt(c, b, 3)];
  for (let k = 1; k <= 3; k++) if (distance(p[k], q[k]) > 1e-7 * (Math.hypot(...p[k]) + Math.hypot(...p[1]))) return [5, 5, 4, 3][k];
  return 2;
}
/** Parameters of a polygon: closer towards the ends (an offset slows down at a cusp), no step turning by more than a few degrees. */
function placesBetween(from: number, to: number, knots: readonly number[], at: (t: number) => Vec3): number[] {
  const stops = [from, ...knots.filter((k) => k > from && k < to), to];
  const out: number[] = [from];
  for (let i = 0; i + 1 < stops.length; i++) {
    const [p, q] = [stops[i], stops[i + 1]];
    const list = Array.from({ length: 25 }, (_, k) => p + ((q - p) * (1 - Math.cos((Math.PI * k) / 24))) / 2);
    list[24] = q;
    for (let k = 1; k < list.length; k++) {
      const [x, y, z] = [list[k - 1], (list[k - 1] + list[k]) / 2, list[k]].map(at);
      const turn = angleBetween(sub(y, x), sub(z, y));
      const n = Number.isFinite(turn) ? Math.min(40, Math.max(1, Math.ceil(turn / (2 * DEG)))) : 1;
      for (let m = 1; m <= n; m++) out.push(m === n ? list[k] : list[k - 1] + ((list[k] - list[k - 1]) * m) / n);
    }
  }
  return out;
}

/** Stretches without those that are short and end where nothing goes on, again and again. */
function withoutTails(list: readonly Stretch[], short: (s: Stretch) => boolean): readonly Stretch[] {
  const [starts, ends] = [new Set(list.map((s) => s.start)), new Set(list.map((s) => s.end))];
  const next = list.filter((s) => (starts.has(s.end) && ends.has(s.start)) || !short(s));
  return next.length === list.length ? list : withoutTails(next, short);
}

/** Where a chain crosses itself. */
function crossingsOf(chain: readonly NurbsCurve[], closed: boolean, plane: Frame, size: number): Vec3[] {
  const n = chain.length;
  const own = chain.map((c, i): Branch => {
    const part = exactPart(c, i, closed ? (i + 1) % n : i + 1);
    return { ...part, places: isLine(c) ? part.places : placesBetween(...part.range, knotRuns(c.knots, c.degree).values, part.at) };
  });
  const cut = cutAtCrossings(own, plane, n + 1, size).filter((s) => s.start > n);
  return [...new Map(cut.map((s) => [s.start, own[s.branch].at(s.from)])).values()];
}

/** The offset of a chain to the left as parts with their corners filled; numbers of nodes come from `node`. */
function sideOf(
  chain: readonly NurbsCurve[],
  closed: boolean,
  plane: Frame,
  d: number,
  corner: OffsetCorner,
  tolerance: number,
  node: () => number,
): Part[] {
  const n = chain.length;
  const turns = chain.map((c, i) => {
    const next = chain[(i + 1) % n];
    const [t0, t1] = [derivativesAt(c, domain(c)[1], 1)[1], derivativesAt(next, domain(next)[0], 1)[1]];
    return { t0, t1, turn: angleBetween(t0, t1) };
  });
  // where it turns, the offsets of both sides end in nodes of their own; elsewhere they share one
  const starts = chain.map(node);
  const ends = chain.map((_, i) => ((i + 1 < n || closed) && turns[i].turn < 0.01 * DEG ? starts[(i + 1) % n] : node()));
  return chain.flatMap((c, i): Part[] => {
    const own = partsOf(c, plane, d, tolerance, starts[i], ends[i], node);
    if ((i + 1 === n && !closed) || ends[i] === starts[(i + 1) % n]) return own;
    const { t0, t1, turn } = turns[i];
    const opens = dot(cross(t0, t1), plane.z) * d < 0 || turn > 179.9 * DEG;
    if (!opens) return own;
    const at = endPoint(c);
    const [u0, u1] = [unit(t0), unit(t1)];
    const [from, to] = [u0, u1].map((u) => along(at, cross(plane.z, u), d));
    const next = starts[(i + 1) % n];
    const miter = Math.abs(d) * Math.tan(turn / 2);
    if (corner === 'sharp' && turn < 170 * DEG) {
      const tip = along(from, u0, miter);
      const middle = node();
      return [...own, exactPart(lineCurve(from, tip), ends[i], middle), exactPart(lineCurve(tip, to), middle, next)];
    }
    if (corner === 'smooth' && turn < 170 * DEG) {
      // leaves both along their tangents and with a curvature of zero at both ends: G1 to lines, no corner
      const l = 0.75 * miter;
      return [...own, exactPart(makeCurve(3, [from, along(from, u0, l), along(to, u1, -l), to], [0, 0, 0, 0, 1, 1, 1, 1]), ends[i], next)];
    }
    const x = unit(sub(from, at));
    const s = d > 0 ? -1 : 1;
    const arc = circleCurve({ origin: at, x, y: scale(cross(plane.z, x), s), z: scale(plane.z, s) }, Math.abs(d), 0, turn);
    return [...own, exactPart(arc, ends[i], next)];
  });
}

/**
 * Offset of a flat chain of smooth curves, positive to the left. Gaps at convex corners are filled round (exact arcs), sharp (both carried on
 * along their tangents until they meet) or smooth (a curve that leaves both along their tangents). The exact offset is cut where it crosses
 * itself; stretches that are nearer than |d| to the given chain go, and only what stays is fitted, so cusps never come into a fit. Where the
 * given chain crosses itself, what is at the distance passes from its one side to the other: chains that touch the side asked are whole.
 */
export function offsetChain(
  chain: readonly NurbsCurve[],
  closed: boolean,
  plane: Frame,
  d: number,
  corner: OffsetCorner,
  tolerance: number,
): OffsetChain {
  let nodes = 0;
  const node = () => nodes++;
  const size = boxSize(boxOfLoop(chain)) + Math.abs(d);
  const crossings = crossingsOf(chain, closed, plane, size);
  const parts = sideOf(chain, closed, plane, d, corner, tolerance, node);
  const asked = parts.length;
  // the other side runs the other way, so that all of it has the given chain on the same hand
  if (crossings.length) parts.push(...sideOf([...chain].reverse().map(reverseCurve), closed, plane, d, corner, tolerance, node));
  // beside an open end the distance is to that end: its circle cuts, and is no part of the result
  const discs = closed
    ? []
    : [startPoint(chain[0]), endPoint(chain[chain.length - 1])].map((origin) =>
        exactPart(circleCurve({ ...plane, origin }, Math.abs(d)), node(), node()),
      );
  const branches = [...parts, ...discs];
  const clearance = clearanceFrom(chain);
  const places = (s: Stretch, list: readonly number[]) => {
    const b = branches[s.branch];
    return list.map((x) => b.at(wrap(b, s.from + (s.to - s.from) * x)));
  };
  const stretches = cutAtCrossings(branches, plane, nodes, size).filter((s) => s.branch < parts.length);
  const far = stretches.filter((s) => places(s, [0.5, 0.23, 0.81]).every((p) => clearance(p) > Math.abs(d) - 1e-8 * size));
  // the tail beside a crossing can be shorter than what is told apart: what leads nowhere over no length goes too
  const kept = closed ? withoutTails(far, (s) => distance(...(places(s, [0, 1]) as [Vec3, Vec3])) < 2e-3 * Math.abs(d)) : far;
  const open: Vec3[] = [];
  let deviation = 0;
  const runs = strung(kept, branches).filter((r) => r.list.some((s) => s.branch < asked));
  const chains = runs.map((run) => {
    if (closed && !run.closed) open.push(...places(run.list[0], [0]), ...places(run.list[run.list.length - 1], [1]));
    return run.list.map((s) => {
      const { ring, start } = branches[s.branch];
      const made = parts[s.branch].make(s.from, s.to, ring && s.start === start && s.end === start);
      deviation = Math.max(deviation, made.deviation);
      const [a, b] = domain(made.curve);
      for (let k = 1; k < 12; k++) deviation = Math.max(deviation, Math.abs(d) - clearance(pointAt(made.curve, a + ((b - a) * k) / 12)));
      return made.curve;
    });
  });
  const removed = stretches.filter((s) => s.branch < asked).length - kept.filter((s) => s.branch < asked).length;
  return { chains, deviation, removed, open, crossings };
}
