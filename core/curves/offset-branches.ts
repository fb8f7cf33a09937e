import { distance, dot, type Frame, sub, type Vec3 } from '../math/index.ts';
import { closestOnCurve, curveBox, type NurbsCurve } from '../nurbs/index.ts';

/** A regular stretch of an offset, as an exact function; ends carry the numbers of the nodes that they share with neighbours. */
export interface Branch {
  readonly range: readonly [number, number];
  /** It runs round: the range repeats. */
  readonly ring: boolean;
  readonly start: number;
  readonly end: number;
  readonly at: (t: number) => Vec3;
  readonly velocity: (t: number) => Vec3;
  /** Increasing parameters from start to end, close enough that its polygon shows every crossing. */
  readonly places: readonly number[];
}
/** A stretch of a branch between two nodes. For a ring `to` may lie one turn on. */
export interface Stretch {
  readonly branch: number;
  readonly from: number;
  readonly to: number;
  readonly start: number;
  readonly end: number;
}

/** Cuts branches in one plane at every crossing of theirs, found on polygons and settled on the exact functions by Newton's method. */
export function cutAtCrossings(branches: readonly Branch[], plane: Frame, nodes: number, size: number): Stretch[] {
  const flat = (p: Vec3): readonly [number, number] => {
    const q = sub(p, plane.origin);
    return [dot(q, plane.x), dot(q, plane.y)];
  };
  const segments = branches.flatMap((b, branch) => {
    const pts = b.places.map((t) => flat(b.at(t)));
    return pts.slice(1).map((q, i) => ({ branch, i, p: pts[i], q, low: Math.min(pts[i][0], q[0]), high: Math.max(pts[i][0], q[0]) }));
  });
  segments.sort((x, y) => x.low - y.low);
  const found: { at: Vec3; cuts: [number, number][] }[] = [];
  const near = 1e-9 * size;
  const put = (m: number, t: number, n: number, s: number) => {
    const at = branches[m].at(t);
    const known = found.find((f) => distance(f.at, at) < 10 * near);
    const list: [number, number][] = [
      [m, t],
      [n, s],
    ];
    if (known) known.cuts.push(...list);
    else found.push({ at, cuts: list });
  };
  let active: typeof segments = [];
  for (const s of segments) {
    active = active.filter((a) => a.high >= s.low);
    for (const a of active) {
      const same = a.branch === s.branch;
      const last = branches[s.branch].places.length - 2;
      if (same && (Math.abs(a.i - s.i) < 2 || (branches[s.branch].ring && Math.abs(a.i - s.i) === last))) continue;
      if (!cross2(a, s)) continue;
      const [A, B] = [branches[a.branch], branches[s.branch]];
      const m = meet(A, B, [A.places[a.i], A.places[a.i + 1]], [B.places[s.i], B.places[s.i + 1]], flat, near);
      if (!m) continue;
      const [t, u] = m;
      if (same && apart(A, t, u) < 1e-7) continue;
      // neighbours meet in the node that they share
      const joint = (x: Branch, v: number) =>
        x.ring ? undefined : v <= x.range[0] + slack(x) ? x.start : v >= x.range[1] - slack(x) ? x.end : undefined;
      const [ja, jb] = [joint(A, t), joint(B, u)];
      if (ja !== undefined && ja === jb) continue;
      put(a.branch, t, s.branch, u);
    }
    active.push(s);
  }
  const out: Stretch[] = [];
  branches.forEach((b, branch) => {
    const cuts = found
      .flatMap((f, k) => f.cuts.filter(([i]) => i === branch).map(([, t]) => ({ t, node: nodes + k })))
      .sort((x, y) => x.t - y.t)
      .filter((c, i, l) => i === 0 || c.t - l[i - 1].t > 1e-3 * slack(b));
    if (b.ring) {
      const turn = b.range[1] - b.range[0];
      if (!cuts.length) out.push({ branch, from: b.range[0], to: b.range[1], start: b.start, end: b.start });
      cuts.forEach((c, i) => {
        const next = cuts[(i + 1) % cuts.length];
        out.push({ branch, from: c.t, to: i + 1 < cuts.length ? next.t : next.t + turn, start: c.node, end: next.node });
      });
      return;
    }
    const ends = [
      { t: b.range[0], node: b.start },
      ...cuts.filter((c) => c.t > b.range[0] && c.t < b.range[1]),
      { t: b.range[1], node: b.end },
    ];
    for (let i = 0; i + 1 < ends.length; i++)
      out.push({ branch, from: ends[i].t, to: ends[i + 1].t, start: ends[i].node, end: ends[i + 1].node });
  });
  return out.filter((s) => s.to - s.from > 1e-12 * (branches[s.branch].range[1] - branches[s.branch].range[0]));
}
const slack = (b: Branch) => 1e-8 * (b.range[1] - b.range[0]);
const apart = (b: Branch, t: number, u: number) => {
  const whole = b.range[1] - b.range[0];
  const d = Math.abs(t - u) / whole;
  return b.ring ? Math.min(d, 1 - d) : d;
};
interface Segment {
  readonly p: readonly [number, number];
  readonly q: readonly [number, number];
}
function cross2(a: Segment, b: Segment): boolean {
  if (Math.max(a.p[1], a.q[1]) < Math.min(b.p[1], b.q[1]) || Math.max(b.p[1], b.q[1]) < Math.min(a.p[1], a.q[1])) return false;
  const side = (p: readonly number[], q: readonly number[], r: readonly number[]) =>
    (q[0] - p[0]) * (r[1] - p[1]) - (q[1] - p[1]) * (r[0] - p[0]);
  return side(a.p, a.q, b.p) * side(a.p, a.q, b.q) <= 0 && side(b.p, b.q, a.p) * side(b.p, b.q, a.q) <= 0;
}
/**
 * Where two stretches whose chords cross meet: both are halved while the chords of halves cross, and then settled by Newton's method. Newton
 * alone runs astray beside cusps, where the speed goes to zero.
 */
function meet(
  A: Branch,
  B: Branch,
  [t0, t1]: readonly [number, number],
  [u0, u1]: readonly [number, number],
  flat: (p: Vec3) => readonly [number, number],
  near: number,
): readonly [number, number] | undefined {
  const good = (m: readonly [number, number] | undefined) => m && distance(A.at(m[0]), B.at(m[1])) <= near;
  for (let k = 0; k < 50; k++) {
    const m = k % 4 === 0 ? settle(A, B, (t0 + t1) / 2, (u0 + u1) / 2, flat) : undefined;
    if (m && good(m)) return m;
    const ts = [t0, (t0 + t1) / 2, t1];
    const us = [u0, (u0 + u1) / 2, u1];
    const ps = ts.map((t) => flat(A.at(t)));
    const qs = us.map((u) => flat(B.at(u)));
    let found = false;
    for (const i of [0, 1])
      for (const j of [0, 1])
        if (!found && cross2({ p: ps[i], q: ps[i + 1] }, { p: qs[j], q: qs[j + 1] })) {
          [t0, t1, u0, u1] = [ts[i], ts[i + 1], us[j], us[j + 1]];
          found = true;
        }
    if (!found) return undefined;
  }
  const m: [number, number] = [(t0 + t1) / 2, (u0 + u1) / 2];
  return good(m) ? m : undefined;
}
/** Newton's method on both parameters; rings go on over their end. */
function settle(
  A: Branch,
  B: Branch,
  t0: number,
  u0: number,
  flat: (p: Vec3) => readonly [number, number],
): readonly [number, number] | undefined {
  const bound = (b: Branch, t: number) => {
    const [p, q] = b.range;
    if (b.ring) return p + ((((t - p) % (q - p)) + (q - p)) % (q - p));
    return Math.min(q, Math.max(p, t));
  };
  let [t, u] = [t0, u0];
  for (let k = 0; k < 40; k++) {
    const [x, y] = [flat(A.at(t)), flat(B.at(u))];
    const [vx, vy] = [A.velocity(t), B.velocity(u)];
    const o = flat([0, 0, 0]);
    const [dx, dy] = [flat(vx), flat(vy)].map((v) => [v[0] - o[0], v[1] - o[1]]);
    const [ex, ey] = [x[0] - y[0], x[1] - y[1]];
    const det = dx[1] * dy[0] - dx[0] * dy[1];
    if (Math.abs(det) < 1e-14 * Math.hypot(...dx) * Math.hypot(...dy) || det === 0) return undefined;
    let [dt, du] = [(ex * dy[1] - ey * dy[0]) / det, (ex * dx[1] - ey * dx[0]) / det];
    const scale = Math.max(1, Math.abs(dt) / (0.1 * (A.range[1] - A.range[0])), Math.abs(du) / (0.1 * (B.range[1] - B.range[0])));
    dt /= scale;
    du /= scale;
    const [nt, nu] = [bound(A, t + dt), bound(B, u + du)];
    const done = Math.abs(nt - t) <= 1e-15 * Math.abs(t) && Math.abs(nu - u) <= 1e-15 * Math.abs(u);
    [t, u] = [nt, nu];
    if (done) break;
  }
  return [t, u];
}

/** Distance of places from a chain of curves, exact: curves whose box is farther than the best are not looked at. */
export function clearanceFrom(chain: readonly NurbsCurve[]): (p: Vec3) => number {
  const boxes = chain.map((c) => ({ c, box: curveBox(c) }));
  return (p) => {
    const order = boxes
      .map(({ c, box }) => ({ c, far: Math.hypot(...p.map((x, k) => Math.max(0, box.min[k] - x, x - box.max[k]))) }))
      .sort((x, y) => x.far - y.far);
    let best = Infinity;
    for (const { c, far } of order) {
      if (far >= best) break;
      best = Math.min(best, closestOnCurve(c, p).distance);
    }
    return best;
  };
}

/** Stretches put end to end by their nodes, in running order; where several go on, the straightest. */
export function strung(list: readonly Stretch[], branches: readonly Branch[]): { list: Stretch[]; closed: boolean }[] {
  const rest = new Set(list);
  const out: { list: Stretch[]; closed: boolean }[] = [];
  const direction = (s: Stretch, atEnd: boolean) => branches[s.branch].velocity(wrap(branches[s.branch], atEnd ? s.to : s.from));
  const straightest = (from: Stretch, candidates: readonly Stretch[], forward: boolean) => {
    const d = direction(from, forward);
    const cos = (s: Stretch) => {
      const e = direction(s, !forward);
      return dot(d, e) / (Math.hypot(...d) * Math.hypot(...e) || 1);
    };
    return candidates.reduce((x, y) => (cos(y) > cos(x) ? y : x));
  };
  for (const first of list) {
    if (!rest.delete(first)) continue;
    const chain = [first];
    const closed = () => chain[0].start === chain[chain.length - 1].end;
    for (const forward of [true, false])
      while (!closed()) {
        const end = forward ? chain[chain.length - 1] : chain[0];
        const next = [...rest].filter((s) => (forward ? s.start === end.end : s.end === end.start));
        if (!next.length) break;
        const s = straightest(end, next, forward);
        rest.delete(s);
        if (forward) chain.push(s);
        else chain.unshift(s);
      }
    out.push({ list: chain, closed: closed() });
  }
  return out;
}
/** A parameter of a ring that ran over its end, back in its range. */
export const wrap = (b: Branch, t: number): number => (b.ring && t > b.range[1] ? t - (b.range[1] - b.range[0]) : t);
