import { expect, it } from 'vitest';
import type { Vec3 } from '../math/index.ts';
import { seeded } from '../testing/mutate.ts';
import { ball, placed, ringBody } from '../testing/random-bodies.ts';
import { extentsOf, meshBody } from './index.ts';

it('extents are exact: a ball and a ring leaning by 45 degrees, R sin + r', () => {
  const r = seeded(2);
  for (let k = 0; k < 5; k++) {
    const e = extentsOf(placed(ball(7), r, 40));
    for (const d of [0, 1, 2]) expect(Math.abs(e.high[d] - e.low[d] - 14)).toBeLessThan(1e-9);
  }
  const lean = Math.sqrt(0.5);
  const d: Vec3 = [lean, 0, lean];
  const e = extentsOf(ringBody(18, 5), [d, [0, 1, 0], [0, 0, 1]]);
  expect(Math.abs(e.high[0] - (18 * lean + 5))).toBeLessThan(1e-9);
  expect(Math.abs(e.low[0] + 18 * lean + 5)).toBeLessThan(1e-9);
  expect([e.high[1], e.high[2]].map((x) => Number(x.toFixed(9)))).toEqual([23, 5]);
});
it('a turned ring reaches as far as a fine mesh of it, and a hair beyond', () => {
  const r = seeded(4);
  for (let k = 0; k < 3; k++) {
    const ring = placed(ringBody(18, 5), r, 40);
    const e = extentsOf(ring);
    const fine = meshBody(ring, { chord: 0.01 }).positions;
    for (const d of [0, 1, 2]) {
      let [lo, hi] = [Infinity, -Infinity];
      for (let i = d; i < fine.length; i += 3) [lo, hi] = [Math.min(lo, fine[i]), Math.max(hi, fine[i])];
      expect(e.low[d]).toBeLessThanOrEqual(lo + 1e-9);
      expect(e.high[d]).toBeGreaterThanOrEqual(hi - 1e-9);
      expect(lo - e.low[d] + (e.high[d] - hi)).toBeLessThan(0.02);
    }
  }
});
