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
  const held = new Set<number>(o.fixed);
  for (let i = 0; i <= o.keepStart; i++) held.add(i);
  for (let i = 0; i <= o.keepEnd; i++) held.add(rows - 1 - i);
  const free = Array.from({ length: rows }, (_, i) => i).filter((i) => !held.has(i));
  const before = energyOf(n, dims);
  if (!free.length || before === 0) return { net: n, moved: 0, before, after: before };
  let now: Net = n;
  let moved = 0;
  let best = { net: n, moved: 0, energy: before };
  // the speed along the spline changes as it is calmed
  for (let round = 0; round < 3; round++) {
    const r = calm(n, now, dims, jerkMatrix(now, dims), free, held, o.limit);
    now = { ...n, data: r.data };
    moved = r.moved;
    const e = energyOf(now, dims);
    if (e < best.energy) best = { net: now, moved, energy: e };
  }
  return { net: best.net, moved: best.moved, before, after: best.energy };
}
/** Integral of the squared third derivative by length. */
function energyOf(n: Net, dims: number): number {
  const rows = rowCount(n);
  const E = jerkMatrix(n, dims);
  let e = 0;
  for (let i = 0; i < rows; i++)
    for (let j = 0; j < rows; j++) {
      const w = E[i * rows + j];
      if (w === 0) continue;
      for (let d = 0; d < dims; d++) e += w * n.data[i * n.stride + d] * n.data[j * n.stride + d];
    }
  return Math.max(0, e);
}
/** The calmest points within the limit for a fixed energy matrix; movement counts from the points given first. */
function calm(
  first: Net,
  now: Net,
  dims: number,
  E: Float64Array,
  free: readonly number[],
  held: ReadonlySet<number>,
  limit: number,
): { data: Float64Array; moved: number } {
  const rows = rowCount(first);
  const stride = first.stride;
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
        let s = lambda * first.data[i * stride + d];
        for (const j of held) s -= (E[i * rows + j] / scale) * first.data[j * stride + d];
        B[a * dims + d] = s;
      }
    });
    if (!solveDense(A, B, m, dims)) return undefined;
    const data = new Float64Array(now.data);
    let moved = 0;
    free.forEach((i, a) => {
      for (let k = 0; k < dims; k += 3)
        moved = Math.max(moved, Math.hypot(...[0, 1, 2].map((x) => B[a * dims + k + x] - first.data[i * stride + k + x])));
      for (let d = 0; d < dims; d++) data[i * stride + d] = B[a * dims + d];
    });
    return { data, moved };
  };
  let best = { data: first.data, moved: 0 };
  // the smaller the weight of movement, the further the points go
  let [low, high] = [-14, 4];
  const loose = trial(10 ** low);
  if (loose && loose.moved <= limit) return loose;
  for (let k = 0; k < 40; k++) {
    const mid = (low + high) / 2;
    const t = trial(10 ** mid);
    if (t && t.moved <= limit) {
      best = t;
      high = mid;
    } else low = mid;
  }
  return best;
}
/**
 * Gram matrix of the third derivative by length, with the speed along the spline frozen as it is now:
 * D3 = d3/s^3 - 3 s' d2/s^4 + (3 s'^2/s^5 - s''/s^4) d1 on each basis function (second derivatives for degree two), so that a change of
 * speed alone is no unrest. Jumps of the third derivative of cubics at their knots count as well.
 */
function jerkMatrix(n: Net, dims: number): Float64Array {
  const rows = rowCount(n);
  const p = n.degree;
  const w = p + 1;
  const out = new Float64Array(rows * rows);
  const { values } = knotRuns(n.knots, p);
  const { nodes, weights } = gaussRule(Math.max(3, p + 1));
  const b = new Float64Array(4 * w);
  const lines = dims / 3;
  /** Speed and its first two derivatives from the basis at a place. */
  const speed = (span: number): readonly [number, number, number] => {
    let [v2, va, aa] = [0, 0, 0];
    for (let d = 0; d < dims; d++) {
      let [x, y, z] = [0, 0, 0];
      for (let j = 0; j <= p; j++) {
        const c = n.data[(span - p + j) * n.stride + d];
        x += b[w + j] * c;
        y += b[2 * w + j] * c;
        z += b[3 * w + j] * c;
      }
      v2 += x * x;
      va += x * y;
      aa += y * y + x * z;
    }
    const s = Math.sqrt(v2 / lines) || 1e-12;
    const s1 = va / lines / s;
    return [s, s1, (aa / lines - s1 * s1) / s];
  };
  const byLength = (span: number): Float64Array => {
    const [s, s1, s2] = speed(span);
    return Float64Array.from({ length: w }, (_, j) =>
      p < 3
        ? b[2 * w + j] / s ** 2 - (s1 * b[w + j]) / s ** 3
        : b[3 * w + j] / s ** 3 - (3 * s1 * b[2 * w + j]) / s ** 4 + ((3 * s1 * s1) / s ** 5 - s2 / s ** 4) * b[w + j],
    );
  };
  for (let i = 0; i + 1 < values.length; i++) {
    const h = (values[i + 1] - values[i]) / 2;
    for (let q = 0; q < nodes.length; q++) {
      const t = values[i] + h * (1 + nodes[q]);
      const span = findSpan(n.knots, p, t);
      basisDerivatives(n.knots, p, span, t, 3, b);
      const f = byLength(span);
      const [s] = speed(span);
      for (let x = 0; x <= p; x++)
        for (let y = 0; y <= p; y++) out[(span - p + x) * rows + span - p + y] += weights[q] * h * s * f[x] * f[y];
    }
    if (p !== 3 || i === 0) continue;
    const jump = new Map<number, number>();
    for (const [span, sign] of [
      [findSpan(n.knots, p, values[i] - 1e-9 * (values[i] - values[i - 1])), -1],
      [findSpan(n.knots, p, values[i]), 1],
    ] as const) {
      basisDerivatives(n.knots, p, span, values[i], 3, b);
      const f = byLength(span);
      for (let x = 0; x <= p; x++) jump.set(span - p + x, (jump.get(span - p + x) ?? 0) + sign * f[x]);
    }
    const [s] = speed(findSpan(n.knots, p, values[i]));
    const reach = (s * (values[i + 1] - values[i - 1])) / 2;
    for (const [x, f] of jump) for (const [y, g] of jump) out[x * rows + y] += reach * f * g;
  }
  return out;
}
const four = new Float64Array(4);
/** Value of a net of stride four, as a point. */
export function netPoint(n: Net, t: number): [number, number, number] {
  evaluateNet(n, t, four);
  return [four[0] / four[3], four[1] / four[3], four[2] / four[3]];
}
