import { curvatureHeight, flowHeight, type NeighbourJet } from '../brep/index.ts';
import { add, angleBetween, cross, DEG, distance, dot, type Frame, length, scale, sub, unit, type Vec3 } from '../math/index.ts';
import {
  basisDerivatives,
  curvatureOf,
  elevateSurface,
  evaluateNet,
  findSpan,
  insertSurfaceKnots,
  isClosedV,
  knotRuns,
  lengthTable,
  multiplicityOf,
  type Net,
  type NurbsCurve,
  type NurbsSurface,
  normalCurvature,
  pointAt,
  RowFit,
  remapSurface,
  surfaceJet,
} from '../nurbs/index.ts';
import { alignClosed, alignOpen } from './align.ts';
import type { BlendAims, BlendGrade } from './blend-run.ts';
import { type Side, sideFirst } from './match-side.ts';

/** What a border is brought to: a chain of edges with faces behind it (`Border`), a curve, the mean of two borders, a mirror plane. */
export interface MatchTarget {
  readonly closed: boolean;
  /** By share of its length. */
  place(share: number): { readonly point: Vec3; readonly tangent: Vec3 };
  jet?(share: number, near?: Vec3): NeighbourJet;
  nearest?(p: Vec3): number;
  breaks?(): readonly { readonly share: number; readonly order: number }[];
}
export interface MatchOptions {
  readonly grade: BlendGrade;
  readonly aim: BlendAims;
  /** Rows at the far side that must stay as they are. */
  readonly keepFar: number;
  /** Rows behind the border that give way when it moves; all that may when left out. */
  readonly giveWay?: number;
  /** Share of the border's own length that is matched; what is beyond fades back within a sixth of the length. */
  readonly part: readonly [number, number];
  /** Ends meet ends, or each place its nearest one. */
  readonly along: 'ends' | 'nearest';
  readonly flip?: boolean;
  readonly most?: number;
}
export interface MatchResult {
  readonly surface: NurbsSurface;
  /** Rows of control points that moved, counted from the border, of how many. */
  readonly rows: number;
  readonly of: number;
  readonly moved: number;
  /** Largest change of the skin's own principal curvatures beside the rows that hold the condition, 1/mm, and where. */
  readonly bent: number;
  readonly bentAt: Vec3;
  /** Largest principal curvature before. */
  readonly before: number;
  readonly rounds: number;
}
const FREE = 1e-5;

/** Lines a border up with its target: how shares of the one go to shares of the other. */
export function lineUpWith(border: NurbsCurve, closed: boolean, target: MatchTarget, o: Pick<MatchOptions, 'along' | 'flip' | 'part'>) {
  const table = lengthTable(border);
  const share = (t: number) =>
    t <= border.knots[0] ? 0 : t >= border.knots[border.knots.length - 1] ? 1 : table.lengthAt(t) / table.total;
  const N = 96;
  const own = Array.from({ length: closed ? N : N + 1 }, (_, i) => pointAt(border, table.near((table.total * i) / N)));
  if (o.along === 'nearest' && target.nearest) {
    const { nearest } = target;
    return { share, to: (t: number) => nearest.call(target, pointAt(border, t)), reversed: false };
  }
  const theirs = own.map((_, i) => target.place(i / N).point);
  const auto = (closed ? alignClosed([own, theirs]) : alignOpen([own, theirs]))[1];
  const reversed = o.flip ? !auto.reversed : auto.reversed;
  const [a, b] = o.part;
  return {
    share,
    reversed,
    to: (t: number) => {
      let s = share(t);
      if (!closed) s = Math.min(1, Math.max(0, (s - a) / (b - a)));
      const x = (closed ? auto.start : reversed ? 1 : 0) + (reversed ? -s : s);
      return closed ? x - Math.floor(x) : x;
    },
  };
}

/**
 * Brings one side of a polynomial surface to a target: position, tangent plane, curvature, its change. The border row is fitted to the
 * target, rows behind it give way by less and less so that the far side stays; of the derivatives behind it only the part along the
 * target's normal changes. Knots are added along the border where the seam misses. Lengths in mm.
 */
export function matchTo(given: NurbsSurface, side: Side, target: MatchTarget, o: MatchOptions): MatchResult {
  const turned = sideFirst(given, side);
  let s = elevateSurface(
    turned.surface,
    Math.max(0, Math.max(o.grade + 1, 2) - turned.surface.degreeU),
    Math.max(0, 3 - turned.surface.degreeV),
  );
  const ranges = [s.knotsU[0], s.knotsU[s.knotsU.length - 1], s.knotsV[0], s.knotsV[s.knotsV.length - 1]] as const;
  s = remapSurface(s, 0, 1, 0, 1);
  while (s.countU < o.grade + 1 + o.keepFar + 1) {
    const { values } = knotRuns(s.knotsU, s.degreeU);
    let w = 0;
    for (let i = 1; i + 1 < values.length; i++) if (values[i + 1] - values[i] > values[w + 1] - values[w]) w = i;
    s = insertSurfaceKnots(s, [(values[w] + values[w + 1]) / 2], []);
  }
  const original = s;
  const border: NurbsCurve = {
    dim: 3,
    degree: s.degreeV,
    knots: s.knotsV,
    control: s.control.slice(0, 4 * s.countV),
    rational: false,
  };
  const closed = isClosedV(s, 1e-6) && target.closed && o.part[0] <= 0 && o.part[1] >= 1;
  const line = lineUpWith(border, closed, target, o);
  const task = { line, closed, target, o };
  let best: { s: NurbsSurface; worst: number; rounds: number } | undefined;
  let base = seeded(s, task);
  // a basis that repeats needs some knots of its own
  if (closed) for (let i = 1; base.countV < 2 * base.degreeV + 3; i++) base = insertSurfaceKnots(base, [], [(i * 0.618034) % 1]);
  for (let round = 0; round < 9; round++) {
    const laid = lay(base, task);
    if (!laid) break;
    const { worst, spans } = missed(laid, task);
    if (!best || worst < best.worst) best = { s: laid, worst, rounds: round };
    if (worst <= 1 || !spans.length || base.countV + spans.length > (o.most ?? 160)) break;
    base = insertSurfaceKnots(base, [], spans);
  }
  const found = best?.s ?? original;
  // what changed: rows, and the skin's own curvature away from the rows that hold the condition
  const before = insertMissing(original, found);
  const stride = 4 * found.countV;
  let rows = 0;
  let moved = 0;
  for (let i = 0; i < found.countU; i++)
    for (let k = 0; k < found.countV; k++) {
      const c = i * stride + 4 * k;
      const d = Math.hypot(...[0, 1, 2].map((x) => found.control[c + x] - before.control[c + x]));
      if (d > 1e-6) rows = Math.max(rows, i + 1);
      moved = Math.max(moved, d);
    }
  const bend = bending(original, found);
  const out = remapSurface(found, ...ranges);
  return { surface: turned.back(out), rows, of: found.countU, moved, ...bend, rounds: best?.rounds ?? 0 };
}
type Task = {
  readonly line: ReturnType<typeof lineUpWith>;
  readonly closed: boolean;
  readonly target: MatchTarget;
  readonly o: MatchOptions;
};

/** Knots where the target's faces change their smoothness. */
function seeded(s: NurbsSurface, { line, target }: Task): NurbsSurface {
  const add: number[] = [];
  for (const b of target.breaks?.() ?? []) {
    if (b.order >= s.degreeV) continue;
    let before = line.to(0) - b.share;
    for (let i = 1; i <= 64; i++) {
      const now = line.to(i / 64) - b.share;
      if (before * now <= 0 && Math.abs(now - before) < 0.5 && before !== now) {
        let [low, high] = [(i - 1) / 64, i / 64];
        for (let k = 0; k < 50; k++) {
          const m = (low + high) / 2;
          if ((line.to(m) - b.share) * before > 0) low = m;
          else high = m;
        }
        const t = (low + high) / 2;
        const { values } = knotRuns(s.knotsV, s.degreeV);
        if (values.every((v) => Math.abs(v - t) > 0.006) && add.every((v) => Math.abs(v - t) > 0.006)) add.push(t);
        break;
      }
      before = now;
    }
  }
  return add.length ? insertSurfaceKnots(s, [], add) : s;
}
/** One outside the part that is matched, falling to none. */
function windowed(o: MatchOptions, share: number): number {
  const [a, b] = o.part;
  const fade = 1 / 6;
  const x = share < a ? (a - share) / fade : share > b ? (share - b) / fade : 0;
  return x <= 0 ? 1 : x >= 1 ? 0 : 1 - x ** 3 * (10 - 15 * x + 6 * x * x);
}
const three = new Float64Array(4);
const pointOf = (n: Net, t: number): Vec3 => {
  evaluateNet(n, t, three);
  return [three[0], three[1], three[2]];
};

function lay(s: NurbsSurface, task: Task): NurbsSurface | undefined {
  const { line, target, closed, o } = task;
  const p = s.degreeV;
  const stride = 4 * s.countV;
  const { values, multiplicities } = knotRuns(s.knotsV, p);
  const inner = values.slice(1, -1).map((t, i) => ({ t, multiplicity: Math.min(p, multiplicities[i + 1]) }));
  if (closed) {
    inner.unshift({ t: 0, multiplicity: 1 });
  }
  const per = p + 3;
  const cells = closed ? [...inner.map((b) => b.t), inner[0].t + 1] : [0, ...inner.map((b) => b.t), 1];
  const ts: { t: number; width: number }[] = [];
  for (let i = 0; i + 1 < cells.length; i++)
    for (let k = 0; k < per; k++) {
      const t = cells[i] + ((cells[i + 1] - cells[i]) * (1 - Math.cos((Math.PI * (k + 0.5)) / per))) / 2;
      ts.push({ t: closed ? t - Math.floor(t) : t, width: cells[i + 1] - cells[i] });
    }
  const net = (data: Float64Array): Net => ({ degree: p, knots: s.knotsV, data, stride: 4 });
  const rows = Array.from({ length: s.countU }, (_, i) => s.control.slice(i * stride, (i + 1) * stride));
  /** Adds a fitted displacement to a row; in a closed border the displacement may bring knots of its own, which its rows do not have. */
  const solve = (ask: (f: RowFit) => void): Float64Array | undefined => {
    const f = new RowFit(p, inner, closed);
    ask(f);
    const r = f.solve();
    if (!r) return undefined;
    if (r.data.length === stride) return r.data;
    return undefined;
  };
  const total = distanceAlong(values, net(rows[0]));
  const window = ts.map(({ t }) => windowed(o, line.share(t)));
  // the border itself
  const before = net(rows[0]);
  const normalAt = (t: number, near?: Vec3): NeighbourJet | undefined => target.jet?.(line.to(t), near);
  const endShift = (e: number) => scale(sub(target.place(line.to(e)).point, pointOf(before, e)), windowed(o, line.share(e)));
  const shift = solve((f) => {
    ts.forEach(({ t, width }, i) => {
      const now = pointOf(before, t);
      const goal = target.place(line.to(t)).point;
      f.point(t, scale(sub(goal, now), window[i]), 1);
      const j = o.grade > 0 && window[i] === 1 ? normalAt(t) : undefined;
      if (j) {
        const h = Math.min(3, 0.5 * width * total) / total;
        f.ask(t, 1, j.normal, -dot(j.normal, slope(before, t)), h * h);
      }
    });
    if (!closed) for (const e of [0, 1]) f.point(e, endShift(e), 1e6);
  });
  if (!shift) return undefined;
  if (!closed) for (const e of [0, 1]) shift.set(endShift(e), e ? stride - 4 : 0);
  const last = s.countU - 1 - (o.keepFar > 0 ? o.keepFar - 1 : 0);
  const reach = Math.min(last, Math.max(o.grade + 1, o.giveWay ?? last));
  for (let i = 0; i < s.countU; i++) {
    const x = Math.min(1, i / reach);
    const h = 1 - x * x * (3 - 2 * x);
    if (h <= 0) continue;
    for (let k = 0; k < stride; k++) if (k % 4 < 3) rows[i][k] += h * shift[k];
  }
  if (o.grade === 0 || !target.jet) return { ...s, control: joined(rows) };
  const span = findSpan(s.knotsU, s.degreeU, 0);
  const b = new Float64Array(4 * (s.degreeU + 1));
  basisDerivatives(s.knotsU, s.degreeU, span, 0, o.grade, b);
  const c = (k: number, j: number) => b[k * (s.degreeU + 1) + j];
  const derivative = (k: number): Net => {
    const out = new Float64Array(stride);
    for (let j = 0; j <= k; j++) for (let i = 0; i < stride; i++) out[i] += c(k, j) * rows[j][i];
    return net(out);
  };
  const feet = ts.map(({ t }) => normalAt(t, pointOf(net(rows[0]), t)) as NeighbourJet);
  for (let k = 1; k <= o.grade; k++) {
    const now = derivative(k);
    const [d1, d2] = [k > 1 ? derivative(1) : undefined, k > 2 ? derivative(2) : undefined];
    const change = solve((f) => {
      ts.forEach(({ t }, i) => {
        const j = feet[i];
        const d = pointOf(now, t);
        const flat = d1 && pointOf(d1, t);
        const in1 = flat && sub(flat, scale(j.normal, dot(flat, j.normal)));
        const height = k === 1 ? 0 : k === 2 ? curvatureHeight(j, in1 as Vec3) : flowHeight(j, in1 as Vec3, pointOf(d2 as Net, t));
        const x = unit(cross(j.normal, Math.abs(j.normal[0]) < 0.8 ? [1, 0, 0] : [0, 1, 0]));
        f.ask(t, 0, j.normal, window[i] * (height - dot(d, j.normal)), 1);
        f.ask(t, 0, x, 0, FREE);
        f.ask(t, 0, cross(j.normal, x), 0, FREE);
      });
    });
    if (!change) return undefined;
    for (let i = 0; i < stride; i++) if (i % 4 < 3) rows[k][i] += change[i] / c(k, k);
  }
  return { ...s, control: joined(rows) };
}
const slope = (n: Net, t: number): Vec3 => {
  const h = 1e-6;
  const [a, b] = [Math.max(0, t - h), Math.min(1, t + h)];
  return scale(sub(pointOf(n, b), pointOf(n, a)), 1 / (b - a));
};
const distanceAlong = (values: readonly number[], n: Net): number => {
  let l = 0;
  for (let i = 0; i + 1 < values.length; i++)
    for (let k = 0; k < 4; k++) {
      const w = (values[i + 1] - values[i]) / 4;
      l += distance(pointOf(n, values[i] + k * w), pointOf(n, values[i] + (k + 1) * w));
    }
  return l || 1;
};
const joined = (rows: readonly Float64Array[]): Float64Array => {
  const out = new Float64Array(rows.length * rows[0].length);
  rows.forEach((r, i) => {
    out.set(r, i * r.length);
  });
  return out;
};

/** Largest miss as a share of what is aimed at, and the middles of the spans in which it is too large. */
function missed(s: NurbsSurface, { line, target, o }: Task): { worst: number; spans: number[] } {
  const { values } = knotRuns(s.knotsV, s.degreeV);
  const spans: number[] = [];
  let worst = 0;
  for (let i = 0; i + 1 < values.length; i++) {
    let miss = 0;
    for (const x of [0.03, 0.16, 0.33, 0.5, 0.67, 0.84, 0.97]) {
      const t = values[i] + (values[i + 1] - values[i]) * x;
      if (windowed(o, line.share(t)) < 1) continue;
      const mine = surfaceJet(s, 0, t);
      const place = target.place(line.to(t));
      const d = sub(mine.point, place.point);
      miss = Math.max(miss, length(sub(d, scale(place.tangent, dot(d, place.tangent)))) / o.aim.gap);
      const j = o.grade > 0 ? target.jet?.(line.to(t), mine.point) : undefined;
      if (!j) continue;
      const flip = dot(mine.normal, j.normal) < 0 ? -1 : 1;
      miss = Math.max(miss, angleBetween(mine.normal, scale(j.normal, flip)) / DEG / o.aim.kink);
      if (o.grade < 2) continue;
      const across = unit(cross(mine.normal, mine.v));
      const flat = unit(sub(across, scale(j.normal, dot(across, j.normal))));
      const [own, theirs] = [flip * normalCurvature(mine, across), curvatureHeight(j, flat)];
      miss = Math.max(miss, (200 * Math.abs(own - theirs)) / Math.max(Math.abs(own) + Math.abs(theirs), 0.01) / o.aim.step);
    }
    worst = Math.max(worst, miss);
    if (miss > 0.7 && values[i + 1] - values[i] > 1e-3) spans.push((values[i] + values[i + 1]) / 2);
  }
  return { worst, spans };
}
/** The surface with the knots along that another one has more. */
function insertMissing(s: NurbsSurface, like: NurbsSurface): NurbsSurface {
  const add: number[] = [];
  const { values, multiplicities } = knotRuns(like.knotsV, like.degreeV);
  values.slice(1, -1).forEach((t, i) => {
    for (let k = multiplicityOf(s.knotsV, t); k < multiplicities[i + 1]; k++) add.push(t);
  });
  return add.length ? insertSurfaceKnots(s, [], add) : s;
}
/** How much the principal curvatures changed, beyond a twentieth of the way in. */
function bending(a: NurbsSurface, b: NurbsSurface): { bent: number; bentAt: Vec3; before: number } {
  let [bent, before] = [0, 0];
  let bentAt: Vec3 = surfaceJet(b, 0, 0.5).point;
  for (let i = 1; i <= 20; i++)
    for (let k = 0; k <= 24; k++) {
      const [x, y] = [surfaceJet(a, i / 20, k / 24), surfaceJet(b, i / 20, k / 24)];
      if (length(cross(x.u, x.v)) < 1e-12 || length(cross(y.u, y.v)) < 1e-12) continue;
      const [p, q] = [curvatureOf(x), curvatureOf(y)];
      const d = Math.max(Math.abs(p.largest - q.largest), Math.abs(p.smallest - q.smallest));
      before = Math.max(before, Math.abs(p.largest), Math.abs(p.smallest));
      if (d > bent) [bent, bentAt] = [d, y.point];
    }
  return { bent, bentAt, before };
}

/**
 * The surface brought square into a mirror plane, exactly: its border into the plane, the first row behind it straight out of it, and for G3
 * the rows behind so that the curvature does not change across. Rows behind give way by less and less.
 */
export function matchMirror(given: NurbsSurface, side: Side, plane: Frame, grade: BlendGrade, keepFar: number): MatchResult {
  const turned = sideFirst(given, side);
  let s = elevateSurface(turned.surface, Math.max(0, Math.max(2, grade === 3 ? 3 : 2) - turned.surface.degreeU), 0);
  const ranges = [s.knotsU[0], s.knotsU[s.knotsU.length - 1], s.knotsV[0], s.knotsV[s.knotsV.length - 1]] as const;
  s = remapSurface(s, 0, 1, 0, 1);
  const need = (grade === 3 ? 4 : grade >= 1 ? 2 : 1) + keepFar + 1;
  while (s.countU < need) {
    const { values } = knotRuns(s.knotsU, s.degreeU);
    s = insertSurfaceKnots(s, [(values[0] + values[1]) / 2], []);
  }
  const control = new Float64Array(s.control);
  const stride = 4 * s.countV;
  const at = (i: number, k: number): Vec3 => [
    control[i * stride + 4 * k],
    control[i * stride + 4 * k + 1],
    control[i * stride + 4 * k + 2],
  ];
  const z = plane.z;
  const last = s.countU - 1 - (keepFar > 0 ? keepFar - 1 : 0);
  /** Moves a point of row i and those behind it, less and less. */
  const give = (i: number, k: number, by: Vec3) => {
    for (let r = i; r < s.countU; r++) {
      const x = Math.min(1, (r - i) / Math.max(1, last - i));
      const h = r === i ? 1 : 1 - x * x * (3 - 2 * x);
      if (h <= 0) break;
      control.set(add(at(r, k), scale(by, h)), r * stride + 4 * k);
    }
  };
  const span = findSpan(s.knotsU, s.degreeU, 0);
  const b = new Float64Array(4 * (s.degreeU + 1));
  basisDerivatives(s.knotsU, s.degreeU, span, 0, 3, b);
  const c = (order: number, j: number) => b[order * (s.degreeU + 1) + j];
  for (let k = 0; k < s.countV; k++) {
    const p = at(0, k);
    give(0, k, scale(z, -dot(sub(p, plane.origin), z)));
    if (grade < 1) continue;
    const [p0, p1] = [at(0, k), at(1, k)];
    const d = sub(p1, p0);
    give(1, k, scale(sub(d, scale(z, dot(d, z))), -1));
    if (grade < 3) continue;
    // even across: no second derivative along the normal of the plane, no third one in it
    const second = (): Vec3 =>
      [0, 1, 2].map((x) => c(2, 0) * at(0, k)[x] + c(2, 1) * at(1, k)[x] + c(2, 2) * at(2, k)[x]) as unknown as Vec3;
    give(2, k, scale(z, -dot(second(), z) / c(2, 2)));
    const third = [0, 1, 2].map((x) => [0, 1, 2, 3].reduce((sum, j) => sum + c(3, j) * at(j, k)[x], 0)) as unknown as Vec3;
    give(3, k, scale(sub(third, scale(z, dot(third, z))), -1 / c(3, 3)));
  }
  const found = { ...s, control };
  let rows = 0;
  let moved = 0;
  for (let i = 0; i < s.countU; i++)
    for (let k = 0; k < s.countV; k++) {
      const q = i * stride + 4 * k;
      const d = Math.hypot(...[0, 1, 2].map((x) => control[q + x] - s.control[q + x]));
      if (d > 1e-12) rows = Math.max(rows, i + 1);
      moved = Math.max(moved, d);
    }
  return { surface: turned.back(remapSurface(found, ...ranges)), rows, of: s.countU, moved, ...bending(s, found), rounds: 0 };
}

/** The mean of two borders, lined up: points halfway, normals between, curvatures averaged. Both skins are brought to it. */
export function halfway(a: MatchTarget, b: MatchTarget, to: (share: number) => number): MatchTarget {
  const jet = (share: number): NeighbourJet => {
    const [p, q] = [a.jet?.(share), b.jet?.(to(share))];
    if (!p || !q) throw new Error('a border without a face has no tangent plane');
    const flip = dot(p.normal, q.normal) < 0 ? -1 : 1;
    const normal = unit(add(p.normal, scale(q.normal, flip)));
    const tangent = unit(sub(a.place(share).tangent, scale(normal, dot(a.place(share).tangent, normal))));
    const across = cross(normal, tangent);
    // second fundamental forms in the frames of each surface that are nearest to the common one
    const form = (j: NeighbourJet, sign: number) => {
      const n = j.normal;
      const t = unit(sub(tangent, scale(n, dot(tangent, n))));
      const x = unit(cross(scale(n, sign), t));
      const h = (d: Vec3) => sign * curvatureHeight(j, d);
      const [tt, xx, both] = [h(t), h(x), h(add(t, x))];
      return [tt, (both - tt - xx) / 2, xx];
    };
    const [f, g] = [form(p, 1), form(q, flip)];
    const mean = f.map((x, i) => (x + g[i]) / 2);
    const zero: Vec3 = [0, 0, 0];
    const partials = Array.from({ length: 16 }, (): Vec3 => zero);
    partials[4] = across;
    partials[1] = tangent;
    partials[8] = scale(normal, mean[2]);
    partials[5] = scale(normal, mean[1]);
    partials[2] = scale(normal, mean[0]);
    return { point: scale(add(p.point, q.point), 0.5), normal, partials, away: across, uv: [0, 0], face: 0 };
  };
  return {
    closed: a.closed && b.closed,
    place: (share) => {
      const [p, q] = [a.place(share), b.place(to(share))];
      const along = dot(p.tangent, q.tangent) < 0 ? scale(q.tangent, -1) : q.tangent;
      return { point: scale(add(p.point, q.point), 0.5), tangent: unit(add(p.tangent, along)) };
    },
    jet,
    breaks: () => a.breaks?.() ?? [],
  };
}
