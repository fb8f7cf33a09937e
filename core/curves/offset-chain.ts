import { along, angleBetween, cross, DEG, distance, dot, type Frame, length, scale, sub, unit, type Vec3 } from '../math/index.ts';
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
  lineCurve,
  makeCurve,
  type NurbsCurve,
  pointAt,
  startPoint,
} from '../nurbs/index.ts';
import { meetings } from './flat.ts';

export type OffsetCorner = 'round' | 'sharp' | 'smooth';
export interface OffsetChain {
  readonly chains: readonly (readonly NurbsCurve[])[];
  /** Largest distance of the result from the true offset, mm. */
  readonly deviation: number;
  /** Pieces that crossed themselves or came too near to the given curve and were left out. */
  readonly removed: number;
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

/**
 * Offset of one smooth curve in its plane by d (positive to the left of travel): lines and arcs exactly, others fitted with degree 5 within
 * `tolerance`. Undefined where an arc vanishes.
 */
function offsetPiece(c: NurbsCurve, plane: Frame, d: number, tolerance: number): { curve: NurbsCurve; deviation: number } | undefined {
  const left = (t: number): Vec3 => {
    const [p, v] = derivativesAt(c, t, 1);
    return along(p, unit(cross(plane.z, v)), d);
  };
  const [a, b] = domain(c);
  if (isLine(c)) return { curve: lineCurve(left(a), left(b)), deviation: 0 };
  const arc = arcOf(c, plane);
  if (arc) {
    const out = dot(sub(left(a), startPoint(c)), sub(startPoint(c), arc.centre)) > 0 ? 1 : -1;
    const r = arc.radius + out * Math.abs(d);
    if (r <= 1e-9) return undefined;
    const control = new Float64Array(c.control);
    for (let i = 0; i < control.length; i += 4)
      for (let x = 0; x < 3; x++)
        control[i + x] = (arc.centre[x] + ((control[i + x] / control[i + 3] - arc.centre[x]) * r) / arc.radius) * control[i + 3];
    return { curve: { ...c, control }, deviation: 0 };
  }
  const runs = knotRuns(c.knots, c.degree);
  const seeds: FitSeed[] = runs.values
    .slice(1, -1)
    .map((t, i) => ({ t, multiplicity: Math.min(5, Math.max(1, 5 - (c.degree - runs.multiplicities[i + 1] - 1))) }));
  const closed = isClosed(c) && angleBetween(derivativesAt(c, a, 1)[1], derivativesAt(c, b, 1)[1]) < 1e-6;
  const fit = (closed ? fitPeriodic : fitFunction)(
    (t, out) => {
      out.set(left(t));
    },
    a,
    b,
    3,
    5,
    tolerance,
    seeds,
    300,
  );
  const curve = curveOfFit(fit, 5);
  return { curve, deviation: fit.deviation };
}

/**
 * Offset of a flat chain of smooth curves, positive to the left. Gaps at convex corners are filled round (exact arcs), sharp (both carried on
 * along their tangents until they meet) or smooth (a curve that leaves both along their tangents); at concave corners the neighbours cross
 * and are cut. What lies nearer than |d| to the given chain is removed, so loops and swallowtails go.
 */
export function offsetChain(
  chain: readonly NurbsCurve[],
  closed: boolean,
  plane: Frame,
  d: number,
  corner: OffsetCorner,
  tolerance: number,
): OffsetChain {
  let deviation = 0;
  const parts: NurbsCurve[] = [];
  const pieces = chain.map((c) => offsetPiece(c, plane, d, 0.3 * tolerance));
  pieces.forEach((p, i) => {
    if (p) {
      parts.push(p.curve);
      deviation = Math.max(deviation, p.deviation);
    }
    if (i === chain.length - 1 && !closed) return;
    const next = chain[(i + 1) % chain.length];
    const t0 = derivativesAt(chain[i], domain(chain[i])[1], 1)[1];
    const t1 = derivativesAt(next, domain(next)[0], 1)[1];
    const turn = angleBetween(t0, t1);
    const opens = dot(cross(t0, t1), plane.z) * d < 0 || turn > 179.9 * DEG;
    const n = pieces[(i + 1) % chain.length];
    if (turn < 0.01 * DEG || !opens || !p || !n) return;
    const [from, to] = [endPoint(p.curve), startPoint(n.curve)];
    const at = endPoint(chain[i]);
    const [u0, u1] = [unit(t0), unit(t1)];
    const miter = Math.abs(d) * Math.tan(turn / 2);
    if (corner === 'sharp' && turn < 170 * DEG) {
      const tip = along(from, u0, miter);
      parts.push(lineCurve(from, tip), lineCurve(tip, to));
    } else if (corner === 'smooth' && turn < 170 * DEG) {
      // leaves both along their tangents and with a curvature of zero at both ends: G1 to lines, no corner
      const l = 0.75 * miter;
      parts.push(makeCurve(3, [from, along(from, u0, l), along(to, u1, -l), to], [0, 0, 0, 0, 1, 1, 1, 1]));
    } else {
      const x = unit(sub(from, at));
      const s = d > 0 ? -1 : 1;
      parts.push(circleCurve({ origin: at, x, y: scale(cross(plane.z, x), s), z: scale(plane.z, s) }, Math.abs(d), 0, turn));
    }
  });
  if (!parts.length) return { chains: [], deviation, removed: chain.length };
  return { ...withoutCrossings(parts, chain, plane, Math.abs(d), tolerance), deviation };
}

/** Cuts curves at their mutual and own crossings and keeps what is not nearer than `d` to the given chain, put end to end. */
function withoutCrossings(
  parts: readonly NurbsCurve[],
  given: readonly NurbsCurve[],
  plane: Frame,
  d: number,
  tolerance: number,
): { chains: NurbsCurve[][]; removed: number } {
  const near = 1e-7 * (1 + d);
  const kept: NurbsCurve[] = [];
  let removed = 0;
  const cuts = parts.map((c) => new Set<number>(domain(c)));
  parts.forEach((c, i) => {
    for (let j = i + 1; j < parts.length; j++)
      for (const m of meetings(c, parts[j], near)) {
        cuts[i].add(m.t);
        cuts[j].add(m.s);
      }
    for (const t of ownCrossings(c, plane)) cuts[i].add(t);
  });
  const samples = given.flatMap((c) => {
    const [a, b] = domain(c);
    const n = Math.max(24, 4 * c.control.length);
    return Array.from({ length: n + 1 }, (_, k) => ({ c, t: a + ((b - a) * k) / n, p: pointAt(c, a + ((b - a) * k) / n), h: (b - a) / n }));
  });
  const clearance = (p: Vec3): number => {
    const best = [...samples].sort((x, y) => distance(x.p, p) - distance(y.p, p)).slice(0, 3);
    return Math.min(...best.map((s) => nearest(s.c, p, s.t, s.h)));
  };
  parts.forEach((c, i) => {
    const ts = [...cuts[i]].sort((x, y) => x - y).filter((t, k, l) => k === 0 || t - l[k - 1] > 1e-10 * (l[l.length - 1] - l[0]));
    for (let k = 0; k + 1 < ts.length; k++) {
      const ok = [0.23, 0.5, 0.81].every(
        (x) => clearance(pointAt(c, ts[k] + (ts[k + 1] - ts[k]) * x)) > d - Math.max(2 * tolerance, 1e-6 * d),
      );
      if (!ok) removed++;
      else kept.push(ts.length === 2 ? c : clipCurve(c, ts[k], ts[k + 1]));
    }
  });
  // in running order: each piece is followed by the one that starts where it ends
  const rest = [...kept];
  const chains: NurbsCurve[][] = [];
  const meet = Math.max(1e-6, 4 * near);
  while (rest.length) {
    const list = [rest.shift() as NurbsCurve];
    for (;;) {
      const k = rest.findIndex((c) => distance(startPoint(c), endPoint(list[list.length - 1])) < meet);
      if (k < 0) break;
      list.push(rest.splice(k, 1)[0]);
    }
    for (;;) {
      const k = rest.findIndex((c) => distance(endPoint(c), startPoint(list[0])) < meet);
      if (k < 0) break;
      list.unshift(rest.splice(k, 1)[0]);
    }
    chains.push(list);
  }
  return { chains, removed };
}
function nearest(c: NurbsCurve, p: Vec3, t0: number, h: number): number {
  let t = t0;
  const [a, b] = domain(c);
  for (let k = 0; k < 12; k++) {
    const [q, d1, d2] = derivativesAt(c, t, 2);
    const e = sub(q, p);
    const g = dot(e, d1);
    const w = dot(d1, d1) + dot(e, d2);
    t = Math.min(Math.min(b, t0 + h), Math.max(Math.max(a, t0 - h), t - g / (w > 0 ? w : dot(d1, d1) || 1)));
  }
  return distance(pointAt(c, t), p);
}
/** Parameters where a flat curve crosses itself: segments of its polygon that cross, then Newton on both places. */
export function ownCrossings(c: NurbsCurve, plane: Frame): number[] {
  if (c.degree === 1 && c.control.length <= 12) return [];
  const [a, b] = domain(c);
  const n = Math.max(80, 10 * (c.control.length / 4));
  const pts = Array.from({ length: n + 1 }, (_, i) => {
    const p = sub(pointAt(c, a + ((b - a) * i) / n), plane.origin);
    return [dot(p, plane.x), dot(p, plane.y)] as const;
  });
  const out: number[] = [];
  const side = (p: readonly number[], q: readonly number[], r: readonly number[]) =>
    (q[0] - p[0]) * (r[1] - p[1]) - (q[1] - p[1]) * (r[0] - p[0]);
  for (let i = 0; i < n; i++)
    for (let j = i + 2; j < n; j++) {
      if (i === 0 && j === n - 1) continue;
      const [p, q, r, s] = [pts[i], pts[i + 1], pts[j], pts[j + 1]];
      if (Math.max(p[0], q[0]) < Math.min(r[0], s[0]) || Math.max(r[0], s[0]) < Math.min(p[0], q[0])) continue;
      if (side(p, q, r) * side(p, q, s) > 0 || side(r, s, p) * side(r, s, q) > 0) continue;
      let [t, u] = [a + ((b - a) * (i + 0.5)) / n, a + ((b - a) * (j + 0.5)) / n];
      for (let k = 0; k < 30; k++) {
        const [x, dx] = derivativesAt(c, t, 1);
        const [y, dy] = derivativesAt(c, u, 1);
        const e = sub(x, y);
        const [m11, m12, m21, m22] = [dot(dx, plane.x), -dot(dy, plane.x), dot(dx, plane.y), -dot(dy, plane.y)];
        const det = m11 * m22 - m12 * m21;
        if (Math.abs(det) < 1e-16) break;
        const [ex, ey] = [dot(e, plane.x), dot(e, plane.y)];
        t -= (ex * m22 - ey * m12) / det;
        u -= (m11 * ey - m21 * ex) / det;
        t = Math.min(b, Math.max(a, t));
        u = Math.min(b, Math.max(a, u));
      }
      if (Math.abs(t - u) > 1e-6 * (b - a) && length(sub(pointAt(c, t), pointAt(c, u))) < 1e-7) out.push(t, u);
    }
  return out;
}
