import { type Body, breaksAlong, type Face } from '../brep/index.ts';
import { distance, signChange, type Vec3 } from '../math/index.ts';
import {
  arcLength,
  averagedKnots,
  clipCurve,
  curveOfFit,
  evaluateNet,
  evaluateSurface,
  fitLean,
  interpolateInSpace,
  isoU,
  isoV,
  type NurbsCurve,
  pointCount,
  remapCurve,
  reverseCurve,
} from '../nurbs/index.ts';
import type { ContourOptions, Field, SkinCurve } from './contour.ts';
import type { Crossing, Trail } from './contour-trails.ts';

const jet = new Float64Array(12);
/** A place where branches of a zero set cross. */
interface Saddle {
  readonly u: number;
  readonly v: number;
  readonly point: Vec3;
}
/**
 * Where branches of the zero set cross, both derivatives vanish (a saddle of the field), and the mesh pairs the branches as it happens to lie.
 * Trails that come near such a place end there; `reach` is the size of the mesh's triangles. What one trail of a face tells of a crossing
 * holds for the others.
 */
export function apartAtCrossings(b: Body, list: readonly Trail[], field: Field, reach: number): Trail[] {
  const saddles = new Map<number, Saddle[]>();
  for (const t of list) saddles.set(t.face, [...(saddles.get(t.face) ?? []), ...saddlesNear(b.faces[t.face], t, field)]);
  return list.flatMap((t) => endedAt(b.faces[t.face], t, saddles.get(t.face) ?? [], reach));
}

function saddlesNear(f: Face, t: Trail, field: Field): Saddle[] {
  const value = new Float64Array(3);
  const { knotsU, knotsV } = f.surface;
  const [ua, ub, va, vb] = [knotsU[0], knotsU[knotsU.length - 1], knotsV[0], knotsV[knotsV.length - 1]];
  const steep = (p: Crossing): number => {
    field.at(t.face, p.u, p.v, value);
    evaluateSurface(f.surface, p.u, p.v, 1, jet);
    return Math.hypot(value[1] / (Math.hypot(jet[6], jet[7], jet[8]) || 1), value[2] / (Math.hypot(jet[3], jet[4], jet[5]) || 1));
  };
  const slopes = t.places.map(steep);
  const usual = [...slopes].sort((x, y) => x - y)[slopes.length >> 1];
  const saddles: Saddle[] = [];
  slopes.forEach((x, i) => {
    if (x > 0.4 * usual || (slopes[i - 1] ?? Infinity) < x || (slopes[i + 1] ?? Infinity) < x) return;
    // Newton's method on both derivatives; their own derivatives by central differences
    let { u, v } = t.places[i];
    const [hu, hv] = [1e-5 * (ub - ua), 1e-5 * (vb - va)];
    const grad = (a: number, c: number): [number, number] => {
      field.at(t.face, a, c, value);
      return [value[1], value[2]];
    };
    for (let k = 0; k < 30; k++) {
      const g = grad(u, v);
      const [p, q, r, s] = [grad(u + hu, v), grad(u - hu, v), grad(u, v + hv), grad(u, v - hv)];
      const [a, b, c, d] = [(p[0] - q[0]) / (2 * hu), (r[0] - s[0]) / (2 * hv), (p[1] - q[1]) / (2 * hu), (r[1] - s[1]) / (2 * hv)];
      const det = a * d - b * c;
      if (!(Math.abs(det) > 1e-300)) return;
      const [du, dv] = [-(g[0] * d - b * g[1]) / det, -(a * g[1] - c * g[0]) / det];
      if (Math.abs(du) > 0.2 * (ub - ua) || Math.abs(dv) > 0.2 * (vb - va)) return;
      u += du;
      v += dv;
      if (Math.abs(du) < 1e-13 * (ub - ua) && Math.abs(dv) < 1e-13 * (vb - va)) break;
    }
    // on a seam rounding may put it a hair outside
    const slack = 1e-7;
    if (u < ua - slack * (ub - ua) || u > ub + slack * (ub - ua) || v < va - slack * (vb - va) || v > vb + slack * (vb - va)) return;
    [u, v] = [Math.min(ub, Math.max(ua, u)), Math.min(vb, Math.max(va, v))];
    field.at(t.face, u, v, value);
    if (Math.abs(value[0]) > 10 * field.zero) return;
    evaluateSurface(f.surface, u, v, 1, jet);
    // at a pole every derivative by the parameter that goes round vanishes
    if (Math.min(Math.hypot(jet[6], jet[7], jet[8]), Math.hypot(jet[3], jet[4], jet[5])) < 1e-6) return;
    const point: Vec3 = [jet[0], jet[1], jet[2]];
    if (!saddles.some((q) => distance(q.point, point) < 1e-6)) saddles.push({ u, v, point });
  });
  return saddles;
}

/** A trail that ends at the saddles that it comes near to. */
function endedAt(f: Face, t: Trail, saddles: readonly Saddle[], reach: number): Trail[] {
  if (!saddles.length) return [t];
  const at = (p: Crossing): Vec3 => {
    evaluateSurface(f.surface, p.u, p.v, 0, jet);
    return [jet[0], jet[1], jet[2]];
  };
  // places near a saddle go, and what is left of the trail ends in it; a closed one is opened at a saddle first
  const near = t.places.map((p) => saddles.findIndex((q) => distance(q.point, at(p)) < 1.2 * reach));
  if (near.every((k) => k < 0)) return [t];
  const { knotsU, knotsV } = f.surface;
  const over = (x: number, own: number, knots: Float64Array) => {
    const wide = knots[knots.length - 1] - knots[0];
    return Math.abs(x - own) > 0.5 * wide ? x + Math.sign(own - x) * wide : x;
  };
  /** A saddle on the seam of a closed direction has two values: the one on the side of the place. */
  const beside = (k: number, p: Crossing): Crossing => ({ u: over(saddles[k].u, p.u, knotsU), v: over(saddles[k].v, p.v, knotsV) });
  const n = t.places.length;
  const turn = t.closed ? near.findIndex((k, i) => k >= 0 && near[(i + 1) % n] < 0) + 1 : 0;
  const order = Array.from({ length: n }, (_, i) => (i + turn) % n);
  const out: Trail[] = [];
  let run: Crossing[] = [];
  let from = t.closed ? near[(turn + n - 1) % n] : -1;
  for (const i of order) {
    const k = near[i];
    if (k < 0) {
      if (!run.length && from >= 0) run.push(beside(from, t.places[i]));
      run.push(t.places[i]);
    } else {
      // nothing but the saddle on both sides is no trail
      if (run.length > 1) out.push({ face: t.face, places: [...run, beside(k, run[run.length - 1])], closed: false });
      run = [];
      from = k;
    }
  }
  if (run.length > 1) out.push({ face: t.face, places: run, closed: false });
  return out;
}

const found = new Float64Array(3);
/** Millimetres that a point may be moved along the tangent plane instead of being evaluated again. */
const HAIR = 1e-6;
/** Newton steps to the zero set, across it in the metric of the surface. */
function settle(f: Face, face: number, field: Field, u0: number, v0: number): { u: number; v: number; point: Vec3; off: number } {
  let [u, v] = [u0, v0];
  const { knotsU, knotsV } = f.surface;
  const [ua, ub, va, vb] = [knotsU[0], knotsU[knotsU.length - 1], knotsV[0], knotsV[knotsV.length - 1]];
  for (let k = 0; ; k++) {
    evaluateSurface(f.surface, u, v, 1, jet);
    if (field.fromJet) field.fromJet(jet, found);
    else field.at(face, u, v, found);
    if (k === 12 || Math.abs(found[0]) < 1e-13) break;
    const E = jet[6] * jet[6] + jet[7] * jet[7] + jet[8] * jet[8];
    const F = jet[6] * jet[3] + jet[7] * jet[4] + jet[8] * jet[5];
    const G = jet[3] * jet[3] + jet[4] * jet[4] + jet[5] * jet[5];
    const D = E * G - F * F;
    if (!(D > 0)) break;
    const [gu, gv] = [(G * found[1] - F * found[2]) / D, (E * found[2] - F * found[1]) / D];
    const slope = found[1] * gu + found[2] * gv;
    if (!(slope > 1e-30)) break;
    const step = found[0] / slope;
    // the last hair goes along the tangent plane: what that leaves out is of second order
    if (k > 0 && Math.abs(found[0]) < HAIR * Math.sqrt(slope)) {
      const [du, dv] = [-step * gu, -step * gv];
      if (u + du >= ua && u + du <= ub && v + dv >= va && v + dv <= vb)
        return {
          u: u + du,
          v: v + dv,
          point: [jet[0] + du * jet[6] + dv * jet[3], jet[1] + du * jet[7] + dv * jet[4], jet[2] + du * jet[8] + dv * jet[5]],
          off: Math.min(Math.abs(found[0]), (found[0] * found[0]) / slope),
        };
    }
    const [u1, v1] = [Math.min(ub, Math.max(ua, u - step * gu)), Math.min(vb, Math.max(va, v - step * gv))];
    // rounding keeps it from coming nearer
    if (u1 === u && v1 === v) break;
    [u, v] = [u1, v1];
  }
  return { u, v, point: [jet[0], jet[1], jet[2]], off: Math.abs(found[0]) };
}

interface Place {
  readonly u: number;
  readonly v: number;
  readonly point: Vec3;
}
/** A trail's places made dense and even on the zero set; parameter is the length. */
function followed(
  f: Face,
  trail: Trail,
  field: Field,
  kept: readonly Place[],
): { at: (s: number) => readonly [number, number]; length: number } {
  const guess = through(kept, trail.closed);
  const dense: Place[] = [];
  const n = Math.max(24, 3 * (kept.length - 1));
  for (let i = 0; i <= n; i++) {
    if (!trail.closed && (i === 0 || i === n)) dense.push(kept[i === 0 ? 0 : kept.length - 1]);
    else if (trail.closed && i === n) dense.push(dense[0]);
    else {
      const q = guess.at(i / n);
      const s = settle(f, trail.face, field, q[0], q[1]);
      if (s.off <= Math.max(field.zero, 1e-9)) dense.push(s);
    }
  }
  const along = through(swings(f, dense) ? steadied(f, trail, field, kept) : dense, trail.closed, true);
  return { at: along.at, length: along.total };
}

/** Share of a surface's range that two neighbours may lie apart. */
const SWING = 1 / 32;
const swing = ({ surface: { knotsU, knotsV } }: Face, a: Place, c: Place): number =>
  Math.max(Math.abs(a.u - c.u) / (knotsU[knotsU.length - 1] - knotsU[0]), Math.abs(a.v - c.v) / (knotsV[knotsV.length - 1] - knotsV[0]));
/** A zero set that passes close by a pole turns quickly in (u, v): a cubic through a few places would run to and fro there. */
const swings = (f: Face, list: readonly Place[]): boolean => list.some((p, i) => i > 0 && swing(f, list[i - 1], p) > SWING);

/** Are the millimetres of a step in u, and in v, much the same at two places? */
function even(f: Face, a: Place, c: Place): boolean {
  const scales = [a, c].map((p) => {
    evaluateSurface(f.surface, p.u, p.v, 1, jet);
    return [Math.hypot(jet[6], jet[7], jet[8]), Math.hypot(jet[3], jet[4], jet[5])];
  });
  return [0, 1].every((k) => Math.max(scales[0][k], scales[1][k]) <= 1.4 * Math.min(scales[0][k], scales[1][k]));
}
/** Places halved until neighbours lie close in (u, v) too, each between its neighbours in space. */
function steadied(f: Face, trail: Trail, field: Field, kept: readonly Place[]): Place[] {
  const out: Place[] = [kept[0]];
  const between = (a: Place, c: Place, depth: number): void => {
    const far = distance(a.point, c.point);
    if ((depth >= 2 && swing(f, a, c) <= SWING && even(f, a, c)) || depth > 160 || far < 1e-9) return;
    // half way first; a step that would lead over the pole ends in it, and a shorter one is taken
    for (const share of [1 / 2, 1 / 4, 3 / 4, 1 / 8, 7 / 8]) {
      const m = settle(f, trail.face, field, a.u + (c.u - a.u) * share, a.v + (c.v - a.v) * share);
      const [before, after] = [distance(a.point, m.point), distance(m.point, c.point)];
      if (m.off > Math.max(field.zero, 1e-9) || Math.max(before, after) >= far || Math.min(before, after) < 1e-3 * far) continue;
      between(a, m, depth + 1);
      out.push(m);
      between(m, c, depth + 1);
      return;
    }
  };
  for (let i = 1; i < kept.length; i++) {
    between(kept[i - 1], kept[i], 0);
    out.push(kept[i]);
  }
  return out;
}

/**
 * A zero set that runs along a line of constant parameter is that line itself: exact, with the points that the surface has. `part` cuts it
 * between two lengths, its parameter runs from 0 to their difference.
 */
function isoparmOf(f: Face, trail: Trail, field: Field, kept: readonly Place[]) {
  const { knotsU, knotsV } = f.surface;
  const wide = [knotsU[knotsU.length - 1] - knotsU[0], knotsV[knotsV.length - 1] - knotsV[0]];
  const [first, last] = [kept[0], kept[kept.length - 1]];
  for (const k of [0, 1] as const) {
    const [fixed, free] = k ? (['v', 'u'] as const) : (['u', 'v'] as const);
    const half = kept[kept.length >> 1];
    if (kept.some((p) => Math.abs(p[fixed] - half[fixed]) > 1e-7 * wide[k])) continue;
    const value = settle(f, trail.face, field, half.u, half.v)[fixed];
    const [from, to] = [first[free], last[free]];
    if (kept.some((p) => Math.abs(p[fixed] - value) > 1e-9 * wide[k]) || Math.abs(to - from) < 1e-9 * wide[1 - k]) continue;
    const whole = k ? isoV(f.surface, value) : isoU(f.surface, value);
    const uv = (t: number): readonly [number, number] => (k ? [t, value] : [value, t]);
    const probes = Math.max(32, 4 * pointCount(whole));
    const lies = Array.from({ length: probes }, (_, i) => {
      field.at(trail.face, ...uv(from + ((to - from) * (i + 0.5)) / probes), found);
      return Math.abs(found[0]) <= Math.max(field.zero, 1e-9);
    });
    if (!lies.every(Boolean)) continue;
    const length = arcLength(whole, Math.min(from, to), Math.max(from, to));
    const at = (s: number) => from + ((to - from) * s) / length;
    const part = (a: number, c: number): NurbsCurve => {
      const [p, q] = [at(a), at(c)];
      const cut = clipCurve(whole, Math.min(p, q), Math.max(p, q));
      return remapCurve(p < q ? cut : reverseCurve(cut), 0, c - a);
    };
    return { at: (s: number) => uv(at(s)), length, part };
  }
  return undefined;
}

/** A trail made dense and even on the zero set, cut and split as asked, fitted piece by piece. */
export function smooth(b: Body, trail: Trail, field: Field, size: number, o: ContourOptions): SkinCurve[] {
  const f = b.faces[trail.face];
  const at = (u: number, v: number): Vec3 => {
    evaluateSurface(f.surface, u, v, 0, jet);
    return [jet[0], jet[1], jet[2]];
  };
  let places = trail.places.map((p) => ({ ...p, point: at(p.u, p.v) }));
  if (trail.closed) places = [...places, places[0]];
  const total = places.reduce((s, p, i) => (i ? s + distance(p.point, places[i - 1].point) : 0), 0);
  if (total < 1e-7 * size) return [];
  // places much closer than the rest make the parameter jump: they are left out
  const thin = (0.35 * total) / places.length;
  const kept = [places[0]];
  for (let i = 1; i + 1 < places.length; i++) if (distance(places[i].point, kept[kept.length - 1].point) > thin) kept.push(places[i]);
  const last = places[places.length - 1];
  if (kept.length > 1 && distance(last.point, kept[kept.length - 1].point) < thin) kept.pop();
  kept.push(last);
  const iso = trail.closed ? undefined : isoparmOf(f, trail, field, kept);
  const { at: along, length } = iso ?? followed(f, trail, field, kept);
  const place = (s: number) => {
    if (!trail.closed && s <= 0) return { u: kept[0].u, v: kept[0].v, point: kept[0].point };
    if (!trail.closed && s >= length) return { u: last.u, v: last.v, point: last.point };
    const q = along(s);
    return iso ? { u: q[0], v: q[1], point: at(q[0], q[1]) } : settle(f, trail.face, field, q[0], q[1]);
  };
  const cuts = new Set<number>([0, length]);
  const steps = 4 * Math.max(24, 6 * (kept.length - 1));
  for (const test of [o.keep, o.split]) {
    if (!test) continue;
    const value = (s: number) => {
      const p = place(s);
      return test(trail.face, p.point, p.u, p.v);
    };
    let before = value(0);
    for (let i = 1; i <= steps; i++) {
      const now = value((length * i) / steps);
      if (before < 0 !== now < 0) {
        cuts.add(signChange(value, (length * (i - 1)) / steps, (length * i) / steps, 44));
      }
      before = now;
    }
  }
  const list = [...cuts].sort((x, y) => x - y).filter((x, i, l) => i === 0 || x - l[i - 1] > 1e-9 * length);
  let ranges = list.slice(1).map((end, i) => [list[i], end] as const);
  if (o.keep) {
    const keep = o.keep;
    ranges = ranges.filter(([a, c]) => {
      const p = place((a + c) / 2);
      return keep(trail.face, p.point, p.u, p.v) >= 0;
    });
  }
  // a closed trail that was cut begins anywhere: its first and last piece are one
  if (trail.closed && ranges.length > 1 && ranges[0][0] === 0 && ranges[ranges.length - 1][1] === length) {
    const first = ranges[0];
    const tail = ranges[ranges.length - 1];
    const same =
      !o.split ||
      o.split(trail.face, place(first[1] / 2).point, place(first[1] / 2).u, place(first[1] / 2).v) < 0 ===
        sideOf(o.split, trail.face, place((tail[0] + tail[1]) / 2));
    if (same) ranges = [...ranges.slice(1, -1), [tail[0], length + first[1]] as const];
  }
  return ranges.flatMap(([a, c]): SkinCurve[] => {
    if (iso) return [{ face: trail.face, curve: iso.part(a, c), length: c - a, closed: false, place: (s) => place(a + s) }];
    const wrapped = (s: number) => place(s > length ? s - length : s);
    const closed = trail.closed && c - a >= length * (1 - 1e-9);
    // where it crosses the surface's knots the dense places are near enough: they need not be settled anew
    const rough = (s: number): readonly [number, number] => {
      const x = s > length ? s - length : s;
      return !trail.closed && (x <= 0 || x >= length) ? (x <= 0 ? [kept[0].u, kept[0].v] : [last.u, last.v]) : along(x);
    };
    const seeds = breaksAlong({ total: c - a, near: (s) => s }, (s) => [{ s: f.surface, uv: rough(a + s) }]);
    const fit = fitLean(
      (s, out) => {
        out.set(wrapped(a + s).point);
      },
      0,
      c - a,
      3,
      5,
      0.9 * o.tolerance,
      seeds,
      closed,
    );
    const curve = curveOfFit(fit, 5);
    return [{ face: trail.face, curve, length: c - a, closed, place: (s) => wrapped(a + s) }];
  });
}
const sideOf = (split: NonNullable<ContourOptions['split']>, face: number, p: { u: number; v: number; point: Vec3 }) =>
  split(face, p.point, p.u, p.v) < 0;

/** Cubic through places in (u, v); parameter 0..1, or the chord length in space. Closed ones go on over both ends, so that they repeat. */
function through(
  list: readonly { u: number; v: number; point: Vec3 }[],
  closed: boolean,
  byLength = false,
): { at: (t: number) => readonly [number, number]; total: number } {
  const places = list.map((p) => [p.u, p.v]);
  const steps = list.slice(1).map((p, i) => Math.max(1e-12, distance(p.point, list[i].point)));
  const total = steps.reduce((a, c) => a + c, 0);
  let at = [0];
  for (const s of steps) at.push(at[at.length - 1] + s);
  if (closed) {
    const n = list.length - 1;
    const over = Math.min(n, 14);
    const before = Array.from({ length: over }, (_, k) => n - over + k);
    const after = Array.from({ length: over }, (_, k) => k + 1);
    at = [...before.map((k) => at[k] - total), ...at, ...after.map((k) => at[k] + total)];
    places.unshift(...before.map((k) => [list[k].u, list[k].v]));
    places.push(...after.map((k) => [list[k].u, list[k].v]));
  }
  const degree = Math.min(3, places.length - 1);
  const knots = averagedKnots(at, degree);
  const net = interpolateInSpace(degree, knots, Float64Array.from(at), Float64Array.from(places.flat()), 2);
  if (!net) throw new Error('places along a curve fall together');
  const row = new Float64Array(2);
  return {
    total: byLength ? total : 1,
    at: (t) => {
      evaluateNet(net, byLength ? t : t * total, row);
      return [row[0], row[1]];
    },
  };
}
