import {
  type Body,
  type BodyBuilder,
  Border,
  curvatureHeight,
  type Edge,
  type EdgeUse,
  type Face,
  loopArea,
  orderChain,
  topologyOf,
  tracePoint,
  usePoint,
} from '../brep/index.ts';
import { angleBetween, DEG, distance, dot, type Frame, scale, type Vec3 } from '../math/index.ts';
import {
  closestOnSurface,
  curveInFrame,
  curveOfFit,
  fitFunction,
  makeCurve,
  type NurbsCurve,
  type NurbsSurface,
  normalCurvature,
  surfaceJet,
} from '../nurbs/index.ts';
import type { Base } from './patch-base.ts';
import { candidates, type Over, rimSample } from './patch-charts.ts';
import { type ExactShape, straightShape } from './patch-exact.ts';
import {
  cornerClashes,
  lidInstead,
  type PatchCorner,
  type PatchGrade,
  type PatchSide,
  ringOf,
  type Spot,
  spotsOf,
  tiltOf,
} from './patch-rim.ts';
import { type HeightField, type RimSample, solvePatch } from './patch-solve.ts';
import { surfaceOver } from './patch-surface.ts';

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
  const judge = new Judge(sides, grades, corners.drop, inner, o);
  const straight =
    smooth && !o.base && !inner.length ? straightShape(spots.map((s) => (grades[s.side] ? s : { ...s, normal: undefined }))) : undefined;
  let best: Solved | undefined = straight && exactOver(sides, way, straight, judge);
  const reasons: { message: string; place?: Vec3 }[] = [];
  for (const candidate of best ? [] : candidates(spots, tilt, smooth, o.base)) {
    const made = candidate.make();
    if (!made) continue;
    if ('message' in made) {
      reasons.push(made);
      continue;
    }
    const r = solveOver(made, sides, way, grades, judge, inner, o);
    if (!r) continue;
    if (!best || r.score < best.score) best = r;
    if (r.score <= 1) break;
  }
  if (best) return { ok: true, result: { ...best, ring: way, grades, corners: corners.list, tilt: tilt.degrees } };
  const first = reasons[0] ?? { message: 'the opening could not be filled: divide it with a curve first' };
  return { ok: false, ...first };
}

type Solved = Omit<PatchResult, 'ring' | 'grades' | 'corners' | 'tilt'> & { readonly score: number };
/** Measures finished surfaces against the sides: worst of each side, and of all in shares of what is wanted. */
class Judge {
  constructor(
    private readonly sides: readonly PatchSide[],
    private readonly grades: readonly PatchGrade[],
    private readonly drop: readonly { side: number; atEnd: boolean }[],
    private readonly inner: readonly Vec3[],
    private readonly o: PatchOptions,
  ) {}
  /** Spots near a corner that contradicts itself. */
  dropped(s: Spot): boolean {
    return this.drop.some((d) => d.side === s.side && (d.atEnd ? s.share > 0.95 : s.share < 0.05));
  }
  of(
    surface: NurbsSurface,
    spots: readonly Spot[],
    at: readonly (readonly [number, number])[],
    built: { readonly kind: PatchResult['base']; readonly frame?: Frame; readonly inverse: Inverse },
  ): Solved | undefined {
    const { reports, mixed } = this.#measure(surface, spots, at);
    if (mixed) return undefined;
    const worst = {
      gap: Math.max(...reports.map((r) => r.gap)),
      kink: Math.max(...reports.map((r) => r.kink)),
      step: Math.max(...reports.map((r) => r.step)),
    };
    const { target } = this.o;
    return {
      surface,
      base: built.kind,
      frame: built.frame,
      image: (p, near) => {
        const f = closestOnSurface(surface, p, built.inverse(p, near) ?? near ?? [0, 0]);
        return [f.u, f.v];
      },
      sides: reports,
      ...worst,
      innerMiss: this.inner.reduce((m, p) => Math.max(m, closestOnSurface(surface, p).distance), 0),
      score: Math.max(worst.gap / target.gap, worst.kink / target.kink, worst.step / target.step),
    };
  }
  #measure(surface: NurbsSurface, spots: readonly Spot[], at: readonly (readonly [number, number])[]) {
    const { sides, grades, o } = this;
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
        if (!this.dropped(s)) {
          worse = worse || kink > r.kink;
          r.kink = Math.max(r.kink, kink);
        }
        if (grades[s.side] > 1 && !this.dropped(s)) {
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
  }
}
type Inverse = (p: Vec3, near?: readonly [number, number]) => readonly [number, number] | undefined;

/** The shape all neighbours lie on, when it meets every side. */
function exactOver(
  sides: readonly PatchSide[],
  ring: readonly { side: number; reversed: boolean }[],
  shape: ExactShape,
  judge: Judge,
): Solved | undefined {
  const check = spotsOf(
    sides,
    ring,
    sides.map(() => 53),
    0.37,
  );
  const at = check.map((s) => shape.inverse(s.point));
  if (at.some((q) => !q)) return undefined;
  const r = judge.of(shape.surface, check, at as (readonly [number, number])[], { ...shape, kind: 'quadric' });
  return r && r.score <= 1 ? r : undefined;
}
/** Solves over one base with more and more points, and measures the finished surface. */
function solveOver(
  over: Over,
  sides: readonly PatchSide[],
  ring: readonly { side: number; reversed: boolean }[],
  grades: readonly PatchGrade[],
  judge: Judge,
  inner: readonly Vec3[],
  o: PatchOptions,
): Solved | undefined {
  const { base } = over;
  const out = new Float64Array(60);
  const inverse: Inverse = (p, near) => {
    const q = base.inverse(p, near);
    return q && [q[0], q[1]];
  };
  const spotCounts = (n: number) => sides.map(() => n);
  const chart = (spots: readonly Spot[]): { rim: (RimSample | undefined)[] } => {
    let near: readonly [number, number] | undefined;
    return {
      rim: spots.map((s) => {
        const r = rimSample(s, over, grades[s.side], judge.dropped(s), near, out);
        if (r) near = [r.x, r.y];
        return r;
      }),
    };
  };
  const counts = o.counts ?? [8, 11, 14, 20, 26, 34];
  const smooth = grades.some((g) => g > 0);
  let best: Solved | undefined;
  let before: HeightField | undefined;
  let stalled = 0;
  if (over.exact && !inner.length) {
    const r = exactOver(sides, ring, over.exact(chart(spotsOf(sides, ring, spotCounts(60), 0)).rim), judge);
    if (r) return r;
  }
  for (const K of counts) {
    const per = Math.max(60, 4 * K);
    const spots = spotsOf(sides, ring, spotCounts(per), 0);
    const { rim } = chart(spots);
    if (rim.some((r) => !r)) return undefined;
    const list = rim as RimSample[];
    const polygon = list.map((r): [number, number] => [r.x, r.y]);
    const check = spotsOf(sides, ring, spotCounts(per - 7), 0.37);
    const checkAt = chart(check).rim.map((r, i): [number, number] => (r ? [r.x, r.y] : polygon[i % polygon.length]));
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
      from: before,
    });
    if (!field) continue;
    if (field.settled) before = field;
    const surface = surfaceOver(field, over);
    const r = judge.of(surface, check, checkAt, { kind: base.kind, frame: over.frame, inverse });
    if (!r) continue;
    const earlier = best?.score ?? Infinity;
    if (!best || r.score < best.score) best = r;
    // more points that do not help twice will not help a third time
    stalled = K > 14 && r.score > 0.75 * earlier ? stalled + 1 : 0;
    // few points are enough when they are well within
    const few = K < 14 && counts.some((k) => k > K);
    if (few ? r.score <= 0.5 && r.kink <= 0.2 * o.target.kink : r.score <= 1 || stalled >= 2) break;
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
