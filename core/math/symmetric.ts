import type { Vec3 } from './vector.ts';

/** Eigenvectors of a symmetric 3x3 matrix (rows), eigenvalues rising (Jacobi). */
export function symmetric3(m: readonly (readonly number[])[]): { values: [number, number, number]; axes: [Vec3, Vec3, Vec3] } {
  const a = m.map((r) => [...r]);
  const v = [
    [1, 0, 0],
    [0, 1, 0],
    [0, 0, 1],
  ];
  for (let sweep = 0; sweep < 40; sweep++) {
    if (Math.abs(a[0][1]) + Math.abs(a[0][2]) + Math.abs(a[1][2]) < 1e-300) break;
    for (const [p, q] of [
      [0, 1],
      [0, 2],
      [1, 2],
    ]) {
      if (a[p][q] === 0) continue;
      const theta = (a[q][q] - a[p][p]) / (2 * a[p][q]);
      const t = Math.sign(theta || 1) / (Math.abs(theta) + Math.hypot(theta, 1));
      const c = 1 / Math.hypot(t, 1);
      const s = t * c;
      for (let k = 0; k < 3; k++) [a[k][p], a[k][q]] = [c * a[k][p] - s * a[k][q], s * a[k][p] + c * a[k][q]];
      for (let k = 0; k < 3; k++) [a[p][k], a[q][k]] = [c * a[p][k] - s * a[q][k], s * a[p][k] + c * a[q][k]];
      for (let k = 0; k < 3; k++) [v[k][p], v[k][q]] = [c * v[k][p] - s * v[k][q], s * v[k][p] + c * v[k][q]];
    }
  }
  const order = [0, 1, 2].sort((i, j) => a[i][i] - a[j][j]);
  return {
    values: order.map((i) => a[i][i]) as [number, number, number],
    axes: order.map((i): Vec3 => [v[0][i], v[1][i], v[2][i]]) as [Vec3, Vec3, Vec3],
  };
}
/** Sum of the outer products of vectors with themselves. */
export const scatter = (list: readonly Vec3[]) => [0, 1, 2].map((i) => [0, 1, 2].map((j) => list.reduce((s, q) => s + q[i] * q[j], 0)));

/** Eigenvector of the smallest eigenvalue of a small symmetric matrix, by rows (Jacobi). */
export function smallestEigenvector(M: readonly Float64Array[]): Float64Array {
  const n = M.length;
  const A = M.map((r) => r.slice());
  const V = Array.from({ length: n }, (_, i) => Float64Array.from({ length: n }, (_, j) => (i === j ? 1 : 0)));
  jacobi(A, V);
  let best = 0;
  for (let i = 1; i < n; i++) if (A[i][i] < A[best][best]) best = i;
  return Float64Array.from({ length: n }, (_, i) => V[i][best]);
}
function jacobi(A: Float64Array[], V: Float64Array[]): void {
  const n = A.length;
  for (let sweep = 0; sweep < 60; sweep++) {
    let off = 0;
    for (let p = 0; p < n; p++) for (let q = p + 1; q < n; q++) off += A[p][q] ** 2;
    if (off < 1e-30) return;
    for (let p = 0; p < n; p++)
      for (let q = p + 1; q < n; q++) {
        if (Math.abs(A[p][q]) < 1e-300) continue;
        const theta = (A[q][q] - A[p][p]) / (2 * A[p][q]);
        const t = (theta >= 0 ? 1 : -1) / (Math.abs(theta) + Math.sqrt(theta * theta + 1));
        const c = 1 / Math.sqrt(t * t + 1);
        const s = t * c;
        for (let k = 0; k < n; k++) {
          const [x, y] = [A[k][p], A[k][q]];
          A[k][p] = c * x - s * y;
          A[k][q] = s * x + c * y;
        }
        for (let k = 0; k < n; k++) {
          const [x, y] = [A[p][k], A[q][k]];
          A[p][k] = c * x - s * y;
          A[q][k] = s * x + c * y;
        }
        for (let k = 0; k < n; k++) {
          const [x, y] = [V[k][p], V[k][q]];
          V[k][p] = c * x - s * y;
          V[k][q] = s * x + c * y;
        }
      }
  }
}
