import {
  type Body,
  bodyBox,
  type Edge,
  type EdgeUse,
  edgeCurve,
  type Face,
  rimChains,
  topologyOf,
  traceBreaks,
  traceTangent,
  usePoint,
  useUV,
} from '../brep/index.ts';
import { angleBetween, boxSize, cross, DEG, distance, dot, length, scale, unit, type Vec3 } from '../math/index.ts';
import { arcLength, curvatureFlow, normalCurvature, type SurfaceJet, surfaceJet } from '../nurbs/index.ts';
import { DEFAULT_LIMITS, type Grade, type GradeLimits } from './grades.ts';

export interface SeamSample {
  /** Share of the edge's parameter range, 0..1. */
  readonly at: number;
  readonly point: Vec3;
  readonly gap: number;
  readonly kink: number;
  readonly step: number;
  readonly flow: number;
}
export interface SeamReport {
  readonly edge: number;
  readonly name: string;
  readonly faces: readonly [number, number];
  readonly length: number;
  /** Worst values: mm, degrees, percent of curvature step across the seam, percent of step in the change of that curvature. */
  readonly gap: number;
  readonly kink: number;
  readonly step: number;
  readonly flow: number;
  readonly meanGap: number;
  readonly meanKink: number;
  readonly meanStep: number;
  readonly worst: { readonly gap: Vec3; readonly kink: Vec3; readonly step: Vec3; readonly flow: Vec3 };
  readonly grade: Grade;
  readonly samples: readonly SeamSample[];
}

interface Side {
  readonly face: Face;
  readonly use: EdgeUse;
}

/** Parameter on the other side's boundary nearest to p, starting at t. */
function nearestOnBoundary(side: Side, e: Edge, t: number, p: Vec3): number {
  const [a, b] = e.range;
  const h = 1e-5 * (b - a);
  let x = t;
  for (let k = 0; k < 6; k++) {
    const q = usePoint(side.face, side.use, x);
    const x0 = Math.max(a, x - h);
    const x1 = Math.min(b, x + h);
    const d = scale(distanceVector(usePoint(side.face, side.use, x0), usePoint(side.face, side.use, x1)), 1 / (x1 - x0));
    const r = distanceVector(q, p);
    const dd = dot(d, d);
    if (!(dd > 0)) break;
    const next = Math.min(b, Math.max(a, x + dot(r, d) / dd));
    if (Math.abs(next - x) < 1e-13 * (b - a)) break;
    x = next;
  }
  return distance(usePoint(side.face, side.use, x), p) <= distance(usePoint(side.face, side.use, t), p) ? x : t;
}
const distanceVector = (from: Vec3, to: Vec3): Vec3 => [to[0] - from[0], to[1] - from[1], to[2] - from[2]];

const outward = (f: Face, j: SurfaceJet): Vec3 => (f.reversed ? scale(j.normal, -1) : j.normal);

/** Gap, kink and curvature step at one parameter: both sides are evaluated on their own surfaces. */
export function measureSeamAt(a: Side, b: Side, e: Edge, t: number, size: number): Omit<SeamSample, 'at'> {
  const point = usePoint(a.face, a.use, t);
  const tb = nearestOnBoundary(b, e, t, point);
  const uvA = useUV(a.face, a.use, t);
  const uvB = useUV(b.face, b.use, tb);
  const ja = surfaceJet(a.face.surface, uvA[0], uvA[1]);
  const jb = surfaceJet(b.face.surface, uvB[0], uvB[1]);
  const na = outward(a.face, ja);
  const nb = outward(b.face, jb);
  const kink = angleBetween(na, nb) / DEG;
  const tangent = traceTangent(e, t)[1];
  const across = cross(na, tangent);
  let step = 0;
  let flow = 0;
  // in a pole one direction has no length, and nothing there tells how the surface bends across
  const flat = (j: SurfaceJet) => length(cross(j.u, j.v)) < 1e-9 * (dot(j.u, j.u) + dot(j.v, j.v));
  if (length(across) > 0 && !flat(ja) && !flat(jb)) {
    const acrossB = cross(nb, tangent);
    const ka = normalCurvature(ja, across) * (a.face.reversed ? -1 : 1);
    const kb = normalCurvature(jb, acrossB) * (b.face.reversed ? -1 : 1);
    step = (200 * Math.abs(ka - kb)) / Math.max(Math.abs(ka) + Math.abs(kb), 1 / size);
    // both are taken in the same direction of travel, from the first face into the second
    const fa = curvatureFlow(a.face.surface, uvA[0], uvA[1], unit(across)) * (a.face.reversed ? -1 : 1);
    const fb = curvatureFlow(b.face.surface, uvB[0], uvB[1], unit(acrossB)) * (b.face.reversed ? -1 : 1);
    flow = (200 * Math.abs(fa - fb)) / Math.max(Math.abs(fa) + Math.abs(fb), 1 / size ** 2);
  }
  return { point, gap: distance(ja.point, jb.point), kink, step, flow };
}

/**
 * Measures one seam: at least 32 samples and 4 a span, then refined around the worst place of each number; not of numbers that are the same
 * everywhere, or so far below their limit (a fiftieth) that no place between samples decides anything.
 */
export function measureSeam(b: Body, edge: number, limits: GradeLimits = DEFAULT_LIMITS, size = boxSize(bodyBox(b))): SeamReport {
  const e = b.edges[edge];
  const [ra, rb] = topologyOf(b).uses[edge];
  const A: Side = { face: b.faces[ra.face], use: ra.use };
  const B: Side = { face: b.faces[rb.face], use: rb.use };
  const breaks = traceBreaks(e, e.range[0], e.range[1]);
  const per = Math.max(4, Math.ceil(32 / (breaks.length - 1)));
  const ts: number[] = [];
  for (let i = 0; i + 1 < breaks.length; i++) for (let k = 0; k < per; k++) ts.push(breaks[i] + ((breaks[i + 1] - breaks[i]) * k) / per);
  ts.push(e.range[1]);
  const share = (t: number) => (t - e.range[0]) / (e.range[1] - e.range[0]);
  const samples: SeamSample[] = ts.map((t) => ({ at: share(t), ...measureSeamAt(A, B, e, t, size) }));
  const extra: SeamSample[] = [];
  const worstOf = (key: 'gap' | 'kink' | 'step' | 'flow') => {
    let k = 0;
    samples.forEach((s, i) => {
      if (s[key] > samples[k][key]) k = i;
    });
    let best = samples[k];
    const least = samples.reduce((m, s) => Math.min(m, s[key]), best[key]);
    if (best[key] < 0.02 * limits[key] || best[key] - least <= 1e-6 * best[key]) return best;
    let low = ts[Math.max(0, k - 1)];
    let high = ts[Math.min(ts.length - 1, k + 1)];
    for (let round = 0; round < 3; round++) {
      const cell = (high - low) / 6;
      let at = low;
      for (let i = 1; i < 6; i++) {
        const t = low + cell * i;
        const s = { at: share(t), ...measureSeamAt(A, B, e, t, size) };
        extra.push(s);
        if (s[key] >= best[key]) {
          best = s;
          at = t;
        }
      }
      low = Math.max(low, at - cell);
      high = Math.min(high, at + cell);
    }
    return best;
  };
  const gap = worstOf('gap');
  const kink = worstOf('kink');
  const step = worstOf('step');
  const flow = worstOf('flow');
  const mean = (key: 'gap' | 'kink' | 'step') => samples.reduce((s, x) => s + x[key], 0) / samples.length;
  return {
    edge,
    name: e.name,
    faces: [ra.face, rb.face],
    length: arcLength(edgeCurve(e)),
    gap: gap.gap,
    kink: kink.kink,
    step: step.step,
    flow: flow.flow,
    meanGap: mean('gap'),
    meanKink: mean('kink'),
    meanStep: mean('step'),
    worst: { gap: gap.point, kink: kink.point, step: step.point, flow: flow.point },
    grade: gradeOf(gap.gap, kink.kink, step.step, flow.flow, limits),
    samples,
  };
}
export function gradeOf(gap: number, kink: number, step: number, flow: number, limits: GradeLimits): Grade {
  if (gap > limits.gap) return 'open';
  if (kink > limits.kink) return 'G0';
  if (step > limits.step) return 'G1';
  return flow > limits.flow ? 'G2' : 'G3';
}

export interface RimReport {
  readonly edges: readonly number[];
  readonly length: number;
  readonly closed: boolean;
  readonly at: Vec3;
  readonly names: readonly string[];
}
export function measureRims(b: Body): RimReport[] {
  return rimChains(b).map((edges) => {
    const len = edges.reduce((sum, i) => sum + arcLength(edgeCurve(b.edges[i])), 0);
    const e = b.edges[edges[0]];
    const degree = new Map<number, number>();
    for (const i of edges) for (const v of [b.edges[i].start, b.edges[i].end]) degree.set(v, (degree.get(v) ?? 0) + 1);
    return {
      edges,
      length: len,
      closed: [...degree.values()].every((n) => n === 2),
      at: traceTangent(e, (e.range[0] + e.range[1]) / 2)[0],
      names: edges.map((i) => b.edges[i].name),
    };
  });
}

/** All seams of a body. */
export function measureSeams(b: Body, limits?: GradeLimits): SeamReport[] {
  const size = boxSize(bodyBox(b));
  return topologyOf(b).seams.map((e) => measureSeam(b, e, limits, size));
}

/** Keys of the seams of a piece, in the order in which they are measured: `step/output/edge name`, numbered where a name stands twice. */
export function seamKeys(key: string, b: Body): string[] {
  const count = new Map<string, number>();
  return topologyOf(b).seams.map((e) => {
    const { name } = b.edges[e];
    const n = (count.get(name) ?? 0) + 1;
    count.set(name, n);
    return `${key}/${name}${n > 1 ? `#${n}` : ''}`;
  });
}
