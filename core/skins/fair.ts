import { gaussRule, solveDense } from '../math/index.ts';
import { basisDerivatives, evaluateNet, findSpan, knotRuns, type Net, rowCount } from '../nurbs/index.ts';

export interface FairOptions {
  /** Furthest a control point may move (mm). */
  readonly limit: number;
  /** Derivatives kept at the two ends: -1 nothing, 0 the point, 1 the tangent too, 2 the curvature too. */
  readonly keepStart: -1 | 0 | 1 | 2;
  readonly keepEnd: -1 | 0 | 1 | 2;
  /** Control points that stay. */
  readonly fixed: readonly number[];
}
export interface FairResult {
  readonly net: Net;
  /** Largest way of a control point (mm). */
  readonly moved: number;
  /** How much the comb changes along the curve: integral of the squared third derivative, before and after, as the ratio after/before. */
  readonly before: number;
  readonly after: number;
}
/**
 * Calms a spline: the control points that make the integral of the squared third derivative least, with the squares of their own movement
 * weighed against it, and that weight chosen as small as the limit on the movement allows (Farin & Sapidis 1989 in aim; one linear system a
 * trial). `dims` columns of each row are coordinates (3 for points of weight one; several for rows moved together).
 */
export function fairNet(n: Net, dims: number, o: FairOptions): FairResult {
  const rows = rowCount(n);
  const E = jerkMatrix(n);
  const held = new Set<number>(o.fixed);
  for (let i = 0; i <= o.keepStart; i++) held.add(i);
  for (let i = 0; i <= o.keepEnd; i++) held.add(rows - 1 - i);
  const free = Array.from({ length: rows }, (_, i) => i).filter((i) => !held.has(i));
  const energy = (data: Float64Array) => {
    let e = 0;
    for (let i = 0; i < rows; i++)
      for (let j = 0; j < rows; j++) {
        const w = E[i * rows + j];
        if (w === 0) continue;
        for (let d = 0; d < dims; d++) e += w * data[i * n.stride + d] * data[j * n.stride + d];
      }
    return Math.max(0, e);
  };
  const before = energy(n.data);
  if (!free.length || before === 0) return { net: n, moved: 0, before, after: before };
  const scale = Math.max(...free.map((i) => E[i * rows + i])) || 1;
  const m = free.length;
  const trial = (lambda: number) => {
    const A = new Float64Array(m * m);
    const B = new Float64Array(m * dims);
    free.forEach((i, a) => {
      free.forEach((j, b) => {
        A[a * m + b] = E[i * rows + j] / scale + (a === b ? lambda : 0);
      });
      for (let d = 0; d < dims; d++) {
        let s = lambda * n.data[i * n.stride + d];
        for (const j of held) s -= (E[i * rows + j] / scale) * n.data[j * n.stride + d];
        B[a * dims + d] = s;
      }
    });
    if (!solveDense(A, B, m, dims)) return undefined;
    const data = new Float64Array(n.data);
    let moved = 0;
    free.forEach((i, a) => {
      for (let k = 0; k < dims; k += 3) {
        const d = [0, 1, 2].map((x) => (k + x < dims ? B[a * dims + k + x] - n.data[i * n.stride + k + x] : 0));
        moved = Math.max(moved, Math.hypot(d[0], d[1], d[2]));
      }
      for (let d = 0; d < dims; d++) data[i * n.stride + d] = B[a * dims + d];
    });
    return { data, moved };
  };
  let best = { data: n.data, moved: 0 };
  // the smaller the weight, the further the points go: halved in powers
  let [low, high] = [-14, 4];
  const loose = trial(10 ** low);
  if (loose && loose.moved <= o.limit) best = loose;
  else
    for (let k = 0; k < 40; k++) {
      const mid = (low + high) / 2;
      const t = trial(10 ** mid);
      if (t && t.moved <= o.limit) {
        best = t;
        high = mid;
      } else low = mid;
    }
  return { net: { ...n, data: best.data }, moved: best.moved, before, after: energy(best.data) };
}
/** Gram matrix of third derivatives (second ones for degrees below three), by parameter. */
function jerkMatrix(n: Net): Float64Array {
  const rows = rowCount(n);
  const p = n.degree;
  const order = Math.min(3, p);
  const out = new Float64Array(rows * rows);
  const { values } = knotRuns(n.knots, p);
  const { nodes, weights } = gaussRule(Math.max(2, p));
  const b = new Float64Array(4 * (p + 1));
  for (let i = 0; i + 1 < values.length; i++) {
    const h = (values[i + 1] - values[i]) / 2;
    for (let q = 0; q < nodes.length; q++) {
      const t = values[i] + h * (1 + nodes[q]);
      const span = findSpan(n.knots, p, t);
      basisDerivatives(n.knots, p, span, t, order, b);
      for (let x = 0; x <= p; x++)
        for (let y = 0; y <= p; y++)
          out[(span - p + x) * rows + span - p + y] += weights[q] * h * b[order * (p + 1) + x] * b[order * (p + 1) + y];
    }
    // a cubic's third derivative jumps at its knots: the jumps count as well, so that they are spread evenly
    if (p === 3 && i > 0) {
      const [a, c] = [new Float64Array(4 * (p + 1)), new Float64Array(4 * (p + 1))];
      const [s0, s1] = [findSpan(n.knots, p, values[i] - 1e-9 * (values[i] - values[i - 1])), findSpan(n.knots, p, values[i])];
      basisDerivatives(n.knots, p, s0, values[i], 3, a);
      basisDerivatives(n.knots, p, s1, values[i], 3, c);
      const jump = new Map<number, number>();
      for (let x = 0; x <= p; x++) {
        jump.set(s0 - p + x, (jump.get(s0 - p + x) ?? 0) - a[3 * (p + 1) + x]);
        jump.set(s1 - p + x, (jump.get(s1 - p + x) ?? 0) + c[3 * (p + 1) + x]);
      }
      const w = (values[i + 1] - values[i - 1]) / 2;
      for (const [x, f] of jump) for (const [y, g] of jump) out[x * rows + y] += w * f * g;
    }
  }
  return out;
}
const four = new Float64Array(4);
/** Value of a net of stride four, as a point. */
export function netPoint(n: Net, t: number): [number, number, number] {
  evaluateNet(n, t, four);
  return [four[0] / four[3], four[1] / four[3], four[2] / four[3]];
}
