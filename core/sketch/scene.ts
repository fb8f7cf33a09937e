import { pointsOf, type Sketch, type SketchCurve } from './model.ts';
import type { Unknowns } from './residuals.ts';

type Value = (x: Float64Array) => number;
/** A round curve: its radius as a function of the unknowns, what that depends on, and where its centre stands among them. */
interface Round {
  readonly r: Value;
  readonly v: readonly number[];
  readonly c: number;
}
/** A straight line: where its two ends stand among the unknowns. */
interface Line {
  readonly a: number;
  readonly b: number;
  readonly v: readonly number[];
}
/** Direction and curvature of a curve where it leaves a point. */
interface End {
  readonly t: (x: Float64Array) => [number, number];
  readonly k: Value;
  readonly v: readonly number[];
}
/** A sketch as its rules see it: curves by id, and where everything stands among the unknowns. */
export interface Scene {
  readonly start: Float64Array;
  readonly curve: (id: string) => SketchCurve | undefined;
  readonly isPoint: (id: string) => boolean;
  /** First of the two unknowns of a point. */
  readonly P: (id: string) => number;
  readonly xy: (id: string) => number[];
  readonly radius: (id: string) => number;
  readonly line: (id: string) => Line | undefined;
  readonly round: (id: string) => Round | undefined;
  /** The ends at which two curves meet, if they do. */
  readonly sharedEnd: (a: SketchCurve, b: SketchCurve) => [string, string] | undefined;
  readonly endOf: (c: SketchCurve, shared: string) => End | undefined;
}

/** Distance of a place from a line, with sign: to the left of its direction above zero. */
export function offLine(x: Float64Array, px: number, py: number, l: Line): number {
  const [dx, dy] = [x[l.b] - x[l.a], x[l.b + 1] - x[l.a + 1]];
  return (dx * (py - x[l.a + 1]) - dy * (px - x[l.a])) / (Math.hypot(dx, dy) || 1e-9);
}
/** Distance between two points by their unknowns. */
export const gapOf = (x: Float64Array, a: number, b: number): number => Math.hypot(x[a] - x[b], x[a + 1] - x[b + 1]);
/** Both directions of two lines. */
export const directions = (x: Float64Array, l: Line, m: Line): [number, number, number, number] => [
  x[l.b] - x[l.a],
  x[l.b + 1] - x[l.a + 1],
  x[m.b] - x[m.a],
  x[m.b + 1] - x[m.a + 1],
];

export function sceneOf(s: Sketch, u: Unknowns, start: Float64Array): Scene {
  const curves = new Map(s.curves.map((c) => [c.id, c]));
  const P = (id: string) => u.point.get(id) as number;
  const xy = (id: string) => [P(id), P(id) + 1];
  const radius = (id: string) => u.radius.get(id) as number;
  const joined = new Set(s.rules.flatMap((r) => (r.type === 'coincident' ? [`${r.a}|${r.b}`, `${r.b}|${r.a}`] : [])));
  return {
    start,
    P,
    xy,
    radius,
    curve: (id) => curves.get(id),
    isPoint: (id) => u.point.has(id),
    line(id) {
      const c = curves.get(id);
      return c?.type === 'line' ? { a: P(c.a), b: P(c.b), v: [...xy(c.a), ...xy(c.b)] } : undefined;
    },
    round(id) {
      const c = curves.get(id);
      if (c?.type === 'circle') {
        const k = radius(c.id);
        return { r: (x) => x[k], v: [k, ...xy(c.c)], c: P(c.c) };
      }
      if (c?.type !== 'arc') return undefined;
      const [m, a] = [P(c.c), P(c.a)];
      return { r: (x) => gapOf(x, a, m), v: [...xy(c.c), ...xy(c.a)], c: m };
    },
    sharedEnd(a, b) {
      const near = (p: string, q: string) => gapOf(start, P(p), P(q)) < 1e-6;
      for (const p of endsOf(a)) for (const q of endsOf(b)) if (p === q || joined.has(`${p}|${q}`) || near(p, q)) return [p, q];
      return undefined;
    },
    endOf: (c, shared) => endOf(c, shared, P, xy),
  };
}

function endsOf(c: SketchCurve): readonly string[] {
  if (c.type === 'line' || c.type === 'arc') return [c.a, c.b];
  if (c.type !== 'spline' || c.closed) return [];
  const points = pointsOf(c);
  return [points[0], points[points.length - 1]];
}

function endOf(c: SketchCurve, shared: string, P: (id: string) => number, xy: (id: string) => number[]): End | undefined {
  if (c.type === 'line') {
    const [from, to] = c.a === shared ? [P(c.a), P(c.b)] : [P(c.b), P(c.a)];
    return { t: (x) => [x[to] - x[from], x[to + 1] - x[from + 1]], k: () => 0, v: [...xy(c.a), ...xy(c.b)] };
  }
  if (c.type === 'arc') {
    const [m, e] = [P(c.c), P(shared)];
    const out = c.a === shared ? 1 : -1;
    return {
      t: (x) => [-out * (x[e + 1] - x[m + 1]), out * (x[e] - x[m])],
      k: (x) => out / (gapOf(x, e, m) || 1e-9),
      v: [...xy(c.c), ...xy(shared)],
    };
  }
  return c.type === 'spline' ? splineEnd(c, shared, P, xy) : undefined;
}

/** End of a spline with uniform clamped knots: the end derivatives of its first spans (Piegl & Tiller 3.8). */
function splineEnd(
  c: Extract<SketchCurve, { type: 'spline' }>,
  shared: string,
  P: (id: string) => number,
  xy: (id: string) => number[],
): End {
  const ids = c.points[0] === shared ? c.points : [...c.points].reverse();
  const third = ids[Math.min(2, ids.length - 1)];
  const [p0, p1, p2] = [P(ids[0]), P(ids[1]), P(third)];
  const p = Math.min(c.degree, ids.length - 1);
  const spans = ids.length - p;
  const h1 = 1 / spans;
  const h2 = Math.min(2, spans) / spans;
  return {
    t: (x) => [x[p1] - x[p0], x[p1 + 1] - x[p0 + 1]],
    k: (x) => {
      if (p < 2 || ids.length < 3) return 0;
      const d1 = [(p / h1) * (x[p1] - x[p0]), (p / h1) * (x[p1 + 1] - x[p0 + 1])];
      const q = [(p / h2) * (x[p2] - x[p1]), (p / h2) * (x[p2 + 1] - x[p1 + 1])];
      const d2 = [((p - 1) / h1) * (q[0] - d1[0]), ((p - 1) / h1) * (q[1] - d1[1])];
      return (d1[0] * d2[1] - d1[1] * d2[0]) / (Math.hypot(d1[0], d1[1]) ** 3 || 1e-9);
    },
    v: [...xy(ids[0]), ...xy(ids[1]), ...xy(third)],
  };
}
