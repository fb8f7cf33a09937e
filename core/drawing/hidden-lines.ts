import { type Body, bodyBox, edgeCurve, faceNormal, topologyOf, useUV } from '../brep/index.ts';
import { contour } from '../curves/contour.ts';
import { outlineField } from '../curves/fields.ts';
import { add, betweenFrames, boxSize, cross, dot, type Frame, length, scale, unit, type Vec3, WORLD } from '../math/index.ts';
import {
  clipCurve,
  closestOnCurve,
  displayParameters,
  domain,
  evaluateInto,
  type NurbsCurve,
  pointAt,
  transformCurve,
} from '../nurbs/index.ts';
import { probeOf } from '../proof/surface-probe.ts';

/** `outline`: where a smooth surface turns away. `sharp`, `smooth`: seams with and without a kink. `rim`: an open border. */
export type LineKind = 'outline' | 'sharp' | 'smooth' | 'rim';
export interface DrawnLine {
  readonly kind: LineKind;
  readonly visible: boolean;
  /** In the view's own coordinates: x to the right, y up, z towards the eye. */
  readonly curve: NurbsCurve;
  /** Which of the bodies it belongs to. */
  readonly body: number;
}
export interface DrawOptions {
  /** Kink from which a seam is sharp, degrees. */
  readonly sharp?: number;
  /** Leave out what is hidden. */
  readonly hidden?: boolean;
  readonly smooth?: boolean;
}

/** A line before it is known what of it is seen. */
interface Line {
  readonly kind: LineKind;
  readonly body: number;
  /** In view coordinates. */
  readonly curve: NurbsCurve;
  /** Directions (view coordinates) that lead away from the material at a parameter; none where no face that meets there looks at the eye. */
  readonly away: (t: number) => Vec3 | undefined;
  /** How much each face that meets in the line looks at the eye. */
  readonly facing?: (t: number) => readonly number[];
  /** How far from the line the ray begins, mm: clear of what the line itself is uncertain by. */
  readonly lift: number;
  /** What lies beyond it may come out from behind it. */
  readonly covers: boolean;
}
interface Sampled {
  readonly t: readonly number[];
  readonly p: readonly Vec3[];
}

const jet = new Float64Array(12);
const firstAt = (c: NurbsCurve, t: number): Vec3 => {
  evaluateInto(c, t, 1, jet);
  return [jet[3], jet[4], jet[5]];
};

/**
 * The lines of bodies seen along a direction without perspective, each cut where it passes behind another and told whether it is seen.
 * What is seen of a line changes only where its picture crosses that of an outline, a rim or a sharp edge that lies nearer, or where an
 * outline runs along the line of sight for a moment (Markosian et al. 1997, here on the exact curves): crossings are found on polygons and
 * settled on the curves by Newton's method, and one ray for each interval, on the exact surfaces, tells the rest. `view.z` points to the eye.
 */
export function drawLines(bodies: readonly Body[], view: Frame, options: DrawOptions = {}): DrawnLine[] {
  const size = Math.max(1e-6, ...bodies.map((b) => boxSize(bodyBox(b))));
  const map = betweenFrames(view, WORLD);
  const turn = (v: Vec3): Vec3 => [dot(v, view.x), dot(v, view.y), dot(v, view.z)];
  const lines = bodies.flatMap((b, i) => linesOf(b, i, view, size, (c) => transformCurve(c, map), turn, options));
  const sampled = lines.map((l) => sample(l.curve, size));
  const cuts = crossings(lines, sampled, size);
  lines.forEach((l, i) => {
    cuts[i].push(...(l.kind === 'outline' ? turningPoints(l.curve, sampled[i]) : turns(l, sampled[i])));
  });
  const probes = bodies.map((b) => probeOf(b));
  const back = (p: Vec3): Vec3 =>
    [0, 1, 2].map((k) => view.origin[k] + p[0] * view.x[k] + p[1] * view.y[k] + p[2] * view.z[k]) as unknown as Vec3;
  const seen = (l: Line, t: number): boolean => {
    const away = l.away(t);
    if (!away) return false;
    const p = add(pointAt(l.curve, t), scale(away, l.lift));
    return !probes.some((probe) => probe.first(back(p), view.z, 0));
  };
  const out: DrawnLine[] = [];
  lines.forEach((l, i) => {
    const [a, z] = domain(l.curve);
    const stops = [a, ...cuts[i].filter((t) => t > a + 1e-9 * (z - a) && t < z - 1e-9 * (z - a)).sort((x, y) => x - y), z];
    let from = a;
    let state: boolean | undefined;
    const close = (to: number) => {
      if (state === undefined || to <= from || (!state && options.hidden === false)) return;
      out.push({ kind: l.kind, visible: state, body: l.body, curve: from === a && to === z ? l.curve : clipCurve(l.curve, from, to) });
    };
    for (let k = 0; k + 1 < stops.length; k++) {
      const [s, e] = [stops[k], stops[k + 1]];
      if (e - s < 1e-9 * (z - a)) continue;
      const votes = [0.5, 0.29, 0.73].filter((w) => seen(l, s + w * (e - s))).length;
      const now = votes >= 2;
      if (state === undefined) state = now;
      else if (now !== state) {
        close(s);
        [from, state] = [s, now];
      }
    }
    close(z);
  });
  return out;
}

function linesOf(
  b: Body,
  body: number,
  view: Frame,
  size: number,
  move: (c: NurbsCurve) => NurbsCurve,
  turn: (v: Vec3) => Vec3,
  options: DrawOptions,
): Line[] {
  const closed = b.solids.length > 0;
  const lines: Line[] = [];
  for (const c of contour(b, outlineField(b, view.z), { tolerance: 1e-6 * size })) {
    lines.push({
      kind: 'outline',
      body,
      curve: move(c.curve),
      covers: true,
      lift: 1e-5 * size,
      away: (t) => {
        const { u, v } = c.place(t);
        const n = turn(faceNormal(b.faces[c.face], u, v));
        // of an open skin both sides are outside: away from where the surface bends to
        return closed ? n : bendsTowards(b, c.face, u, v, view.z) ? scale(n, -1) : n;
      },
    });
  }
  const { uses } = topologyOf(b);
  b.edges.forEach((e, i) => {
    if (e.degenerate || !uses[i].length) return;
    const lift = Math.max(1e-5 * size, 4 * e.tolerance);
    const curve = move(edgeCurve(e));
    const [a, z] = domain(curve);
    const param = (t: number) => e.range[0] + ((t - a) / (z - a)) * (e.range[1] - e.range[0]);
    const normals = (t: number): Vec3[] =>
      uses[i].map((r) => turn(faceNormal(b.faces[r.face], ...useUV(b.faces[r.face], r.use, param(t)))));
    if (uses[i].length === 1) {
      const { use } = uses[i][0];
      lines.push({
        kind: 'rim',
        body,
        curve,
        covers: true,
        lift,
        facing: (t) => normals(t).map((n) => n[2]),
        away: (t) => {
          const n = normals(t)[0];
          const d = firstAt(curve, t);
          const out = unit(scale(cross(d, b.faces[uses[i][0].face].reversed ? scale(n, -1) : n), use.reversed ? -1 : 1));
          return unit(add(out, [0, 0, 1e-3]));
        },
      });
      return;
    }
    const kink = Math.max(
      ...[0.02, 0.21, 0.4, 0.61, 0.79, 0.98].map((w) => {
        const [n, m] = normals(a + w * (z - a));
        return Math.acos(Math.min(1, Math.max(-1, dot(n, m))));
      }),
    );
    const sharp = kink > ((options.sharp ?? 1) * Math.PI) / 180;
    // a smooth seam that lies on the outline, as in the middle plane of a mirrored body, is the outline: its faces find it here and there
    if (!sharp && [0.02, 0.21, 0.4, 0.61, 0.79, 0.98].every((w) => normals(a + w * (z - a)).every((n) => Math.abs(n[2]) < ON_OUTLINE))) {
      const along = (l: Line) =>
        l.kind === 'outline' &&
        [0.1, 0.5, 0.9].every((w) => {
          const [from, to] = domain(l.curve);
          return closestOnCurve(curve, pointAt(l.curve, from + w * (to - from))).distance < Math.max(1e-4 * size, 4 * e.tolerance);
        });
      lines.splice(0, lines.length, ...lines.filter((l) => !along(l)));
      lines.push({
        kind: 'outline',
        body,
        curve,
        covers: true,
        lift,
        away: (t) => {
          const [n, m] = normals(t);
          const out = unit(add(n, m));
          const use = uses[i][0];
          return closed || !bendsTowards(b, use.face, ...useUV(b.faces[use.face], use.use, param(t)), view.z) ? out : scale(out, -1);
        },
      });
      return;
    }
    if (!sharp && options.smooth === false) return;
    lines.push({
      kind: sharp ? 'sharp' : 'smooth',
      body,
      curve,
      covers: sharp,
      lift,
      facing: (t) => normals(t).map((n) => n[2]),
      away: (t) => {
        const list = closed ? normals(t) : normals(t).map((n) => (n[2] < 0 ? scale(n, -1) : n));
        // a face seen from its edge shows nothing: the line lies under that of what faces the eye
        if (list.every((n) => n[2] < 1e-9)) return undefined;
        const sum = list.reduce((s, n) => add(s, n), [0, 0, 0] as Vec3);
        return length(sum) > 1e-6 ? unit(sum) : [0, 0, 1];
      },
    });
  });
  return lines;
}
/** Cosine between normal and line of sight along a whole seam that counts as on the outline. */
const ON_OUTLINE = 1e-4;
/** Does the surface bend towards its normal along the line of sight? */
function bendsTowards(b: Body, face: number, u: number, v: number, d: Vec3): boolean {
  const f = b.faces[face];
  const h = 1e-4;
  const s = f.surface;
  const [a, z] = [s.knotsU[s.degreeU], s.knotsU[s.countU]];
  const [c, w] = [s.knotsV[s.degreeV], s.knotsV[s.countV]];
  const n = faceNormal(f, u, v);
  const near = faceNormal(f, Math.min(z, u + h * (z - a)), Math.min(w, v + h * (w - c)));
  return dot(near, d) * dot(n, d) > 0;
}

function sample(c: NurbsCurve, size: number): Sampled {
  const t = displayParameters(c, 1e-4 * size, 0.05);
  return { t: [...t], p: t.map((x) => pointAt(c, x)) };
}

/** Where an outline runs along the line of sight: its picture turns back there. */
function turningPoints(c: NurbsCurve, s: Sampled): number[] {
  const flat = (t: number): number => {
    const d = firstAt(c, t);
    return Math.hypot(d[0], d[1]) / (length(d) || 1);
  };
  const out: number[] = [];
  for (let i = 1; i + 1 < s.t.length; i++) {
    const [x, y, w] = [flat(s.t[i - 1]), flat(s.t[i]), flat(s.t[i + 1])];
    if (y > x || y > w || y > 0.3) continue;
    let [lo, hi] = [s.t[i - 1], s.t[i + 1]];
    for (let k = 0; k < 60; k++) {
      const [a, b] = [lo + 0.382 * (hi - lo), lo + 0.618 * (hi - lo)];
      if (flat(a) < flat(b)) hi = b;
      else lo = a;
    }
    if (flat((lo + hi) / 2) < 1e-3) out.push((lo + hi) / 2);
  }
  return out;
}

/**
 * Where a face that meets in a line turns away from the eye: an outline begins there, and the line may go behind it. The pictures of both
 * touch there and do not cross, so that it is looked for on the line itself.
 */
function turns(l: Line, s: Sampled): number[] {
  const { facing } = l;
  if (!facing) return [];
  const out: number[] = [];
  const fine = s.t.length < 33 ? Array.from({ length: 33 }, (_, i) => s.t[0] + ((s.t[s.t.length - 1] - s.t[0]) * i) / 32) : s.t;
  let last = facing(fine[0]);
  for (let i = 1; i < fine.length; i++) {
    const now = facing(fine[i]);
    now.forEach((f, k) => {
      if (f < 0 === last[k] < 0) return;
      let [lo, hi] = [fine[i - 1], fine[i]];
      for (let n = 0; n < 50; n++) {
        const mid = (lo + hi) / 2;
        if (facing(mid)[k] < 0 === last[k] < 0) lo = mid;
        else hi = mid;
      }
      out.push((lo + hi) / 2);
    });
    last = now;
  }
  return out;
}

/** Parameters at which pictures of lines cross one that lies nearer to the eye, for each line. */
function crossings(lines: readonly Line[], sampled: readonly Sampled[], size: number): number[][] {
  const cuts: number[][] = lines.map(() => []);
  const cell = size / 64;
  const grid = new Map<string, { line: number; k: number }[]>();
  lines.forEach((l, line) => {
    if (!l.covers) return;
    const { p } = sampled[line];
    for (let k = 0; k + 1 < p.length; k++)
      for (const key of cellsOf(p[k], p[k + 1], cell)) (grid.get(key) ?? grid.set(key, []).get(key))?.push({ line, k });
  });
  lines.forEach((_, i) => {
    const { p, t } = sampled[i];
    for (let k = 0; k + 1 < p.length; k++) {
      const looked = new Set<string>();
      for (const key of cellsOf(p[k], p[k + 1], cell))
        for (const o of grid.get(key) ?? []) {
          if (o.line === i && Math.abs(o.k - k) < 2) continue;
          const id = `${o.line},${o.k}`;
          if (looked.has(id)) continue;
          looked.add(id);
          const q = sampled[o.line];
          const hit = segmentsCross(p[k], p[k + 1], q.p[o.k], q.p[o.k + 1]);
          if (!hit) continue;
          const at = settle(
            lines[i].curve,
            t[k] + hit[0] * (t[k + 1] - t[k]),
            lines[o.line].curve,
            q.t[o.k] + hit[1] * (q.t[o.k + 1] - q.t[o.k]),
          );
          // only what lies nearer to the eye covers; where an outline ends on an edge, the edge goes behind it
          if (pointAt(lines[o.line].curve, at[1])[2] > pointAt(lines[i].curve, at[0])[2] - 1e-4 * size) cuts[i].push(at[0]);
        }
    }
  });
  return cuts;
}
function cellsOf(a: Vec3, b: Vec3, cell: number): string[] {
  const out: string[] = [];
  const range = (k: 0 | 1) => [Math.floor(Math.min(a[k], b[k]) / cell - 1e-6), Math.floor(Math.max(a[k], b[k]) / cell + 1e-6)];
  const [[i0, i1], [j0, j1]] = [range(0), range(1)];
  for (let i = i0; i <= i1; i++) for (let j = j0; j <= j1; j++) out.push(`${i},${j}`);
  return out;
}
/** Shares of two flat segments at which they cross; a hair beyond their ends counts, so that nothing is missed between two. */
function segmentsCross(a: Vec3, b: Vec3, c: Vec3, d: Vec3): [number, number] | undefined {
  const [ux, uy, vx, vy] = [b[0] - a[0], b[1] - a[1], d[0] - c[0], d[1] - c[1]];
  const det = ux * vy - uy * vx;
  if (Math.abs(det) < 1e-12 * (Math.hypot(ux, uy) * Math.hypot(vx, vy) || 1)) return undefined;
  const [wx, wy] = [c[0] - a[0], c[1] - a[1]];
  const [s, r] = [(wx * vy - wy * vx) / det, (wx * uy - wy * ux) / det];
  return s > -0.01 && s < 1.01 && r > -0.01 && r < 1.01 ? [s, r] : undefined;
}
/** Newton's method for two flat curves that cross; where it does not rest the start stays. */
function settle(c: NurbsCurve, t0: number, d: NurbsCurve, s0: number): [number, number] {
  let [t, s] = [t0, s0];
  const [[ta, tz], [sa, sz]] = [domain(c), domain(d)];
  for (let k = 0; k < 12; k++) {
    const [p, q] = [pointAt(c, t), pointAt(d, s)];
    const [u, v] = [firstAt(c, t), firstAt(d, s)];
    const det = -u[0] * v[1] + u[1] * v[0];
    if (!(Math.abs(det) > 1e-12 * length(u) * length(v))) return [t0, s0];
    const [x, y] = [q[0] - p[0], q[1] - p[1]];
    const [dt, ds] = [(-x * v[1] + y * v[0]) / det, (u[0] * y - u[1] * x) / det];
    t = Math.min(tz, Math.max(ta, t + dt));
    s = Math.min(sz, Math.max(sa, s + ds));
    if (Math.abs(dt) < 1e-14 * (tz - ta) && Math.abs(ds) < 1e-14 * (sz - sa)) break;
  }
  return [t, s];
}
