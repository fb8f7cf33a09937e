import { describe, expect, it } from 'vitest';
import { evaluateFormula, formulaNames, gaussRule, solveBanded, solveDense } from './index.ts';

const value = (t: string, names: [string, number][] = []) => {
  const r = evaluateFormula(t, new Map(names));
  return r.ok ? r.value : r.message;
};

describe('formulas', () => {
  it.each([
    ['12', 12],
    ['0.5 in', 12.7],
    ['2 cm + 3 mm', 23],
    ['1ft', 304.8],
    ['2*(3+4)', 14],
    ['-3^2', -9],
    ['sqrt(16)', 4],
    ['sin(30)', 0.5],
    ['max(2, 7)', 7],
    ['30 deg', 30],
    ['1,5', 1.5],
    ['0.25 turn', 90],
    ['2e-3', 0.002],
  ])('%s', (text, want) => expect(value(text)).toBeCloseTo(want, 12));
  it('uses dials', () => expect(value('wall*2 + 1 mm', [['wall', 1.2]])).toBeCloseTo(3.4, 12));
  it.each([
    ['', 'nothing typed'],
    ['wall', 'no dial called "wall"'],
    ['1/0', 'division by zero'],
    ['2 3', 'side by side'],
    ['foo(2)', 'no function'],
    ['(2', 'cannot read'],
  ])('refuses %j', (text, why) => expect(value(text)).toContain(why));
  it('names', () => expect(formulaNames('wall*2 + 3 mm - sin(a1)')).toEqual(['wall', 'a1']));
});

describe('solvers', () => {
  it('dense and banded agree on a random banded system', () => {
    const n = 30;
    const half = 3;
    const w = 2 * half + 1;
    const A = new Float64Array(n * n);
    const banded = new Float64Array(n * w);
    for (let i = 0; i < n; i++)
      for (let j = Math.max(0, i - half); j <= Math.min(n - 1, i + half); j++) {
        const x = i === j ? 9 : Math.sin(i * 7 + j * 3);
        A[i * n + j] = x;
        banded[i * w + j - i + half] = x;
      }
    const b = Float64Array.from({ length: n * 2 }, (_, i) => Math.cos(i));
    const [x, y] = [Float64Array.from(b), Float64Array.from(b)];
    expect(solveDense(A, x, n, 2)).toBe(true);
    expect(solveBanded(banded, y, n, half, 2)).toBe(true);
    for (let i = 0; i < x.length; i++) expect(y[i]).toBeCloseTo(x[i], 11);
  });
  it('tells a singular system', () => expect(solveDense(new Float64Array(4), new Float64Array(2), 2, 1)).toBe(false));
  it('Gauss rules integrate polynomials of degree 2n-1 exactly', () => {
    for (const n of [2, 5, 12]) {
      const { nodes, weights } = gaussRule(n);
      const k = 2 * n - 2;
      expect(nodes.reduce((s, x, i) => s + weights[i] * x ** k, 0)).toBeCloseTo(2 / (k + 1), 13);
    }
  });
});
