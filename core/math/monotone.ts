import { solveDense } from './solve.ts';

export interface MonotoneMap {
  (s: number): number;
  /** Derivatives that are continuous at the given places: 2 where the cubic spline is monotone, else 1. */
  readonly smooth: 1 | 2;
}
/**
 * Rising map through (x_i, y_i), piecewise cubic: the C2 spline where that rises everywhere (natural ends; periodic parts repeat), else C1
 * with harmonic slopes (Fritsch, Butland 1984). Maps that do not repeat end at (a, a) and (b, b).
 */
export function monotoneMap(x: readonly number[], y: readonly number[], a: number, b: number, periodic: boolean): MonotoneMap {
  const period = b - a;
  const X = periodic ? [...x, x[0] + period] : [a, ...x, b];
  const Y = periodic ? [...y, y[0] + period] : [a, ...y, b];
  const n = X.length - 1;
  const h = X.slice(1).map((v, i) => v - X[i]);
  const d = h.map((g, i) => (Y[i + 1] - Y[i]) / g);
  const spline = splineSlopes(h, d, periodic);
  // sufficient for a rising cubic: both slopes between zero and three times the rise (Fritsch, Carlson 1980)
  const rises = spline && d.every((r, i) => r > 0 && spline[i] >= 0 && spline[i] <= 3 * r && spline[i + 1] >= 0 && spline[i + 1] <= 3 * r);
  const m =
    rises && spline
      ? spline
      : X.map((_, i) => {
          const before = i > 0 ? i - 1 : periodic ? n - 1 : -1;
          const after = i < n ? i : periodic ? 0 : -1;
          if (before < 0) return d[0];
          if (after < 0) return d[n - 1];
          const w = (h[before] + 2 * h[after]) / (3 * (h[before] + h[after]));
          return d[before] * d[after] > 0 ? (d[before] * d[after]) / (w * d[after] + (1 - w) * d[before]) : 0;
        });
  const map = (given: number) => {
    const turns = periodic ? Math.floor((given - X[0]) / period) : 0;
    const s = given - turns * period;
    let i = 0;
    while (i < n - 1 && s > X[i + 1]) i++;
    const t = (s - X[i]) / h[i];
    const [t2, t3] = [t * t, t * t * t];
    return (
      turns * period +
      Y[i] * (1 - 3 * t2 + 2 * t3) +
      Y[i + 1] * (3 * t2 - 2 * t3) +
      h[i] * (m[i] * (t - 2 * t2 + t3) + m[i + 1] * (t3 - t2))
    );
  };
  return Object.assign(map, { smooth: rises ? (2 as const) : (1 as const) });
}
/** Slopes of the C2 cubic spline at its places: natural ends, or repeating. */
function splineSlopes(h: readonly number[], d: readonly number[], periodic: boolean): number[] | undefined {
  const n = h.length;
  const size = periodic ? n : n + 1;
  const A = new Float64Array(size * size);
  const B = new Float64Array(size);
  for (let i = 0; i < size; i++) {
    const before = i > 0 ? i - 1 : periodic ? n - 1 : -1;
    const after = i < n ? i : -1;
    if (before < 0 || after < 0) {
      const k = before < 0 ? after : before;
      A[i * size + i] += 2;
      A[i * size + (before < 0 ? i + 1 : i - 1)] += 1;
      B[i] = 3 * d[k];
      continue;
    }
    A[i * size + ((i + size - 1) % size)] += 1 / h[before];
    A[i * size + i] += 2 / h[before] + 2 / h[after];
    A[i * size + ((i + 1) % size)] += 1 / h[after];
    B[i] = (3 * d[before]) / h[before] + (3 * d[after]) / h[after];
  }
  if (!solveDense(A, B, size, 1)) return undefined;
  return periodic ? [...B, B[0]] : [...B];
}
/** List of joints of a ring, turned (and moved by a period) to lie nearest to `like`. */
export function nearestTurn(list: readonly number[], like: readonly number[]): number[] {
  const n = list.length;
  let best: number[] = [...list];
  let least = Infinity;
  for (let k = -n; k <= n; k++) {
    const l = list.map((_, i) => list[(((i + k) % n) + n) % n] + Math.floor((i + k) / n));
    const c = l.reduce((s, v, i) => s + (v - like[i]) ** 2, 0);
    if (c < least) [best, least] = [l, c];
  }
  return best;
}
/** s with map(s) = v. */
export function solveMap(map: (s: number) => number, v: number, a: number, b: number): number {
  let [low, high] = [a - (b - a), b + (b - a)];
  for (let k = 0; k < 60; k++) {
    const m = (low + high) / 2;
    if (map(m) < v) low = m;
    else high = m;
  }
  return (low + high) / 2;
}
