/** Dense and banded linear solvers over Float64Array. Matrices are row-major. */

/** Solves A·X = B in place by Gaussian elimination with partial pivoting. A is n x n, B is n x m. Returns false when singular. */
export function solveDense(A: Float64Array, B: Float64Array, n: number, m: number): boolean {
  for (let k = 0; k < n; k++) {
    let p = k;
    for (let i = k + 1; i < n; i++) if (Math.abs(A[i * n + k]) > Math.abs(A[p * n + k])) p = i;
    const pivot = A[p * n + k];
    if (!(Math.abs(pivot) > 1e-300)) return false;
    if (p !== k) {
      for (let j = k; j < n; j++) [A[k * n + j], A[p * n + j]] = [A[p * n + j], A[k * n + j]];
      for (let j = 0; j < m; j++) [B[k * m + j], B[p * m + j]] = [B[p * m + j], B[k * m + j]];
    }
    for (let i = k + 1; i < n; i++) {
      const f = A[i * n + k] / pivot;
      if (f === 0) continue;
      for (let j = k; j < n; j++) A[i * n + j] -= f * A[k * n + j];
      for (let j = 0; j < m; j++) B[i * m + j] -= f * B[k * m + j];
    }
  }
  for (let k = n - 1; k >= 0; k--) {
    for (let j = 0; j < m; j++) {
      let s = B[k * m + j];
      for (let i = k + 1; i < n; i++) s -= A[k * n + i] * B[i * m + j];
      B[k * m + j] = s / A[k * n + k];
    }
  }
  return true;
}

/**
 * Solves a banded system in place without pivoting (totally positive collocation matrices need none, de Boor 1978, ch. XIII).
 * `A` holds n rows of 2·half+1 entries, entry (i, j) at i*(2·half+1) + j-i+half. `B` is n x m.
 */
export function solveBanded(A: Float64Array, B: Float64Array, n: number, half: number, m: number): boolean {
  const w = 2 * half + 1;
  for (let k = 0; k < n; k++) {
    const pivot = A[k * w + half];
    if (!(Math.abs(pivot) > 1e-300)) return false;
    for (let i = k + 1; i <= Math.min(n - 1, k + half); i++) {
      const f = A[i * w + k - i + half] / pivot;
      if (f === 0) continue;
      for (let j = k; j <= Math.min(n - 1, k + half); j++) A[i * w + j - i + half] -= f * A[k * w + j - k + half];
      for (let j = 0; j < m; j++) B[i * m + j] -= f * B[k * m + j];
    }
  }
  for (let k = n - 1; k >= 0; k--)
    for (let j = 0; j < m; j++) {
      let s = B[k * m + j];
      for (let i = k + 1; i <= Math.min(n - 1, k + half); i++) s -= A[k * w + i - k + half] * B[i * m + j];
      B[k * m + j] = s / A[k * w + half];
    }
  return true;
}

/**
 * Solves a symmetric positive definite banded system by Cholesky factors, in place. `A` holds the lower band: entry (i, j), j <= i, at
 * i*(half+1) + half-(i-j). `B` is one right hand side. Returns false when the matrix is not positive definite.
 */
export function solveSymmetricBanded(A: Float64Array, B: Float64Array, n: number, half: number): boolean {
  const w = half + 1;
  for (let i = 0; i < n; i++) {
    const from = Math.max(0, i - half);
    for (let j = from; j <= i; j++) {
      let s = A[i * w + half - i + j];
      const start = Math.max(from, j - half);
      const oi = i * w + half - i;
      const oj = j * w + half - j;
      for (let k = start; k < j; k++) s -= A[oi + k] * A[oj + k];
      if (j < i) A[oi + j] = s / A[oj + j];
      else if (s > 0) A[oi + i] = Math.sqrt(s);
      else return false;
    }
  }
  for (let i = 0; i < n; i++) {
    let s = B[i];
    const o = i * w + half - i;
    for (let k = Math.max(0, i - half); k < i; k++) s -= A[o + k] * B[k];
    B[i] = s / A[o + i];
  }
  for (let i = n - 1; i >= 0; i--) {
    let s = B[i];
    for (let k = i + 1; k <= Math.min(n - 1, i + half); k++) s -= A[k * w + half - k + i] * B[k];
    B[i] = s / A[i * w + half];
  }
  return true;
}

/** Gauss-Legendre nodes and weights on [-1, 1] (Newton on the Legendre recurrence). */
export function gaussLegendre(n: number): { nodes: Float64Array; weights: Float64Array } {
  const nodes = new Float64Array(n);
  const weights = new Float64Array(n);
  for (let i = 0; i < n; i++) {
    let x = Math.cos((Math.PI * (i + 0.75)) / (n + 0.5));
    let d = 1;
    for (let k = 0; k < 100; k++) {
      let p0 = 1;
      let p1 = x;
      for (let j = 2; j <= n; j++) [p0, p1] = [p1, ((2 * j - 1) * x * p1 - (j - 1) * p0) / j];
      d = (n * (x * p1 - p0)) / (x * x - 1);
      const dx = p1 / d;
      x -= dx;
      if (Math.abs(dx) < 1e-16) break;
    }
    nodes[n - 1 - i] = x;
    weights[n - 1 - i] = 2 / ((1 - x * x) * d * d);
  }
  return { nodes, weights };
}
const rules = new Map<number, { nodes: Float64Array; weights: Float64Array }>();
/** Cached Gauss-Legendre rule. */
export function gaussRule(n: number) {
  let r = rules.get(n);
  if (!r) rules.set(n, (r = gaussLegendre(n)));
  return r;
}
