import {
  type Body,
  type BodyBuilder,
  Border,
  curvatureHeight,
  type Edge,
  type EdgeUse,
  type Face,
  loopArea,
  type NeighbourJet,
  orderChain,
  topologyOf,
  tracePoint,
  usePoint,
} from '../brep/index.ts';
import {
  add,
  angleBetween,
  cross,
  DEG,
  distance,
  dot,
  type Frame,
  frameFromNormal,
  length,
  scale,
  solveDense,
  sub,
  toLocal,
  unit,
  type Vec3,
} from '../math/index.ts';
import {
  closestOnSurface,
  curveInFrame,
  curveOfFit,
  fitFunction,
  greville,
  interpolateInSpace,
  makeCurve,
  type NurbsCurve,
  type NurbsSurface,
  normalCurvature,
  surfaceJet,
} from '../nurbs/index.ts';
import { type Base, ballAxes, ballThrough, centralBase, ellipsoidThrough, planeBase, type Quadric, splineBase } from './patch-base.ts';
import { developed } from './patch-develop.ts';
import { type HeightField, heightOf, PATCH_DEGREE, type RimSample, solvePatch } from './patch-solve.ts';

/** Continuity that the patch is given along a side. */
export type PatchGrade = 0 | 1 | 2;
export interface PatchSide {
  readonly border: Border;
  readonly grade: PatchGrade;
}
export interface PatchOptions {
  /** mm, degrees, share of the curvature. */
  readonly target: { readonly gap: number; readonly kink: number; readonly step: number };
  /** Places inside that the patch passes through. */
  readonly inner?: readonly Vec3[];
  /** 0 lets a crown rise, larger keeps it low; 1 is neutral. */
  readonly taut?: number;
  /** Size of what stands beside, mm: the least curvature that counts in a step. */
  readonly size?: number;
  /** Control points in each direction to begin with and at most. */
  readonly counts?: readonly number[];
  /** Sides whose skin stands steeper than this on the plane of the rim are met in place only, degrees: a lid instead of a dome. */
  readonly steepest?: number;
  /** What it is built over; found by itself when left out. */
  readonly base?: 'plane' | 'ball' | 'spline';
}
export interface SideReport {
  readonly gap: number;
  readonly kink: number;
  readonly step: number;
  /** The step as the proof tells it: per cent of the mean, with the curvature of `size` as floor. */
  readonly percent: number;
  readonly grade: PatchGrade;
  readonly worst: Vec3;
}
export interface PatchCorner {
  readonly at: Vec3;
  readonly why: string;
}
export interface PatchResult {
  readonly surface: NurbsSurface;
  readonly base: Base['kind'] | 'quadric';
  /** Plane of the chart when that is what it is built over: images of edges in it are exact. */
  readonly frame?: Frame;
  /** The sides in running order, and whether each border is run backwards. */
  readonly ring: readonly { readonly side: number; readonly reversed: boolean }[];
  /** Parameters of the patch at a point of its rim. */
  readonly image: (p: Vec3, near?: readonly [number, number]) => readonly [number, number];
  readonly sides: readonly SideReport[];
  readonly gap: number;
  readonly kink: number;
  readonly step: number;
  readonly grades: readonly PatchGrade[];
  /** Corners where what the neighbours ask for contradicts itself. */
  readonly corners: readonly PatchCorner[];
  /** Largest way from the places inside, mm. */
  readonly innerMiss: number;
  /** Largest tilt of the neighbours' normals from their middle, degrees. */
  readonly tilt: number;
}
export type PatchOutcome =
  | { readonly ok: true; readonly result: PatchResult }
  | { readonly ok: false; readonly message: string; readonly place?: Vec3 };

/** Neighbours that tilt more than this from the middle of all are not seen square on any more (degrees). */
const TILT = 50;

interface Spot {
  readonly side: number;
  readonly share: number;
  readonly point: Vec3;
  /** In ring direction. */
  readonly tangent: Vec3;
  readonly jet?: NeighbourJet;
  /** Into the opening, in the neighbour's tangent plane; square to the normal. */
  readonly away?: Vec3;
  readonly normal?: Vec3;
}

/** Grades of sides whose neighbours stand too steep on the plane of the rim fall to place alone. */
function lidInstead(
  sides: readonly PatchSide[],
  ring: readonly { side: number; reversed: boolean }[],
  grades: PatchGrade[],
  steepest: number,
): void {
  const spots = spotsOf(
    sides,
    ring,
    sides.map(() => 17),
    0,
  );
  let area: Vec3 = [0, 0, 0];
  spots.forEach((s, i) => {
    area = add(area, cross(sub(s.point, spots[0].point), sub(spots[(i + 1) % spots.length].point, spots[0].point)));
  });
  if (length(area) < 1e-12) return;
  for (const s of spots) if (s.normal && Math.abs(dot(s.normal, unit(area))) < Math.cos(steepest * DEG)) grades[s.side] = 0;
}

/** Puts sides end to end; the place where they do not close. */
function ringOf(sides: readonly PatchSide[], tolerance: number): { side: number; reversed: boolean }[] | Vec3 {
  if (sides.length === 1) return sides[0].border.closed ? [{ side: 0, reversed: false }] : sides[0].border.place(1).point;
  const ends = sides.map((s) => [s.border.place(0).point, s.border.place(1).point] as const);
  const out = [{ side: 0, reversed: false }];
  const rest = new Set(sides.map((_, i) => i).slice(1));
  let tip = ends[0][1];
  while (rest.size) {
    let best: { side: number; reversed: boolean; d: number } | undefined;
    for (const i of rest)
      for (const reversed of [false, true]) {
        const d = distance(ends[i][reversed ? 1 : 0], tip);
        if (!best || d < best.d) best = { side: i, reversed, d };
      }
    if (!best || best.d > tolerance) return tip;
    rest.delete(best.side);
    out.push({ side: best.side, reversed: best.reversed });
    tip = ends[best.side][best.reversed ? 0 : 1];
  }
  return distance(tip, ends[0][0]) <= tolerance ? out : tip;
}

/**
 * One trimmed surface over an opening of any number of sides: heights over a base with the least change of curvature, under place, tangent
 * and curvature conditions on the rim that are linear in the heights. Over a plane where the neighbours are seen square on, over a ball,
 * an ellipsoid or a spline where they turn far. Points are added until the seams, measured on the finished surface, are met.
 * Sources: Moreton & Séquin 1992 (energy); bases, weights and sampling are our own.
 */
export function patchOpening(sides: readonly PatchSide[], o: PatchOptions): PatchOutcome {
  const ring = ringOf(sides, 0.01);
  if (!Array.isArray(ring) || typeof ring[0] === 'number')
    return { ok: false, message: 'the edges do not close to a ring', place: ring as Vec3 };
  const way = ring as { side: number; reversed: boolean }[];
  const grades = sides.map((s): PatchGrade => (s.border.held ? s.grade : 0));
  if (o.steepest !== undefined) lidInstead(sides, way, grades, o.steepest);
  const corners = cornerClashes(sides, way, grades);
  const spots = spotsOf(
    sides,
    way,
    grades.map(() => 60),
    0,
  );
  const smooth = grades.some((g) => g > 0);
  const tilt = tiltOf(spots);
  const inner = o.inner ?? [];
  let best: PatchResult | undefined;
  const reasons: { message: string; place?: Vec3 }[] = [];
  for (const candidate of candidates(spots, tilt, smooth, o)) {
    const made = candidate.make();
    if (!made) continue;
    if ('message' in made) {
      reasons.push(made);
      continue;
    }
    const r = solveOver(made, sides, way, grades, corners.drop, inner, o);
    if (!r) continue;
    const result: PatchResult = { ...r, ring: way, grades, corners: corners.list, tilt: tilt.degrees };
    const score = (x: PatchResult) => Math.max(x.gap / o.target.gap, x.kink / o.target.kink, x.step / o.target.step);
    if (!best || score(result) < score(best)) best = result;
    if (score(result) <= 1) break;
  }
  if (best) return { ok: true, result: best };
  const first = reasons[0] ?? { message: 'the opening could not be filled: divide it with a curve first' };
  return { ok: false, ...first };
}

/** Places along all sides in ring order, denser towards the ends of each. */
function spotsOf(
  sides: readonly PatchSide[],
  ring: readonly { side: number; reversed: boolean }[],
  counts: readonly number[],
  shift: number,
): Spot[] {
  return ring.flatMap(({ side, reversed }): Spot[] => {
    const { border } = sides[side];
    const n = counts[side];
    return Array.from({ length: n }, (_, i): Spot => {
      const k = (1 - Math.cos((Math.PI * (i + (shift || 0.5))) / n)) / 2;
      const even = border.closed && sides.length === 1 ? (i + (shift || 0.5)) / n : k;
      return spotAt(border, side, reversed ? 1 - even : even, reversed);
    });
  });
}
function spotAt(border: Border, side: number, share: number, reversed: boolean): Spot {
  const p = border.place(share);
  const tangent = reversed ? scale(p.tangent, -1) : p.tangent;
  if (!border.held) return { side, share, point: p.point, tangent };
  const jet = border.jet(share);
  return { side, share, point: p.point, tangent, jet, away: jet.away, normal: unit(cross(tangent, jet.away)) };
}
interface Tilt {
  readonly axis: Vec3;
  readonly degrees: number;
}
/** The middle of the normals of the neighbours, and how far the farthest turns from it. */
function tiltOf(spots: readonly Spot[]): Tilt {
  const normals = spots.flatMap((s) => (s.normal ? [s.normal] : []));
  if (!normals.length) return { axis: [0, 0, 0], degrees: 0 };
  let axis = normals.reduce<Vec3>((s, n) => add(s, n), [0, 0, 0]);
  if (length(axis) < 1e-9) return { axis: [0, 0, 0], degrees: 180 };
  axis = unit(axis);
  // the smallest cone: step towards the farthest, less and less
  for (let k = 1; k < 400; k++) {
    let far = normals[0];
    for (const n of normals) if (dot(n, axis) < dot(far, axis)) far = n;
    axis = unit(add(axis, scale(sub(far, axis), 1 / (k + 3))));
  }
  return { axis, degrees: Math.max(...normals.map((n) => angleBetween(n, axis))) / DEG };
}
interface Over {
  readonly base: Base;
  readonly frame?: Frame;
  readonly quadric?: { readonly q: Quadric; readonly R: number };
  /** Chart coordinates of spots where Newton needs a start. */
  readonly start?: (side: number, share: number) => readonly [number, number];
}
type Candidate = { readonly make: () => Over | { readonly message: string; readonly place?: Vec3 } | undefined };

/** What the patch may be built over, the likeliest first. */
function candidates(spots: readonly Spot[], tilt: Tilt, smooth: boolean, o: PatchOptions): Candidate[] {
  const pts = spots.map((s) => s.point);
  const middle = scale(
    pts.reduce<Vec3>((s, p) => add(s, p), [0, 0, 0]),
    1 / pts.length,
  );
  let area: Vec3 = [0, 0, 0];
  pts.forEach((p, i) => {
    area = add(area, cross(sub(p, middle), sub(pts[(i + 1) % pts.length], middle)));
  });
  const plane = (): ReturnType<Candidate['make']> => {
    if (length(area) < 1e-12) return { message: 'the opening encloses no area' };
    const frame = smallestRectangle(middle, unit(area), pts);
    const flat = pts.map((p): [number, number] => {
      const q = toLocal(frame, p);
      return [q[0], q[1]];
    });
    const fold = selfCrossing(flat);
    if (fold)
      return {
        message: 'seen square on, the rim crosses itself: divide the opening with a curve first',
        place: add(frame.origin, add(scale(frame.x, fold[0]), scale(frame.y, fold[1]))),
      };
    return { base: planeBase(frame), frame };
  };
  const central = (exactOnly: boolean): ReturnType<Candidate['make']> => {
    const held = spots.filter((s) => s.normal && s.jet);
    if (held.length < 12) return undefined;
    const [P, N] = [held.map((s) => s.point), held.map((s) => s.normal as Vec3)];
    const ball = ballThrough(P, N);
    const size = Math.max(...P.map((p) => distance(p, middle)));
    const found: { q: Quadric; R: number; exact: boolean }[] = [];
    if (ball) {
      const q: Quadric = { centre: ball.centre, axes: ballAxes(Math.abs(ball.radius), [0, 0, 1]) };
      found.push({ q, R: Math.abs(ball.radius), exact: ball.miss < 1e-5 * size && curvesAs(held, q) });
    }
    if (!found[0]?.exact) {
      const e = ellipsoidThrough(P, N);
      if (e && e.miss < 1e-5 * size && e.lean < 1e-4 && curvesAs(held, e.quadric)) {
        const R = Math.cbrt(length(e.quadric.axes[0]) * length(e.quadric.axes[1]) * length(e.quadric.axes[2]));
        found.unshift({ q: e.quadric, R, exact: true });
      }
    }
    for (const f of found) {
      if (exactOnly && !f.exact) continue;
      if (f.R > 40 * size) continue;
      const turned = facing(f.q, spots);
      if (!turned) continue;
      const base = centralBase(turned, f.R);
      // directions must not lie in the skin, and the rim must stay clear of the far pole
      let fits = true;
      for (const s of held) {
        const q = base.inverse(s.point);
        if (!q) fits = false;
        else if (Math.atan2(Math.hypot(q[0], q[1]), 2 * f.R) * 2 > 160 * DEG) fits = false;
        else if (Math.abs(dot(unit(sub(s.point, turned.centre)), s.normal as Vec3)) < Math.cos((exactOnly ? 89 : 50) * DEG)) fits = false;
      }
      if (!fits) continue;
      const flat = spots.map((s): [number, number] => {
        const q = base.inverse(s.point) as Vec3;
        return [q[0], q[1]];
      });
      if (selfCrossing(flat)) continue;
      return { base, ...(f.exact ? { quadric: { q: turned, R: f.R } } : {}) };
    }
    return undefined;
  };
  const spline = (): ReturnType<Candidate['make']> => {
    const d = developed(spots, area);
    if (!d) return undefined;
    return { base: splineBase(d.base, d.directions, 1), start: d.start };
  };
  if (o.base) return [{ make: o.base === 'plane' ? plane : o.base === 'ball' ? () => central(false) : spline }, { make: plane }];
  if (!smooth) return [{ make: plane }, { make: spline }];
  const square = length(area) > 1e-12 && spots.every((s) => !s.normal || Math.abs(dot(s.normal, unit(area))) > Math.cos(62 * DEG));
  // seen along the area's normal, the way into the opening must lead inside
  const right = square && opensInward(spots, unit(area));
  const exact = { make: () => central(true) };
  const list: Candidate[] = tilt.degrees > 12 ? [exact] : [];
  if (tilt.degrees < TILT && right) list.push({ make: plane }, { make: () => central(false) }, { make: spline });
  else list.push({ make: () => central(false) }, { make: spline }, ...(right ? [{ make: plane }] : []));
  return list;
}
/** Do the neighbours' second forms agree with those of the quadric? */
function curvesAs(spots: readonly Spot[], q: Quadric): boolean {
  const base = centralBase(q, Math.cbrt(length(q.axes[0]) * length(q.axes[1]) * length(q.axes[2])));
  const out = new Float64Array(60);
  for (let i = 0; i < spots.length; i += 3) {
    const s = spots[i];
    const x = base.inverse(s.point);
    if (!s.jet || !x || Math.hypot(x[0], x[1]) > 1e4) continue;
    base.at(x[0], x[1], out);
    const [u, v] = [[out[3], out[4], out[5]] as Vec3, [out[6], out[7], out[8]] as Vec3];
    const n = unit(cross(u, v));
    for (const [d, second] of [
      [u, 9],
      [v, 15],
    ] as const) {
      const l = dot(d, d);
      const flip = dot(n, s.jet.normal) < 0 ? -1 : 1;
      const own = (flip * (n[0] * out[second] + n[1] * out[second + 1] + n[2] * out[second + 2])) / l;
      const theirs = curvatureHeight(s.jet, d) / l;
      if (Math.abs(own - theirs) > 2e-4 * Math.max(Math.abs(own), Math.abs(theirs), 1e-9)) return false;
    }
  }
  return true;
}
/** The quadric's own axes turned so that z points to the middle of the opening: the area on the unit ball that lies on the open side. */
function facing(q: Quadric, spots: readonly Spot[]): Quadric | undefined {
  const m = new Float64Array(9);
  for (let d = 0; d < 3; d++) for (let k = 0; k < 3; k++) m[3 * d + k] = q.axes[k][d];
  const onBall = spots.map((s): Vec3 | undefined => {
    const B = Float64Array.from(sub(s.point, q.centre));
    return solveDense(m.slice(), B, 3, 1) ? unit([B[0], B[1], B[2]]) : undefined;
  });
  if (onBall.some((s) => !s)) return undefined;
  let area: Vec3 = [0, 0, 0];
  onBall.forEach((s, i) => {
    area = add(area, cross(s as Vec3, onBall[(i + 1) % onBall.length] as Vec3));
  });
  if (length(area) < 1e-9) return undefined;
  // the ring runs with the opening on its left seen from its own normals: outside or inside
  const held = spots.filter((s) => s.normal);
  const outward = held.reduce((sum, s) => sum + dot(s.normal as Vec3, unit(sub(s.point, q.centre))), 0);
  const z = unit(outward < 0 ? scale(area, -1) : area);
  const x = unit(Math.abs(z[0]) < 0.8 ? cross([1, 0, 0], z) : cross([0, 1, 0], z));
  const y = cross(z, x);
  const column = (s: Vec3): Vec3 =>
    [0, 1, 2].map((d) => q.axes[0][d] * s[0] + q.axes[1][d] * s[1] + q.axes[2][d] * s[2]) as unknown as Vec3;
  return { centre: q.centre, axes: [column(x), column(y), column(z)] };
}
/** Seen along n, does the way into the opening lead to the inside of the rim? */
function opensInward(spots: readonly Spot[], n: Vec3): boolean {
  // the area's normal n has the rim anticlockwise: its inside is n x tangent
  let [inside, all] = [0, 0];
  for (const s of spots) {
    if (!s.away) continue;
    all++;
    if (dot(s.away, cross(n, s.tangent)) > 0) inside++;
  }
  return all === 0 || inside > 0.9 * all;
}
function smallestRectangle(c: Vec3, n: Vec3, pts: readonly Vec3[]): Frame {
  const start = frameFromNormal(c, n);
  let best: { area: number; frame: Frame } | undefined;
  for (let k = 0; k < 45; k++) {
    const a = (k * Math.PI) / 90;
    const x = [0, 1, 2].map((d) => start.x[d] * Math.cos(a) + start.y[d] * Math.sin(a)) as unknown as Vec3;
    const frame: Frame = { origin: c, x, y: cross(start.z, x), z: start.z };
    const flat = pts.map((p) => toLocal(frame, p));
    const span = (d: number) => Math.max(...flat.map((p) => p[d])) - Math.min(...flat.map((p) => p[d]));
    const area = span(0) * span(1);
    if (!best || area < best.area * (1 - 1e-9)) best = { area, frame };
  }
  return (best as { frame: Frame }).frame;
}
export function selfCrossing(poly: readonly (readonly [number, number])[]): readonly [number, number] | undefined {
  const n = poly.length;
  const side = (a: readonly [number, number], b: readonly [number, number], c: readonly [number, number]) =>
    (b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0]);
  for (let i = 0; i < n; i++)
    for (let j = i + 2; j < n; j++) {
      if (i === 0 && j === n - 1) continue;
      const [a, b, c, d] = [poly[i], poly[(i + 1) % n], poly[j], poly[(j + 1) % n]];
      if (side(a, b, c) * side(a, b, d) < 0 && side(c, d, a) * side(c, d, b) < 0) return [a[0], a[1]];
    }
  return undefined;
}

/** Corners where the neighbours contradict each other; grades fall back there, and rows close to a corner of different normals are left out. */
function cornerClashes(
  sides: readonly PatchSide[],
  ring: readonly { side: number; reversed: boolean }[],
  grades: PatchGrade[],
): { list: PatchCorner[]; drop: { side: number; atEnd: boolean }[] } {
  const list: PatchCorner[] = [];
  const drop: { side: number; atEnd: boolean }[] = [];
  if (ring.length < 2) return { list, drop };
  // what was asked: a side that falls back at one corner still tells of the other
  const asked = [...grades];
  ring.forEach((a, i) => {
    const b = ring[(i + 1) % ring.length];
    if (grades[a.side] === 0 && grades[b.side] === 0) return;
    const end = spotAt(sides[a.side].border, a.side, a.reversed ? 0 : 1, a.reversed);
    const start = spotAt(sides[b.side].border, b.side, b.reversed ? 1 : 0, b.reversed);
    const problems: string[] = [];
    const leave = () => {
      if (grades[a.side] > 0) drop.push({ side: a.side, atEnd: !a.reversed });
      if (grades[b.side] > 0) drop.push({ side: b.side, atEnd: b.reversed });
    };
    if (grades[a.side] > 0 && grades[b.side] > 0 && end.normal && start.normal) {
      const angle = angleBetween(end.normal, start.normal) / DEG;
      if (angle > 0.5) {
        problems.push(`their tangent planes differ by ${angle.toFixed(1)}°`);
        leave();
      } else if (asked[a.side] > 1 && asked[b.side] > 1 && end.jet && start.jet) {
        const n = end.normal;
        const x = unit(sub(end.tangent, scale(n, dot(end.tangent, n))));
        const y = cross(n, x);
        const form = (s: Spot) => {
          const flip = dot((s.jet as NeighbourJet).normal, n) < 0 ? -1 : 1;
          const h = (d: Vec3) => flip * curvatureHeight(s.jet as NeighbourJet, sub(d, scale(s.normal as Vec3, dot(d, s.normal as Vec3))));
          const [xx, yy] = [h(x), h(y)];
          return [xx, (h(add(x, y)) - xx - yy) / 2, yy];
        };
        const [p, q] = [form(end), form(start)];
        const most = Math.max(...p.map(Math.abs), ...q.map(Math.abs), 1e-4);
        const off = Math.max(...p.map((v, k) => Math.abs(v - q[k]))) / most;
        if (off > 0.1) {
          problems.push(`their curvatures differ by ${(100 * off).toFixed(0)} %, so both sides are met with G1`);
          grades[a.side] = Math.min(1, grades[a.side]) as PatchGrade;
          grades[b.side] = Math.min(1, grades[b.side]) as PatchGrade;
        }
      }
    }
    // an edge that leaves the other neighbour's tangent plane
    for (const [s, t, g] of [
      [end, start.tangent, grades[a.side]],
      [start, end.tangent, grades[b.side]],
    ] as const) {
      if (g === 0 || !s.normal || problems.length) continue;
      const lean = Math.abs(Math.asin(Math.min(1, Math.abs(dot(s.normal, t))))) / DEG;
      if (lean > 0.5) {
        problems.push(`the next edge leaves the tangent plane by ${lean.toFixed(1)}°`);
        leave();
      }
    }
    if (problems.length) list.push({ at: end.point, why: problems.join('; ') });
  });
  return { list, drop };
}

/** The place of the rim and what its neighbour asks for, in the chart. */
function rimSample(
  s: Spot,
  over: Over,
  grade: PatchGrade,
  skip: boolean,
  near: readonly [number, number] | undefined,
  out: Float64Array,
): RimSample | undefined {
  const { base } = over;
  const q = base.inverse(s.point, over.start?.(s.side, s.share) ?? near);
  if (!q) return undefined;
  const [x, y, z] = q;
  base.at(x, y, out);
  const A = [
    [out[3] + z * out[33], out[4] + z * out[34], out[5] + z * out[35]],
    [out[6] + z * out[36], out[7] + z * out[37], out[8] + z * out[38]],
    [out[30], out[31], out[32]],
  ] as unknown as readonly [Vec3, Vec3, Vec3];
  const det = dot(A[0], cross(A[1], A[2]));
  if (!(Math.abs(det) > 1e-9 * length(A[0]) * length(A[1]) * length(A[2]))) return undefined;
  const inverse = [scale(cross(A[1], A[2]), 1 / det), scale(cross(A[2], A[0]), 1 / det), scale(cross(A[0], A[1]), 1 / det)];
  const pull = (v: Vec3) => [dot(inverse[0], v), dot(inverse[1], v), dot(inverse[2], v)];
  const t = pull(s.tangent);
  const l = Math.hypot(t[0], t[1]);
  if (!(l > 1e-12)) return undefined;
  const d: readonly [number, number] = [-t[1] / l, t[0] / l];
  if (grade === 0 || !s.jet || skip) return { x, y, z, d };
  const P = s.jet.partials;
  const [u, v] = [pull(P[4]), pull(P[1])];
  const jac = u[0] * v[1] - u[1] * v[0];
  if (!(Math.abs(jac) > 1e-9 * Math.hypot(...u) * Math.hypot(...v))) return undefined;
  const gx = (v[1] * u[2] - u[1] * v[2]) / jac;
  const gy = (-v[0] * u[2] + u[0] * v[2]) / jac;
  const slope = d[0] * gx + d[1] * gy;
  if (grade < 2) return { x, y, z, d, slope };
  // second derivatives of the chart along two parameter directions
  const bend2 = (a: readonly number[], b: readonly number[]): Vec3 =>
    [0, 1, 2].map(
      (e) =>
        (out[9 + e] + z * out[39 + e]) * a[0] * b[0] +
        (out[12 + e] + z * out[42 + e]) * (a[0] * b[1] + a[1] * b[0]) +
        (out[15 + e] + z * out[45 + e]) * a[1] * b[1] +
        out[33 + e] * (a[0] * b[2] + a[2] * b[0]) +
        out[36 + e] * (a[1] * b[2] + a[2] * b[1]),
    ) as unknown as Vec3;
  const second = [
    [P[8], u, u],
    [P[5], u, v],
    [P[2], v, v],
  ].map(([n, a, b]) => {
    const w = pull(sub(n as Vec3, bend2(a as number[], b as number[])));
    return w[2] - gx * w[0] - gy * w[1];
  });
  const a = (v[1] * d[0] - v[0] * d[1]) / jac;
  const c = (-u[1] * d[0] + u[0] * d[1]) / jac;
  return { x, y, z, d, slope, bend: a * a * second[0] + 2 * a * c * second[1] + c * c * second[2] };
}

/** Solves over one base with more and more points, and measures the finished surface. */
function solveOver(
  over: Over,
  sides: readonly PatchSide[],
  ring: readonly { side: number; reversed: boolean }[],
  grades: readonly PatchGrade[],
  drop: readonly { side: number; atEnd: boolean }[],
  inner: readonly Vec3[],
  o: PatchOptions,
): Omit<PatchResult, 'ring' | 'grades' | 'corners' | 'tilt'> | undefined {
  const { base } = over;
  const out = new Float64Array(60);
  const dropped = (s: Spot) => drop.some((d) => d.side === s.side && (d.atEnd ? s.share > 0.95 : s.share < 0.05));
  const image = (surface: NurbsSurface) => (p: Vec3, near?: readonly [number, number]) => {
    const q = base.inverse(p, near) ?? (near ? [near[0], near[1], 0] : [0, 0, 0]);
    const f = closestOnSurface(surface, p, [q[0], q[1]]);
    return [f.u, f.v] as const;
  };
  const measure = (surface: NurbsSurface, spots: readonly Spot[], at: readonly (readonly [number, number])[]) => {
    const reports = sides.map((_, i) => ({ gap: 0, kink: 0, step: 0, percent: 0, grade: grades[i], worst: spots[0].point }));
    // the floor of a step: a tenth of the largest curvature of its side, or what bends by a tenth of its size over the opening
    const wide = Math.max(...spots.map((s) => distance(s.point, spots[0].point)));
    const largest = sides.map(() => 2 / Math.max(1e-9, wide));
    const across: number[] = [];
    spots.forEach((s, i) => {
      if (!s.jet || !s.away) return;
      const k = curvatureHeight(s.jet, s.away);
      across[i] = k;
      largest[s.side] = Math.max(largest[s.side], Math.abs(k));
    });
    let flipped = 0;
    let counted = 0;
    spots.forEach((s, i) => {
      const r = reports[s.side];
      const f = closestOnSurface(surface, s.point, at[i]);
      const mine = surfaceJet(surface, f.u, f.v);
      let worse = f.distance > r.gap;
      r.gap = Math.max(r.gap, f.distance);
      if (grades[s.side] > 0 && s.normal && s.away && s.jet) {
        const flip = dot(mine.normal, s.normal) < 0 ? -1 : 1;
        const kink = angleBetween(mine.normal, scale(s.normal, flip)) / DEG;
        if (!dropped(s)) {
          worse = worse || kink > r.kink;
          r.kink = Math.max(r.kink, kink);
        }
        if (grades[s.side] > 1 && !dropped(s)) {
          const own = normalCurvature(mine, s.away) * (dot(mine.normal, s.jet.normal) < 0 ? -1 : 1);
          const step = Math.abs(own - across[i]) / Math.max(Math.abs(own), Math.abs(across[i]), 0.1 * largest[s.side]);
          r.step = Math.max(r.step, step);
          const floor = 1 / (o.size ?? Math.max(1, wide));
          r.percent = Math.max(r.percent, (200 * Math.abs(own - across[i])) / Math.max(Math.abs(own) + Math.abs(across[i]), floor));
        }
        counted++;
        // a patch that lies on the wrong side turns its normals over along a part of the rim
        if (flip < 0) flipped++;
      }
      if (worse) r.worst = s.point;
    });
    const mixed = counted > 0 && flipped > 0.1 * counted && flipped < 0.9 * counted;
    return { reports, mixed };
  };
  const spotCounts = (n: number) => sides.map(() => n);
  const chart = (spots: readonly Spot[]): { rim: (RimSample | undefined)[] } => {
    let near: readonly [number, number] | undefined;
    return {
      rim: spots.map((s) => {
        const r = rimSample(s, over, grades[s.side], dropped(s), near, out);
        if (r) near = [r.x, r.y];
        return r;
      }),
    };
  };
  const counts = o.counts ?? [14, 20, 26, 34];
  const smooth = grades.some((g) => g > 0);
  let best: (Omit<PatchResult, 'ring' | 'grades' | 'corners' | 'tilt'> & { score: number }) | undefined;
  let stalled = 0;
  const finish = (
    surface: NurbsSurface,
    check: readonly Spot[],
    places: readonly (readonly [number, number])[],
    kind: PatchResult['base'],
  ) => {
    const { reports, mixed } = measure(surface, check, places);
    if (mixed) return undefined;
    const worst = {
      gap: Math.max(...reports.map((r) => r.gap)),
      kink: Math.max(...reports.map((r) => r.kink)),
      step: Math.max(...reports.map((r) => r.step)),
    };
    const innerMiss = inner.reduce((m, p) => Math.max(m, closestOnSurface(surface, p).distance), 0);
    return {
      surface,
      base: kind,
      frame: over.frame,
      image: image(surface),
      sides: reports,
      ...worst,
      innerMiss,
      score: Math.max(worst.gap / o.target.gap, worst.kink / o.target.kink, worst.step / o.target.step),
    };
  };
  for (const K of counts) {
    const per = Math.max(60, 4 * K);
    const spots = spotsOf(sides, ring, spotCounts(per), 0);
    const { rim } = chart(spots);
    if (rim.some((r) => !r)) return undefined;
    const list = rim as RimSample[];
    const polygon = list.map((r): [number, number] => [r.x, r.y]);
    const check = spotsOf(sides, ring, spotCounts(per - 7), 0.37);
    const checkAt = chart(check).rim.map((r, i): [number, number] => (r ? [r.x, r.y] : polygon[i % polygon.length]));
    if (over.quadric && !inner.length) {
      const exact = quadricSurface(over.quadric.q, over.quadric.R, polygon);
      const r = finish(exact, check, checkAt, 'quadric');
      if (r && r.score <= 1) return r;
    }
    const places = inner.flatMap((p) => {
      const near = nearestOf(polygon, spots, p);
      const q = base.inverse(p, near);
      return q ? [{ x: q[0], y: q[1], z: q[2] }] : [];
    });
    const field = solvePatch({
      base,
      count: K,
      polygon,
      rim: list,
      inner: places,
      // over a plane the rim holds the crown by itself
      taut: Math.max(0, (o.taut ?? 1) - (base.kind === 'plane' ? 1 : 0)),
      bending: !smooth,
    });
    if (!field) continue;
    const surface = surfaceOver(field, over);
    const r = finish(surface, check, checkAt, base.kind);
    if (!r) continue;
    const before = best?.score ?? Infinity;
    if (!best || r.score < best.score) best = r;
    // more points that do not help twice will not help a third time
    stalled = r.score > 0.75 * before ? stalled + 1 : 0;
    if (r.score <= 1 || stalled >= 2) break;
  }
  return best;
}
/** Chart coordinates of the rim's middle drawn towards p: where Newton begins for a place inside. */
function nearestOf(polygon: readonly (readonly [number, number])[], spots: readonly Spot[], p: Vec3): readonly [number, number] {
  let [x, y, w] = [0, 0, 0];
  spots.forEach((s, i) => {
    const f = 1 / (distance(s.point, p) ** 3 + 1e-9);
    x += f * polygon[i][0];
    y += f * polygon[i][1];
    w += f;
  });
  return [x / w, y / w];
}
/** The quadric itself over the rectangle of the rim: three by three points, exact. */
function quadricSurface(q: Quadric, R: number, polygon: readonly (readonly [number, number])[]): NurbsSurface {
  const [x0, x1, y0, y1] = polygon.reduce(
    (r, p) => [Math.min(r[0], p[0]), Math.max(r[1], p[0]), Math.min(r[2], p[1]), Math.max(r[3], p[1])],
    [Infinity, -Infinity, Infinity, -Infinity],
  );
  const pad = 0.01 * Math.max(x1 - x0, y1 - y0);
  const knots = (a: number, b: number) => Float64Array.of(a - pad, a - pad, a - pad, b + pad, b + pad, b + pad);
  const [kx, ky] = [knots(x0, x1), knots(y0, y1)];
  const [gx, gy] = [greville(kx, 2), greville(ky, 2)];
  const k = 1 / (4 * R * R);
  const values = new Float64Array(9 * 4);
  gx.forEach((x, i) => {
    gy.forEach((y, j) => {
      const rho = (x * x + y * y) * k;
      const s = [x / R, y / R, 1 - rho];
      const w = 1 + rho;
      for (let d = 0; d < 3; d++)
        values[4 * (3 * i + j) + d] = q.centre[d] * w + q.axes[0][d] * s[0] + q.axes[1][d] * s[1] + q.axes[2][d] * s[2];
      values[4 * (3 * i + j) + 3] = w;
    });
  });
  return inSpace(2, kx, ky, values, true);
}
/** The tensor surface through values (rows of 4, homogeneous) at the Greville places of its knots. */
function inSpace(degree: number, kx: Float64Array, ky: Float64Array, values: Float64Array, rational: boolean): NurbsSurface {
  const [nx, ny] = [kx.length - degree - 1, ky.length - degree - 1];
  const first = interpolateInSpace(degree, kx, greville(kx, degree), values, ny * 4);
  if (!first) throw new Error('a patch cannot be interpolated');
  // the other direction, row by row
  const turned = new Float64Array(nx * ny * 4);
  for (let i = 0; i < nx; i++)
    for (let j = 0; j < ny; j++) turned.set(first.data.subarray(4 * (i * ny + j), 4 * (i * ny + j) + 4), 4 * (j * nx + i));
  const second = interpolateInSpace(degree, ky, greville(ky, degree), turned, nx * 4);
  if (!second) throw new Error('a patch cannot be interpolated');
  const control = new Float64Array(nx * ny * 4);
  for (let j = 0; j < ny; j++)
    for (let i = 0; i < nx; i++) control.set(second.data.subarray(4 * (j * nx + i), 4 * (j * nx + i) + 4), 4 * (i * ny + j));
  if (!rational) for (let i = 3; i < control.length; i += 4) control[i] = 1;
  return { degreeU: degree, degreeV: degree, knotsU: kx, knotsV: ky, countU: nx, countV: ny, control, rational };
}
/** The patch as one surface: exact over a plane, else interpolated (in homogeneous coordinates over a ball) on the heights' own knots. */
function surfaceOver(f: HeightField, over: Over): NurbsSurface {
  const p = PATCH_DEGREE;
  const one = new Float64Array(60);
  const at = (kx: Float64Array, ky: Float64Array) => {
    const [gx, gy] = [greville(kx, p), greville(ky, p)];
    const values = new Float64Array(gx.length * gy.length * 4);
    gx.forEach((x, i) => {
      gy.forEach((y, j) => {
        over.base.at(x, y, one);
        const h = heightOf(f, x, y);
        const w = over.base.weight(x, y);
        const k = 4 * (i * gy.length + j);
        for (let d = 0; d < 3; d++) values[k + d] = w * (one[d] + h * one[30 + d]);
        values[k + 3] = w;
      });
    });
    return inSpace(p, kx, ky, values, over.base.rational);
  };
  if (over.frame) {
    // linear in x and y: the control points themselves
    const fr = over.frame;
    const [gx, gy] = [greville(f.knotsX, p), greville(f.knotsY, p)];
    const control = new Float64Array(f.count * f.count * 4);
    gx.forEach((x, i) => {
      gy.forEach((y, j) => {
        const k = i * f.count + j;
        for (let d = 0; d < 3; d++) control[4 * k + d] = fr.origin[d] + x * fr.x[d] + y * fr.y[d] + f.h[k] * fr.z[d];
        control[4 * k + 3] = 1;
      });
    });
    return { degreeU: p, degreeV: p, knotsU: f.knotsX, knotsV: f.knotsY, countU: f.count, countV: f.count, control, rational: false };
  }
  return at(f.knotsX, f.knotsY);
}

/** The image of an edge curve in the patch: exact over a plane, else fitted to the feet of the curve. */
export function patchImage(
  r: PatchResult,
  curve: NurbsCurve,
  turn?: EdgeUse['pcurve']['turn'],
  range?: readonly [number, number],
): EdgeUse['pcurve'] {
  if (r.frame) return { curve: curveInFrame(curve, r.frame), turn };
  const [a, b] = range ?? [curve.knots[curve.degree], curve.knots[curve.knots.length - curve.degree - 1]];
  let near: readonly [number, number] | undefined;
  const known = new Map<number, readonly [number, number]>();
  const fit = fitFunction(
    (t, out) => {
      // begin at the nearest place known
      let best: number | undefined;
      for (const k of known.keys()) if (best === undefined || Math.abs(k - t) < Math.abs(best - t)) best = k;
      near = best === undefined ? undefined : known.get(best);
      const q = r.image(tracePoint({ curve, turn }, t), near);
      known.set(t, q);
      out[0] = q[0];
      out[1] = q[1];
      out[2] = 0;
    },
    a,
    b,
    3,
    5,
    1e-7 * Math.max(1e-3, r.surface.knotsU[r.surface.knotsU.length - 1] - r.surface.knotsU[0]),
    [],
    60,
  );
  const c = curveOfFit(fit, 5);
  const n = c.control.length / 4;
  return {
    curve: makeCurve(
      5,
      Array.from({ length: n }, (_, i) => [c.control[4 * i], c.control[4 * i + 1]]),
      c.knots,
    ),
  };
}

/** Fills the closed rim chain of the builder's faces with a patch and joins it to them. */
export function patchRim(
  k: BodyBuilder,
  chain: readonly number[],
  name: string,
  grade: PatchGrade | ((edge: number) => PatchGrade),
  target: PatchOptions['target'] = { gap: 0.001, kink: 0.05, step: 0.02 },
  more: Omit<PatchOptions, 'target'> = {},
): PatchOutcome {
  const ordered = orderChain(chain, k.edges);
  if (!ordered) return { ok: false, message: 'the rim is not one closed chain' };
  const body: Body = { vertices: k.vertices, edges: k.edges, faces: k.faces, shells: [], solids: [] };
  const { uses } = topologyOf({ ...body });
  const sides = ordered.map((x): PatchSide => {
    const ref = uses[x.edge][0];
    const border = new Border([ref ? { body, edge: x.edge, part: [0, 1], side: 0 } : { curve: k.edges[x.edge].curve }]);
    return { border, grade: typeof grade === 'number' ? grade : grade(x.edge) };
  });
  const r = patchOpening(sides, { target, ...more });
  if (!r.ok) return r;
  const face = patchFace(k, r.result, (side) => ordered[side].edge, name);
  const own = face.loops[0][0];
  const first = uses[own.edge][0];
  // outside goes on over the seam: both run the edge against each other
  const reversed = first ? (first.use.reversed !== k.faces[first.face].reversed) === own.reversed : false;
  k.faces.push({ ...face, reversed });
  for (const u of face.loops[0]) k.edges[u.edge] = withinFace(k.edges[u.edge], face, u);
  return r;
}
/** The edge with a tolerance that holds its image in the face. */
export function withinFace(e: Edge, f: Face, u: EdgeUse): Edge {
  let most = 0;
  for (let i = 0; i <= 96; i++) {
    const t = e.range[0] + ((e.range[1] - e.range[0]) * i) / 96;
    most = Math.max(most, distance(tracePoint(e, t), usePoint(f, u, t)));
  }
  return { ...e, tolerance: Math.max(e.tolerance, 1.3 * most) };
}
/** The patch as a face over edges that stand in the builder: one for each side. */
export function patchFace(k: BodyBuilder, r: PatchResult, edgeOf: (side: number) => number, name: string): Face {
  const loop = r.ring.map(({ side, reversed }): EdgeUse => {
    const edge = edgeOf(side);
    const e = k.edges[edge];
    return { edge, reversed, pcurve: patchImage(r, e.curve, e.turn, e.range) };
  });
  const anti = loopArea(loop, k.edges) > 0;
  return {
    surface: r.surface,
    loops: [anti ? loop : [...loop].reverse().map((u) => ({ ...u, reversed: !u.reversed }))],
    reversed: false,
    name,
    tolerance: Math.max(1e-7, r.gap),
  };
}
