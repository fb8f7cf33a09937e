import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { changeBetween, rootBetween, signChange } from './index.ts';

const at = fc.double({ min: -100, max: 100, noNaN: true });
const width = fc.double({ min: 1e-3, max: 50, noNaN: true });

describe('roots of one number', () => {
  it('of polynomials, exponentials and steep steps, to the last digits', () =>
    fc.assert(
      fc.property(at, width, width, fc.constantFrom(1, 3, 5), (r, left, right, power) => {
        for (const g of [
          (x: number) => (x - r) ** power,
          (x: number) => -((x - r) ** power),
          (x: number) => Math.expm1(x - r),
          (x: number) => Math.atan(1e4 * (x - r)),
        ]) {
          const x = rootBetween(g, r - left, r + right);
          // a flat root of order five is known to the fifth root of what a number can hold
          expect(Math.abs(x - r)).toBeLessThan(power === 5 ? 1e-2 : power === 3 ? 1e-3 : 1e-11 * (1 + Math.abs(r)));
          const s = signChange(g, r - left, r + right);
          expect(Math.abs(s - r)).toBeLessThan(1e-12 * (1 + Math.abs(r) + left + right));
        }
      }),
      { numRuns: 300 },
    ));
  it('takes an end that is zero already, and stops where it is good enough', () => {
    expect(rootBetween((x) => x, 0, 5)).toBe(0);
    expect(rootBetween((x) => x - 5, 0, 5)).toBe(5);
    let calls = 0;
    const x = rootBetween(
      (t) => {
        calls++;
        return t - 0.3;
      },
      0,
      1,
      0.05,
    );
    expect(Math.abs(x - 0.3)).toBeLessThan(0.05);
    expect(calls).toBeLessThan(5);
  });
  it('needs few calls: a smooth root in far fewer than halving would', () => {
    let calls = 0;
    rootBetween(
      (x) => {
        calls++;
        return Math.cos(x) - x;
      },
      0,
      1,
      1e-14,
    );
    expect(calls).toBeLessThan(20);
  });
});

describe('a change between two places', () => {
  it('is closed in from either side: the last place before it, the first after it', () =>
    fc.assert(
      fc.property(at, width, width, fc.boolean(), (edge, a, b, down) => {
        const [from, to] = down ? [edge + a, edge - b] : [edge - a, edge + b];
        const holds = (x: number) => (down ? x > edge : x < edge);
        const [last, first] = changeBetween(holds, from, to);
        expect(holds(last)).toBe(true);
        expect(holds(first)).toBe(false);
        expect(Math.abs(last - first)).toBeLessThan(1e-12 * (1 + Math.abs(edge) + a + b));
      }),
      { numRuns: 300 },
    ));
  it('ends when nothing lies between any more', () => {
    let calls = 0;
    changeBetween(
      (x) => {
        calls++;
        return x < 1;
      },
      1 - Number.EPSILON,
      1 + Number.EPSILON,
      1000,
    );
    expect(calls).toBeLessThan(5);
  });
});
