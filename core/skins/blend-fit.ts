import { curvatureHeight, flowHeight, type NeighbourJet } from '../brep/index.ts';
import { add, angleBetween, cross, DEG, dot, type Frame, length, scale, sub, unit, type Vec3 } from '../math/index.ts';
import { evaluateNet, knotRuns, makeCompatible, type Net, type NurbsSurface, normalCurvature, RowFit, surfaceJet } from '../nurbs/index.ts';
import { type BlendAims, type BlendEnd, type BlendOutcome, inverseOf, placeOn, type Run, wayOut } from './blend-run.ts';

/** Weight of the parts of a row that lie in the tangent plane and are free, against those along the normal. */
const FREE = 1e-5;

interface FitTask {
  readonly closed: boolean;
  /** Places of corners along; 0 among them where a closed border starts in one. */
  readonly cuts: readonly number[];
  /** The exact row whose parameter the others follow. */
  readonly master?: Net;
  readonly ends: readonly [BlendEnd, BlendEnd];
  readonly aim: BlendAims;
  readonly most: number;
  readonly degree: number;
  readonly scale: number;
}
interface Break {
  t: number;
  multiplicity: number;
}
/** Fits the rows of those borders that are not met exactly; all of them on the same knots. */
export function fitRuns(
  runs: readonly Run[],
  task: FitTask,
): { ok: true; surface: NurbsSurface; passes: number } | Extract<BlendOutcome, { ok: false }> {
  const free = runs.filter((r) => !r.exact);
  if (!free.length) return { ok: true, surface: assemble(runs.map((r) => r.exact as readonly Net[])), passes: 0 };
  let best: { surface: NurbsSurface; worst: number; passes: number } | undefined;
  const tries = task.master ? [Math.max(3, task.master.degree)] : [5, 3];
  for (const p of tries) {
    let breaks = seedsOf(free, task, p);
    let stalled = 0;
    let last = Infinity;
    for (let pass = 0; pass < 14; pass++) {
      const rows = fitRows(runs, breaks, task, p);
      if (!rows) break;
      const surface = assemble(runs.map((r, k) => r.exact ?? (rows[k] as readonly Net[])));
      const { worst, spans } = missesOf(surface, runs, breaks, task);
      if (!best || worst < best.worst) best = { surface, worst, passes: pass };
      if (worst <= 1) return { ok: true, ...best };
      stalled = worst > 0.8 * last ? stalled + 1 : 0;
      last = Math.min(last, worst);
      const count = breaks.reduce((s, b) => s + b.multiplicity, 0);
      if (stalled >= 3 || count > task.most || !spans.size) break;
      breaks = halved(breaks, spans, task.closed);
    }
    if (best && best.worst <= 3) break;
  }
  return best
    ? { ok: true, ...best }
    : {
        ok: false,
        code: 'no-fit',
        message:
          'No strip could be fitted between these edges: their ends may lie on each other, or an edge doubles back. Take parts of the edges',
        place: [placeOn(runs[0], 0).point, placeOn(runs[1], 0).point],
      };
}
/** Knots to begin with: corners, where faces behind change their smoothness, and the knots of the row that leads. */
function seedsOf(free: readonly Run[], task: FitTask, p: number): Break[] {
  const found: Break[] = task.cuts.map((t) => ({ t, multiplicity: p }));
  const near = (t: number) => found.find((b) => Math.abs(b.t - t) < 0.004 || (task.closed && 1 - Math.abs(b.t - t) < 0.004));
  const put = (t: number, multiplicity: number) => {
    if (!task.closed && (t < 0.004 || t > 1 - 0.004)) return;
    const b = near(t);
    if (b) b.multiplicity = Math.max(b.multiplicity, multiplicity);
    else found.push({ t: task.closed ? t - Math.floor(t) : t, multiplicity });
  };
  for (const r of free) {
    const shareAt = (share: number) => {
      const f = (t: number) => (r.backwards ? -1 : 1) * (r.share(t) - share);
      // closed runs pass their own start somewhere: look in cells
      let before = f(0);
      for (let i = 1; i <= 64; i++) {
        const now = f(i / 64 - 1e-12);
        if (before <= 0 && now >= 0 && now - before < 0.5) return inverseOf((x) => f(x), 0, (i - 1) / 64, i / 64);
        before = now;
      }
      return undefined;
    };
    for (const b of r.side.border.breaks()) {
      const t = shareAt(b.share);
      if (t !== undefined && b.order < p) put(t, Math.max(1, Math.min(p - 2, p - b.order)));
    }
  }
  if (task.master) {
    const { values, multiplicities } = knotRuns(task.master.knots, task.master.degree);
    values.slice(1, -1).forEach((t, i) => {
      put(t, Math.max(1, p - (task.master as Net).degree + multiplicities[i + 1]));
    });
  }
  found.sort((a, b) => a.t - b.t);
  if (task.closed) {
    // a repeating basis needs at least degree + 1 knots, and its own start is one like any other
    let count = found.reduce((s, b) => s + b.multiplicity, 0);
    for (let i = 0; count < p + 3; i++) {
      const t = ((i * 0.618034) % 1) * 0.999;
      if (!near(t)) {
        found.push({ t, multiplicity: 1 });
        count++;
      }
      if (i > 200) break;
    }
    found.sort((a, b) => a.t - b.t);
  }
  return found;
}
/** Halves the spans that miss; neighbours are halved too until none is more than four times as long as the one beside it. */
function halved(breaks: readonly Break[], spans: ReadonlySet<number>, closed: boolean): Break[] {
  const ends = closed ? [...breaks.map((b) => b.t), breaks[0].t + 1] : [0, ...breaks.map((b) => b.t), 1];
  const add: number[] = [];
  for (const i of spans) if (ends[i + 1] - ends[i] > 2e-4) add.push((ends[i] + ends[i + 1]) / 2);
  const wrap = (t: number) => (closed ? t - Math.floor(t) : t);
  let out = [...breaks, ...add.map((t) => ({ t: wrap(t), multiplicity: 1 }))].sort((a, b) => a.t - b.t);
  for (let round = 0; round < 4; round++) {
    const e = closed ? [...out.map((b) => b.t), out[0].t + 1] : [0, ...out.map((b) => b.t), 1];
    const n = e.length - 1;
    const more: Break[] = [];
    for (let i = 0; i < n; i++) {
      const mine = e[i + 1] - e[i];
      const beside = [i - 1, i + 1].flatMap((k) => {
        const q = closed ? (k + n) % n : k;
        return q >= 0 && q < n ? [e[q + 1] - e[q]] : [];
      });
      if (beside.some((w) => mine > 4.1 * w)) more.push({ t: wrap((e[i] + e[i + 1]) / 2), multiplicity: 1 });
    }
    if (!more.length) break;
    out = [...out, ...more].sort((a, b) => a.t - b.t);
  }
  return out;
}

/** All rows of the fitted borders on one set of knots, one order of derivatives after the other. */
function fitRows(runs: readonly Run[], breaks: readonly Break[], task: FitTask, p: number): (Net[] | undefined)[] | undefined {
  const m = task.degree;
  const ends = task.closed ? [...breaks.map((b) => b.t), breaks[0].t + 1] : [0, ...breaks.map((b) => b.t), 1];
  const per = p + 3;
  const ts: { t: number; width: number }[] = [];
  for (let i = 0; i + 1 < ends.length; i++)
    for (let k = 0; k < per; k++) {
      const t = ends[i] + ((ends[i + 1] - ends[i]) * (1 - Math.cos((Math.PI * (k + 0.5)) / per))) / 2;
      ts.push({ t: task.closed ? t - Math.floor(t) : t, width: ends[i + 1] - ends[i] });
    }
  const rows: Net[][] = runs.map(() => []);
  const feet: NeighbourJet[][] = runs.map(() => []);
  const four = new Float64Array(4);
  const point = (k: number, row: number, t: number): Vec3 => {
    const net = runs[k].exact?.[row] ?? rows[k][row];
    evaluateNet(net, t, four);
    return [four[0] / four[3], four[1] / four[3], four[2] / four[3]];
  };
  const solveRow = (k: number, row: number, ask: (f: RowFit) => void): boolean => {
    const f = new RowFit(p, breaks, task.closed);
    ask(f);
    const r = runs[k];
    if (!task.closed) {
      for (const e of [0, 1] as const) {
        const rule = task.ends[e];
        if (rule.kind === 'mirror') {
          const n = rule.plane.z;
          f.ask(e, 0, n, dot(rule.plane.origin, n), 1e8);
          const [x, y] = [rule.plane.x, rule.plane.y];
          const speed = p / Math.max(1e-3, e ? 1 - (breaks.at(-1)?.t ?? 0) : (breaks[0]?.t ?? 1));
          for (const d of [x, y]) f.ask(e, 1, d, 0, 1e6 / speed ** 2);
        } else if (row === 0) f.point(e, placeOn(r, e).point, 1e6);
      }
    }
    const net = f.solve();
    if (!net) return false;
    if (!task.closed)
      for (const e of [0, 1] as const) {
        const rule = task.ends[e];
        if (rule.kind === 'mirror') settle(net, e, rule.plane);
        else if (row === 0) {
          const c = e ? net.data.length - 4 : 0;
          net.data.set(placeOn(r, e).point, c);
        }
      }
    rows[k].push(net);
    return true;
  };
  const total = (k: number) => runs[k].side.border.total;
  for (const [k, r] of runs.entries()) {
    if (r.exact) continue;
    const ok = solveRow(k, 0, (f) => {
      for (const { t, width } of ts) {
        const place = placeOn(r, t);
        f.point(t, place.point, 1);
        if (r.side.grade > 0) {
          const j = r.side.border.jet(r.share(t));
          const h = Math.min(3, 0.5 * width * total(k)) / total(k);
          f.ask(t, 1, j.normal, 0, h * h);
        }
      }
      // corners are met
      for (const c of task.cuts) f.point(c, placeOn(r, c).point, 1e6);
    });
    if (!ok) return undefined;
  }
  const most = Math.max(...runs.map((r) => r.side.grade));
  if (most === 0) return rows.map((l, k) => (runs[k].exact ? undefined : l));
  for (const [k, r] of runs.entries()) {
    if (!r.side.border.held) continue;
    feet[k] = ts.map(({ t }) => r.side.border.jet(r.share(t), point(k, 0, t)));
  }
  const outward = (k: number, i: number): Vec3 => {
    // first derivative into the blend, as it will be
    const r = runs[k];
    const { t } = ts[i];
    if (r.side.grade === 0 || !r.side.border.held) return sub(point(1 - k, 0, t), point(k, 0, t));
    const size = (r.side.reach(t) * r.handle(t)) / (r.exact ? 1 : Math.max(0.3, Math.cos(r.lean(t))));
    return scale(wayOut(r, feet[k][i], placeOn(r, t).tangent, t), size);
  };
  const tilted = (f: RowFit, t: number, j: NeighbourJet, tangent: Vec3, target: Vec3, free: number) => {
    const n = j.normal;
    const x = unit(sub(tangent, scale(n, dot(tangent, n))));
    const y = cross(n, x);
    f.ask(t, 0, n, dot(n, target), 1);
    f.ask(t, 0, x, dot(x, target), free);
    f.ask(t, 0, y, dot(y, target), free);
  };
  for (const [k, r] of runs.entries()) {
    if (r.exact || r.side.grade < 1) continue;
    const ok = solveRow(k, 1, (f) => {
      ts.forEach(({ t }, i) => {
        const target = add(point(k, 0, t), scale(outward(k, i), 1 / m));
        tilted(f, t, feet[k][i], placeOn(r, t).tangent, target, FREE);
      });
    });
    if (!ok) return undefined;
  }
  const first = (k: number, i: number): Vec3 =>
    runs[k].side.grade >= 1 && !runs[k].exact ? scale(sub(point(k, 1, ts[i].t), point(k, 0, ts[i].t)), m) : outward(k, i);
  for (const [k, r] of runs.entries()) {
    if (r.exact || r.side.grade < 2) continue;
    const ok = solveRow(k, 2, (f) => {
      ts.forEach(({ t }, i) => {
        const [p0, p1, q0] = [point(k, 0, t), point(k, 1, t), point(1 - k, 0, t)];
        const d1 = scale(sub(p1, p0), m);
        const j = feet[k][i];
        const other = first(1 - k, i);
        const free: Vec3 = [0, 1, 2].map((d) => 6 * (q0[d] - p0[d]) - 4 * d1[d] + 2 * other[d]) as unknown as Vec3;
        const flat = sub(d1, scale(j.normal, dot(d1, j.normal)));
        const d2 = add(free, scale(j.normal, curvatureHeight(j, flat) - dot(free, j.normal)));
        const target: Vec3 = [0, 1, 2].map((d) => d2[d] / (m * (m - 1)) + 2 * p1[d] - p0[d]) as unknown as Vec3;
        tilted(f, t, j, placeOn(r, t).tangent, target, FREE);
      });
    });
    if (!ok) return undefined;
  }
  for (const [k, r] of runs.entries()) {
    if (r.exact || r.side.grade < 3) continue;
    const ok = solveRow(k, 3, (f) => {
      ts.forEach(({ t }, i) => {
        const [p0, p1, p2] = [point(k, 0, t), point(k, 1, t), point(k, 2, t)];
        const d1 = scale(sub(p1, p0), m);
        const d2: Vec3 = [0, 1, 2].map((d) => m * (m - 1) * (p2[d] - 2 * p1[d] + p0[d])) as unknown as Vec3;
        const j = feet[k][i];
        const q0 = point(1 - k, 0, t);
        const other = first(1 - k, i);
        // third derivative of the cubic through both, for the part along the skin
        const free: Vec3 = [0, 1, 2].map((d) => 6 * (d1[d] - other[d]) - 12 * (q0[d] - p0[d])) as unknown as Vec3;
        const flat = sub(d1, scale(j.normal, dot(d1, j.normal)));
        const d3 = add(free, scale(j.normal, flowHeight(j, flat, d2) - dot(free, j.normal)));
        const target: Vec3 = [0, 1, 2].map((d) => d3[d] / (m * (m - 1) * (m - 2)) + 3 * p2[d] - 3 * p1[d] + p0[d]) as unknown as Vec3;
        tilted(f, t, j, placeOn(r, t).tangent, target, FREE);
      });
    });
    if (!ok) return undefined;
  }
  return rows.map((l, k) => (runs[k].exact ? undefined : l));
}
/** Puts the end of a row exactly into the plane, and its first step exactly square to it. */
function settle(net: Net, e: 0 | 1, plane: Frame): void {
  const n = net.data.length / 4;
  const c = e ? 4 * (n - 1) : 0;
  const next = e ? 4 * (n - 2) : 4;
  const p: Vec3 = [net.data[c], net.data[c + 1], net.data[c + 2]];
  const onto = sub(p, scale(plane.z, dot(sub(p, plane.origin), plane.z)));
  net.data.set(onto, c);
  const q: Vec3 = [net.data[next], net.data[next + 1], net.data[next + 2]];
  net.data.set(add(onto, scale(plane.z, dot(sub(q, onto), plane.z))), next);
}
/** One surface out of the rows of both borders, u across. */
function assemble(rows: readonly (readonly Net[])[]): NurbsSurface {
  const all = makeCompatible([...rows[0], ...[...rows[1]].reverse()]);
  const count = all[0].data.length / 4;
  const control = new Float64Array(all.length * count * 4);
  all.forEach((r, i) => {
    control.set(r.data, i * count * 4);
  });
  const m = all.length - 1;
  const rational = control.some((x, i) => i % 4 === 3 && Math.abs(x - 1) > 1e-14);
  return {
    degreeU: m,
    degreeV: all[0].degree,
    knotsU: Float64Array.from([...Array<number>(m + 1).fill(0), ...Array<number>(m + 1).fill(1)]),
    knotsV: all[0].knots,
    countU: m + 1,
    countV: count,
    control,
    rational,
  };
}
/** Largest miss of the fitted sides as a share of what is aimed at, and the spans in which it is too large. */
function missesOf(s: NurbsSurface, runs: readonly Run[], breaks: readonly Break[], task: FitTask): { worst: number; spans: Set<number> } {
  const ends = task.closed ? [...breaks.map((b) => b.t), breaks[0].t + 1] : [0, ...breaks.map((b) => b.t), 1];
  const spans = new Set<number>();
  let worst = 0;
  runs.forEach((r, k) => {
    if (r.exact) return;
    for (let i = 0; i + 1 < ends.length; i++) {
      let miss = 0;
      for (const x of [0.02, 0.13, 0.31, 0.5, 0.69, 0.87, 0.98]) {
        const raw = ends[i] + (ends[i + 1] - ends[i]) * x;
        const t = task.closed ? raw - Math.floor(raw) : raw;
        const mine = surfaceJet(s, k, t);
        const border = r.side.border;
        const place = placeOn(r, t);
        const d = sub(mine.point, place.point);
        miss = Math.max(miss, length(sub(d, scale(place.tangent, dot(d, place.tangent)))) / task.aim.gap);
        if (r.side.grade < 1) continue;
        const j = border.jet(r.share(t), mine.point);
        const flip = dot(mine.normal, j.normal) < 0 ? -1 : 1;
        miss = Math.max(miss, angleBetween(mine.normal, scale(j.normal, flip)) / DEG / task.aim.kink);
        if (r.side.grade < 2) continue;
        const across = unit(cross(mine.normal, mine.v));
        const flat = unit(sub(across, scale(j.normal, dot(across, j.normal))));
        const [own, theirs] = [flip * normalCurvature(mine, across), curvatureHeight(j, flat)];
        const floor = 1 / Math.max(1, 2 * task.scale);
        miss = Math.max(miss, (200 * Math.abs(own - theirs)) / Math.max(Math.abs(own) + Math.abs(theirs), floor) / task.aim.step);
      }
      worst = Math.max(worst, miss);
      if (miss > 0.7) spans.add(i);
    }
  });
  return { worst, spans };
}
