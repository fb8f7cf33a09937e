import {
  along,
  angleBetween,
  changeBetween,
  cross,
  DEG,
  distance,
  dot,
  type Frame,
  length,
  lerp,
  scale,
  signChange,
  sub,
  unit,
  type Vec3,
} from '../math/index.ts';
import {
  arcThrough,
  circleCurve,
  clipCurve,
  closestOnCurve,
  derivativesAt,
  domain,
  endPoint,
  evaluateInto,
  lineCurve,
  makeCurve,
  type NurbsCurve,
  pointAt,
  pointCount,
  startPoint,
} from '../nurbs/index.ts';

/** Exact arc that leaves `start` along `tangent` and ends at `end`; a line when they are in line. */
export function tangentArc(start: Vec3, tangent: Vec3, end: Vec3): NurbsCurve {
  const t = unit(tangent);
  const chord = sub(end, start);
  const side = sub(chord, scale(t, dot(chord, t)));
  const h = length(side);
  if (h < 1e-9 * length(chord)) return lineCurve(start, end);
  const n = scale(side, 1 / h);
  const r = dot(chord, chord) / (2 * h);
  const centre = along(start, n, r);
  const x = scale(n, -1);
  const frame: Frame = { origin: centre, x, y: t, z: cross(x, t) };
  const d = sub(end, centre);
  let angle = Math.atan2(dot(d, t), dot(d, x));
  if (angle <= 1e-12) angle += 2 * Math.PI;
  return circleCurve(frame, r, 0, angle);
}

/** Conic through two ends with the corner where their tangents meet; fullness 0.5 is a parabola, less an ellipse, more a hyperbola (Liming). */
export function conic(a: Vec3, corner: Vec3, b: Vec3, fullness: number): NurbsCurve {
  const w = fullness / (1 - fullness);
  return makeCurve(2, [a, corner, b], [0, 0, 0, 1, 1, 1], [1, w, 1]);
}

/** Corners of a regular polygon, or of a star when an inner radius is given; the first one at `turn` radians. */
export function polygonPoints(sides: number, radius: number, turn = 0, inner?: number): Vec3[] {
  const n = inner === undefined ? sides : 2 * sides;
  return Array.from({ length: n }, (_, i) => {
    const r = inner !== undefined && i % 2 ? inner : radius;
    const a = turn + (2 * Math.PI * i) / n;
    return [r * Math.cos(a), r * Math.sin(a), 0];
  });
}

export interface Corner {
  /** Place of the corner in the list of curves: between curve `index` and the next one. */
  readonly index: number;
  readonly at: Vec3;
  readonly angle: number;
}
/** Corners of a chain of curves, with the angle by which it turns (radians). */
export function cornersOfChain(chain: readonly NurbsCurve[], closed: boolean): Corner[] {
  const out: Corner[] = [];
  for (let i = 0; i < chain.length - (closed ? 0 : 1); i++) {
    const [c, d] = [chain[i], chain[(i + 1) % chain.length]];
    const t0 = derivativesAt(c, domain(c)[1], 1)[1];
    const t1 = derivativesAt(d, domain(d)[0], 1)[1];
    const angle = angleBetween(t0, t1);
    if (angle > 0.05 * DEG) out.push({ index: i, at: endPoint(c), angle });
  }
  return out;
}

export type RoundResult =
  | { readonly ok: true; readonly curves: NurbsCurve[]; readonly rounded: number }
  | { readonly ok: false; readonly message: string; readonly place: Vec3 };

/**
 * Rounds (or, with `chamfer`, bevels) corners of a flat chain: the arc's centre is the point at the radius from both curves, found by Newton's
 * method on the two offset curves; line-line corners are exact. Curves are clipped, so arcs stay arcs. `which` are places of corners in order
 * along the chain, or all.
 */
export function roundCorners(
  chain: readonly NurbsCurve[],
  closed: boolean,
  plane: Frame,
  radius: number,
  which: 'all' | readonly number[],
  chamfer = false,
): RoundResult {
  const corners = cornersOfChain(chain, closed);
  const wanted = new Set(which === 'all' ? corners.map((_, k) => k) : which);
  const cuts = chain.map((c) => [...domain(c)] as [number, number]);
  const arcs = new Map<number, NurbsCurve>();
  for (const [k, corner] of corners.entries()) {
    if (!wanted.has(k)) continue;
    const j = (corner.index + 1) % chain.length;
    const [c, d] = [chain[corner.index], chain[j]];
    const found = chamfer ? chamferAt(c, d, radius) : arcAt(c, d, plane, radius);
    if (!found)
      return {
        ok: false,
        place: corner.at,
        message: `Corner ${k + 1} cannot take ${chamfer ? 'a bevel' : 'a radius'} of ${radius} mm: the curves beside it are too short or too bent. Try a smaller one`,
      };
    cuts[corner.index][1] = found.onFirst;
    cuts[j][0] = Math.max(cuts[j][0], found.onSecond);
    arcs.set(corner.index, found.curve);
  }
  const curves: NurbsCurve[] = [];
  for (const [i, c] of chain.entries()) {
    const [a, b] = cuts[i];
    if (b < a - 1e-9 * (domain(c)[1] - domain(c)[0]))
      return {
        ok: false,
        place: pointAt(c, (a + b) / 2),
        message: `Two roundings overlap on curve ${i + 1}: ${radius} mm is too large for it`,
      };
    if (b - a > 1e-9 * (domain(c)[1] - domain(c)[0])) curves.push(a === domain(c)[0] && b === domain(c)[1] ? c : clipCurve(c, a, b));
    const arc = arcs.get(i);
    if (arc) curves.push(arc);
  }
  return { ok: true, curves, rounded: arcs.size };
}

interface Rounding {
  readonly onFirst: number;
  readonly onSecond: number;
  readonly curve: NurbsCurve;
}
function arcAt(c: NurbsCurve, d: NurbsCurve, plane: Frame, r: number): Rounding | undefined {
  const [c0, c1] = domain(c);
  const [d0, d1] = domain(d);
  const tc = unit(derivativesAt(c, c1, 1)[1]);
  const td = unit(derivativesAt(d, d0, 1)[1]);
  const left = Math.sign(dot(cross(tc, td), plane.z)) || 1;
  const inward = (t: Vec3) => scale(cross(plane.z, unit(t)), left);
  // start: as if both were straight
  const half = angleBetween(tc, td) / 2;
  const back = r * Math.tan(half);
  const speedC = length(derivativesAt(c, c1, 1)[1]);
  const speedD = length(derivativesAt(d, d0, 1)[1]);
  let s = Math.max(c0, c1 - back / speedC);
  let t = Math.min(d1, d0 + back / speedD);
  for (let k = 0; k < 60; k++) {
    const [p, dp, ddp] = derivativesAt(c, s, 2);
    const [q, dq, ddq] = derivativesAt(d, t, 2);
    const [np, nq] = [inward(dp), inward(dq)];
    const e = sub(along(p, np, r), along(q, nq, r));
    // derivative of an offset point: (1 - r k) C'
    const bend = (v: Vec3, a: Vec3) => (dot(cross(v, a), plane.z) * left) / length(v) ** 3;
    const ds = scale(dp, 1 - r * bend(dp, ddp));
    const dt = scale(dq, -(1 - r * bend(dq, ddq)));
    const [a11, a12, a21, a22] = [dot(ds, plane.x), dot(dt, plane.x), dot(ds, plane.y), dot(dt, plane.y)];
    const det = a11 * a22 - a12 * a21;
    if (Math.abs(det) < 1e-14) return undefined;
    const [ex, ey] = [dot(e, plane.x), dot(e, plane.y)];
    const stepS = -(ex * a22 - ey * a12) / det;
    const stepT = -(a11 * ey - a21 * ex) / det;
    s = Math.min(c1, Math.max(c0, s + stepS));
    t = Math.min(d1, Math.max(d0, t + stepT));
    if (Math.abs(stepS) + Math.abs(stepT) < 1e-14) break;
  }
  const [p, dp] = derivativesAt(c, s, 1);
  const [q, dq] = derivativesAt(d, t, 1);
  const centre = along(p, inward(dp), r);
  if (distance(centre, along(q, inward(dq), r)) > 1e-8 * (1 + r) || s <= c0 + 1e-12 || t >= d1 - 1e-12) return undefined;
  const x = unit(sub(p, centre));
  const frame: Frame = { origin: centre, x, y: scale(cross(plane.z, x), left), z: scale(plane.z, left) };
  const to = sub(q, centre);
  let angle = Math.atan2(dot(to, frame.y), dot(to, frame.x));
  if (angle <= 0) angle += 2 * Math.PI;
  return { onFirst: s, onSecond: t, curve: circleCurve(frame, r, 0, angle) };
}
function chamferAt(c: NurbsCurve, d: NurbsCurve, back: number): Rounding | undefined {
  const corner = endPoint(c);
  const cut = (k: NurbsCurve, fromEnd: boolean): number | undefined => {
    const [a, b] = domain(k);
    const [near, far] = fromEnd ? [b, a] : [a, b];
    const within = (t: number) => distance(pointAt(k, t), corner) < back;
    return within(far) ? undefined : changeBetween(within, near, far)[1];
  };
  const s = cut(c, true);
  const t = cut(d, false);
  if (s === undefined || t === undefined) return undefined;
  return { onFirst: s, onSecond: t, curve: lineCurve(pointAt(c, s), pointAt(d, t)) };
}

export interface JoinReport {
  readonly curves: readonly NurbsCurve[];
  readonly joints: readonly { readonly at: Vec3; readonly gap: number; readonly kink: number; readonly mended: boolean }[];
  readonly closed: boolean;
}
/**
 * Puts curves end to end in the order in which they meet best and tells gap (mm) and kink (radians) of each joint. Gaps up to `tolerance` are
 * closed by moving the two end control points to their middle.
 */
export function joinChain(list: readonly NurbsCurve[], tolerance: number): JoinReport {
  const rest = [...list];
  const chain = [rest.shift() as NurbsCurve];
  while (rest.length) {
    let best = { i: 0, flip: false, atEnd: true, d: Infinity };
    rest.forEach((c, i) => {
      for (const [flip, p, q] of [
        [false, startPoint(c), endPoint(c)],
        [true, endPoint(c), startPoint(c)],
      ] as const) {
        const dEnd = distance(endPoint(chain[chain.length - 1]), p);
        if (dEnd < best.d - 1e-12) best = { i, flip, atEnd: true, d: dEnd };
        const dStart = distance(startPoint(chain[0]), q);
        if (dStart < best.d - 1e-12) best = { i, flip, atEnd: false, d: dStart };
      }
    });
    const c = rest.splice(best.i, 1)[0];
    const turnedOne = best.flip ? reversed(c) : c;
    if (best.atEnd) chain.push(turnedOne);
    else chain.unshift(turnedOne);
  }
  const closeGap = distance(endPoint(chain[chain.length - 1]), startPoint(chain[0]));
  const closed = chain.length > 1 ? closeGap <= tolerance : closeGap <= 1e-9;
  const joints: { at: Vec3; gap: number; kink: number; mended: boolean }[] = [];
  for (let i = 0; i < chain.length - (closed && chain.length > 1 ? 0 : 1); i++) {
    const j = (i + 1) % chain.length;
    const [c, d] = [chain[i], chain[j]];
    const [p, q] = [endPoint(c), startPoint(d)];
    const gap = distance(p, q);
    const kink = angleBetween(derivativesAt(c, domain(c)[1], 1)[1], derivativesAt(d, domain(d)[0], 1)[1]);
    const mended = gap > 1e-12 && gap <= tolerance;
    if (mended) {
      const m = lerp(p, q, 0.5);
      chain[i] = withEnd(c, 'end', m);
      chain[j] = withEnd(chain[j], 'start', m);
    }
    joints.push({ at: lerp(p, q, 0.5), gap, kink, mended });
  }
  return { curves: chain, joints, closed };
}
const reversed = (c: NurbsCurve): NurbsCurve => {
  const [a, b] = domain(c);
  const n = pointCount(c);
  const control = new Float64Array(c.control.length);
  for (let i = 0; i < n; i++) control.set(c.control.subarray(4 * i, 4 * i + 4), 4 * (n - 1 - i));
  return { ...c, control, knots: Float64Array.from(c.knots, (_, i) => a + b - c.knots[c.knots.length - 1 - i]) };
};
function withEnd(c: NurbsCurve, end: 'start' | 'end', p: Vec3): NurbsCurve {
  const control = new Float64Array(c.control);
  const o = end === 'start' ? 0 : control.length - 4;
  const w = control[o + 3];
  control.set([p[0] * w, p[1] * w, p[2] * w], o);
  return { ...c, control };
}

/** Parameters where two curves meet (closer than `tolerance`), on the first and on the second; sorted along the first. */
export function meetings(a: NurbsCurve, b: NurbsCurve, tolerance: number): { t: number; s: number; at: Vec3 }[] {
  const out: { t: number; s: number; at: Vec3 }[] = [];
  const [a0, a1] = domain(a);
  const n = Math.max(64, 16 * pointCount(a));
  const gap = (t: number) => {
    const p = pointAt(a, t);
    return { p, foot: closestOnCurve(b, p) };
  };
  const list = Array.from({ length: n + 1 }, (_, i) => {
    const t = a0 + ((a1 - a0) * i) / n;
    return { t, d: gap(t).foot.distance };
  });
  const [b0, b1] = domain(b);
  list.forEach((x, i) => {
    if ((i > 0 && list[i - 1].d < x.d) || (i < n && list[i + 1].d < x.d)) return;
    // Newton on both parameters from the closest approach
    let t = x.t;
    let s = gap(t).foot.t;
    for (let k = 0; k < 40; k++) {
      const [p, dp] = derivativesAt(a, t, 1);
      const [q, dq] = derivativesAt(b, s, 1);
      const e = sub(p, q);
      const [pp, pq, qq] = [dot(dp, dp), dot(dp, dq), dot(dq, dq)];
      const det = pp * qq - pq * pq;
      if (det < 1e-14 * pp * qq) break;
      const [ep, eq] = [dot(e, dp), dot(e, dq)];
      const dt = -(ep * qq - eq * pq) / det;
      const ds = (pp * eq - pq * ep) / det;
      t = Math.min(a1, Math.max(a0, t + dt));
      s = Math.min(b1, Math.max(b0, s + ds));
      if (Math.abs(dt) + Math.abs(ds) < 1e-15) break;
    }
    const p = pointAt(a, t);
    if (distance(p, pointAt(b, s)) > tolerance) return;
    if (!out.some((o) => distance(o.at, p) < 10 * tolerance)) out.push({ t, s, at: p });
  });
  return out.sort((x, y) => x.t - y.t);
}
/** Parameters where a curve goes through a plane. */
export function crossings(c: NurbsCurve, plane: Frame): { t: number; at: Vec3 }[] {
  const [a, b] = domain(c);
  const n = Math.max(64, 16 * pointCount(c));
  const jet = new Float64Array(3);
  const height = (t: number) => {
    evaluateInto(c, t, 0, jet);
    return (jet[0] - plane.origin[0]) * plane.z[0] + (jet[1] - plane.origin[1]) * plane.z[1] + (jet[2] - plane.origin[2]) * plane.z[2];
  };
  const out: { t: number; at: Vec3 }[] = [];
  let before = height(a);
  for (let i = 1; i <= n; i++) {
    const t1 = a + ((b - a) * i) / n;
    const now = height(t1);
    if (before < 0 !== now < 0) {
      const t = signChange(height, a + ((b - a) * (i - 1)) / n, t1);
      out.push({ t, at: pointAt(c, t) });
    }
    before = now;
  }
  return out;
}

/** Frame for arcs through three points, or undefined when they are in line. */
export const threePointArc = (a: Vec3, b: Vec3, c: Vec3): NurbsCurve | undefined =>
  length(cross(sub(b, a), sub(c, a))) < 1e-9 * distance(a, c) ** 2 ? undefined : arcThrough(a, b, c);
/** Straight line or arc that goes on from an end by a length, touching it. */
export function carryOn(c: NurbsCurve, end: 'start' | 'end', by: number, how: 'line' | 'arc'): NurbsCurve {
  const [a, b] = domain(c);
  const t = end === 'end' ? b : a;
  const [p, d1, d2] = derivativesAt(c, t, 2);
  const speed = length(d1);
  const T = scale(d1, (end === 'end' ? 1 : -1) / speed);
  const K = scale(sub(d2, scale(d1, dot(d1, d2) / speed ** 2)), 1 / speed ** 2);
  const k = length(K);
  if (how === 'line' || k * by < 1e-9) return lineCurve(p, along(p, T, by));
  const n = scale(K, 1 / k);
  const frame = { origin: along(p, n, 1 / k), x: scale(n, -1), y: T, z: cross(scale(n, -1), T) };
  return circleCurve(frame, 1 / k, 0, Math.min(2 * Math.PI * 0.999, by * k));
}
