import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { gaussLegendre, gaussRule, solveBanded, solveDense, solveSymmetricBanded } from './index.ts';

const number = fc.double({ min: -10, max: 10, noNaN: true });
const rows = (n: number) => fc.array(number, { minLength: n, maxLength: n });
const matrix = (n: number) => fc.array(rows(n), { minLength: n, maxLength: n });
const times = (A: readonly (readonly number[])[], x: ArrayLike<number>, m = 1): number[] =>
  A.flatMap((row) => Array.from({ length: m }, (_, c) => row.reduce((s, a, j) => s + a * x[j * m + c], 0)));
/** Largest difference between two lists. */
const off = (a: ArrayLike<number>, b: ArrayLike<number>) => Math.max(...Array.from(a, (x, i) => Math.abs(x - b[i])));

describe('dense systems', () => {
  it('solve what they are made from, for several right hand sides at once', () =>
    fc.assert(
      fc.property(
        fc.integer({ min: 1, max: 9 }).chain((n) => fc.tuple(matrix(n), rows(n * 3))),
        ([A, x]) => {
          const n = A.length;
          // a heavy diagonal keeps it far from singular
          const heavy = A.map((r, i) => r.map((v, j) => v + (i === j ? 40 * n : 0)));
          const B = Float64Array.from(times(heavy, x, 3));
          expect(solveDense(Float64Array.from(heavy.flat()), B, n, 3)).toBe(true);
          expect(off(B, x)).toBeLessThan(1e-12 * 10 * n);
        },
      ),
      { numRuns: 200 },
    ));
  it('exchange rows where the first pivot is zero', () => {
    const B = Float64Array.from([3, 5, 7]);
    expect(solveDense(Float64Array.from([0, 1, 0, 0, 0, 1, 1, 0, 0]), B, 3, 1)).toBe(true);
    expect([...B]).toEqual([7, 3, 5]);
  });
  it('say when there is no answer', () => {
    expect(solveDense(Float64Array.from([1, 2, 2, 4]), Float64Array.from([1, 1]), 2, 1)).toBe(false);
    expect(solveDense(Float64Array.from([Number.NaN, 0, 0, 1]), Float64Array.from([1, 1]), 2, 1)).toBe(false);
    expect(solveDense(Float64Array.from([0]), Float64Array.from([1]), 1, 1)).toBe(false);
  });
});

describe('banded systems', () => {
  const shaped = fc
    .record({ n: fc.integer({ min: 1, max: 30 }), half: fc.integer({ min: 0, max: 4 }), seed: rows(300), x: rows(60) })
    .map(({ n, half, seed, x }) => ({
      n,
      half,
      x: x.slice(0, 2 * n),
      A: Array.from({ length: n }, (_, i) =>
        Array.from({ length: n }, (_, j) => (Math.abs(i - j) > half ? 0 : seed[(i * 7 + j * 3) % 300] + (i === j ? 100 : 0))),
      ),
    }));
  it('agree with the full matrix', () =>
    fc.assert(
      fc.property(shaped, ({ n, half, A, x }) => {
        const w = 2 * half + 1;
        const band = new Float64Array(n * w);
        for (let i = 0; i < n; i++)
          for (let j = Math.max(0, i - half); j <= Math.min(n - 1, i + half); j++) band[i * w + j - i + half] = A[i][j];
        const B = Float64Array.from(times(A, x, 2));
        expect(solveBanded(band, B, n, half, 2)).toBe(true);
        expect(off(B, x)).toBeLessThan(1e-11);
      }),
      { numRuns: 200 },
    ));
  it('by Cholesky where they are symmetric, and refuse what is not positive', () =>
    fc.assert(
      fc.property(shaped, ({ n, half, A, x }) => {
        const S = A.map((r, i) => r.map((_, j) => (A[i][j] + A[j][i]) / 2));
        const w = half + 1;
        const lower = new Float64Array(n * w);
        for (let i = 0; i < n; i++) for (let j = Math.max(0, i - half); j <= i; j++) lower[i * w + half - (i - j)] = S[i][j];
        const B = Float64Array.from(times(S, x.slice(0, n)));
        expect(solveSymmetricBanded(lower.slice(), B, n, half)).toBe(true);
        expect(off(B, x)).toBeLessThan(1e-11);
        // one diagonal entry below zero: not positive definite
        const bad = lower.slice();
        bad[(n - 1) * w + half] = -1;
        expect(solveSymmetricBanded(bad, Float64Array.from(B), n, half)).toBe(false);
      }),
      { numRuns: 200 },
    ));
});

describe('Gauss-Legendre rules', () => {
  it.each([1, 2, 3, 5, 8, 16, 24])('with %i nodes are exact to degree 2n - 1, and not beyond', (n) => {
    const { nodes, weights } = gaussLegendre(n);
    const integral = (k: number) => nodes.reduce((s, x, i) => s + weights[i] * x ** k, 0);
    for (let k = 0; k <= 2 * n - 1; k++) expect(Math.abs(integral(k) - (k % 2 ? 0 : 2 / (k + 1)))).toBeLessThan(1e-13);
    if (n < 10) expect(Math.abs(integral(2 * n) - 2 / (2 * n + 1))).toBeGreaterThan(1e-7);
    expect([...nodes]).toEqual([...nodes].sort((a, b) => a - b));
    expect(gaussRule(n)).toBe(gaussRule(n));
  });
});
