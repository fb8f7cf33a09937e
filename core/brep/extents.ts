import { distance, dot, type Vec3 } from '../math/index.ts';
import { evaluateSurface } from '../nurbs/index.ts';
import { type Body, edgePoint, traceBreaks, tracePoint, traceTangent, usedRange } from './body.ts';
import { type BodyMesh, meshBody } from './mesh.ts';

const WORLD_AXES: readonly Vec3[] = [
  [1, 0, 0],
  [0, 1, 0],
  [0, 0, 1],
];
const jet = new Float64Array(27);

/** Least and largest value of a body along each of three directions (not necessarily square to each other), in mm. */
export interface Extents {
  readonly low: readonly number[];
  readonly high: readonly number[];
}
const known = new WeakMap<Body, Extents>();

/**
 * How far a body reaches along directions, exactly: the tops of a mesh are the starts of Newton's method, on faces for the place whose normal
 * is the direction (S_u·d = S_v·d = 0), on edges for the place whose tangent is square to it (C'·d = 0). A place that Newton's method leads
 * farther away than the mesh is coarse is not believed: it may lie beyond the face's border.
 */
export function extentsOf(b: Body, axes: readonly Vec3[] = WORLD_AXES, mesh?: BodyMesh): Extents {
  if (axes === WORLD_AXES) {
    const before = known.get(b);
    if (before) return before;
  }
  const m = mesh ?? meshBody(b, { chord: Math.max(1e-6, 2e-3 * sizeOf(b)), angle: 0.3 });
  const out = { low: axes.map((d) => -reach(b, m, [-d[0], -d[1], -d[2]])), high: axes.map((d) => reach(b, m, d)) };
  if (axes === WORLD_AXES) known.set(b, out);
  return out;
}
function sizeOf(b: Body): number {
  const [low, high] = [
    [Infinity, Infinity, Infinity],
    [-Infinity, -Infinity, -Infinity],
  ];
  const take = (p: Vec3) =>
    p.forEach((x, k) => {
      low[k] = Math.min(low[k], x);
      high[k] = Math.max(high[k], x);
    });
  for (const v of b.vertices) take(v.point);
  for (const e of b.edges) for (const s of [0.25, 0.5, 0.75]) take(edgePoint(e, e.range[0] + s * (e.range[1] - e.range[0])));
  return Math.hypot(high[0] - low[0], high[1] - low[1], high[2] - low[2]) || 1;
}

/** The largest value of p·d over the body. */
function reach(b: Body, m: BodyMesh, d: Vec3): number {
  let best = -Infinity;
  for (const v of b.vertices) best = Math.max(best, dot(v.point, d));
  for (const e of b.edges) if (!e.degenerate) best = Math.max(best, edgeReach(e, d));
  b.faces.forEach((_, f) => {
    const [first, count] = [m.faceRanges[2 * f], m.faceRanges[2 * f + 1]];
    const value = new Map<number, number>();
    // how far a node's neighbours are: farther than that Newton's method does not go
    const rough = new Map<number, number>();
    const above = new Set<number>();
    const at = (i: number) => [m.positions[3 * i], m.positions[3 * i + 1], m.positions[3 * i + 2]] as const;
    const height = (i: number): number => {
      let h = value.get(i);
      if (h === undefined) value.set(i, (h = dot(at(i), d)));
      return h;
    };
    for (let t = first; t < first + count; t += 3)
      for (let k = 0; k < 3; k++) {
        const [i, j] = [m.indices[t + k], m.indices[t + ((k + 1) % 3)]];
        const l = distance(at(i), at(j));
        rough.set(i, Math.max(rough.get(i) ?? 0, l));
        rough.set(j, Math.max(rough.get(j) ?? 0, l));
        above.add(height(i) < height(j) ? i : j);
      }
    // tops of the mesh; lower ones cannot rise above the highest by more than their triangles are wide
    const tops = [...value].filter(([i]) => !above.has(i)).sort((x, y) => y[1] - x[1]);
    for (const [i, h] of tops.slice(0, 24)) {
      best = Math.max(best, h);
      if (h + (rough.get(i) ?? 0) <= best) continue;
      best = Math.max(best, faceReach(b, f, [m.uv[2 * i], m.uv[2 * i + 1]], 1.5 * (rough.get(i) ?? 0), d) ?? -Infinity);
    }
  });
  return best;
}
function edgeReach(e: Body['edges'][number], d: Vec3): number {
  const breaks = traceBreaks(e, ...e.range);
  const per = Math.max(4, Math.ceil(16 / (breaks.length - 1)));
  const at = breaks.flatMap((t, i) =>
    i ? Array.from({ length: per }, (_, k) => breaks[i - 1] + ((t - breaks[i - 1]) * (k + 1)) / per) : [t],
  );
  const width = e.range[1] - e.range[0];
  const slope = (t: number) => dot(traceTangent(e, t)[1], d);
  let best = -Infinity;
  let last = slope(at[0]);
  for (let i = 1; i < at.length; i++) {
    let [lo, hi] = [at[i - 1], at[i]];
    const now = slope(hi);
    best = Math.max(best, dot(tracePoint(e, hi), d));
    if (last > 0 && now < 0) {
      for (let k = 0; k < 60 && hi - lo > 1e-15 * width; k++) {
        const mid = (lo + hi) / 2;
        if (slope(mid) > 0) lo = mid;
        else hi = mid;
      }
      best = Math.max(best, dot(tracePoint(e, (lo + hi) / 2), d));
    }
    last = now;
  }
  return best;
}
function faceReach(b: Body, f: number, start: readonly [number, number], rough: number, d: Vec3): number | undefined {
  const face = b.faces[f];
  const s = face.surface;
  const range = usedRange(face, b);
  const at = (k: number): Vec3 => [jet[k], jet[k + 1], jet[k + 2]];
  let [u, v] = start;
  evaluateSurface(s, u, v, 0, jet);
  const from = at(0);
  for (let k = 0; k < 60; k++) {
    // S^(k,l) stands at (3k + l) times three numbers
    evaluateSurface(s, u, v, 2, jet);
    const [gu, gv] = [dot(at(9), d), dot(at(3), d)];
    let [huu, huv, hvv] = [dot(at(18), d), dot(at(12), d), dot(at(6), d)];
    // where the surface does not bend downwards, uphill by its own measure (Levenberg)
    const [euu, evv] = [dot(at(9), at(9)), dot(at(3), at(3))];
    let det = huu * hvv - huv * huv;
    for (let l = 1e-3 / rough; (det <= 1e-12 * euu * evv || huu >= 0) && l < 1e6 / rough; l *= 4) {
      [huu, huv, hvv] = [dot(at(18), d) - l * euu, dot(at(12), d), dot(at(6), d) - l * evv];
      det = huu * hvv - huv * huv;
    }
    if (!(det > 0) || huu >= 0) return undefined;
    let [du, dv] = [-(gu * hvv - gv * huv) / det, -(huu * gv - huv * gu) / det];
    const step = Math.hypot(du * Math.sqrt(euu), dv * Math.sqrt(evv));
    if (step > rough) [du, dv] = [(du * rough) / step, (dv * rough) / step];
    u = Math.min(range[1], Math.max(range[0], u + du));
    v = Math.min(range[3], Math.max(range[2], v + dv));
    if (Math.abs(du) < 1e-14 * (range[1] - range[0]) && Math.abs(dv) < 1e-14 * (range[3] - range[2])) break;
  }
  evaluateSurface(s, u, v, 1, jet);
  const p = at(0);
  if (Math.hypot(p[0] - from[0], p[1] - from[1], p[2] - from[2]) > rough) return undefined;
  const [tv, tu] = [at(3), at(6)];
  const square = Math.abs(dot(tu, d)) <= 1e-8 * Math.hypot(...tu) && Math.abs(dot(tv, d)) <= 1e-8 * Math.hypot(...tv);
  return square ? dot(p, d) : undefined;
}
