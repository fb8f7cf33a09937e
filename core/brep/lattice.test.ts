import { describe, expect, it } from 'vitest';
import { type Vec3, WORLD } from '../math/index.ts';
import { seeded } from '../testing/mutate.ts';
import { type Lattice, latticeIndex, latticeJet, latticeMap, latticeRest } from './index.ts';

const box = { frame: WORLD, low: [0, 0, 0] as Vec3, high: [10, 20, 30] as Vec3, counts: [3, 2, 4] as const };
const rest = (): Vec3[] => {
  const out: Vec3[] = [];
  for (let k = 0; k < 4; k++) for (let j = 0; j < 2; j++) for (let i = 0; i < 3; i++) out.push(latticeRest(box, i, j, k));
  return out;
};
describe('a lattice', () => {
  it('at rest it moves nothing; moved as one by an affine map it is that map, everywhere', () => {
    const r = seeded(4);
    const still = latticeMap({ ...box, moved: rest() });
    const affine = (p: Vec3): Vec3 => [p[0] + 0.2 * p[1] + 3, 1.1 * p[1] - 0.1 * p[2], p[2] + 0.3 * p[0]];
    const map: Lattice = { ...box, moved: rest().map(affine) };
    for (let n = 0; n < 200; n++) {
      const p: Vec3 = [14 * r() - 2, 24 * r() - 2, 34 * r() - 2];
      expect(still(p)).toEqual(p);
      const [q, a] = [latticeJet(map, p), affine(p)];
      expect(Math.hypot(...q.at.map((x, k) => x - a[k]))).toBeLessThan(1e-11);
      // its volume ratio is the determinant
      expect(q.ratio).toBeCloseTo(1 * (1.1 * 1 - 0 * -0.1) - 0.2 * (0 * 1 - -0.1 * 0.3) + 0, 9);
    }
  });
  it('corners go where they are put; the volume ratio is that of small boxes, and tells where space turns inside out', () => {
    const moved = rest();
    moved[latticeIndex(box, 2, 1, 3)] = [13, 24, 33];
    const l = { ...box, moved };
    expect(latticeMap(l)([10, 20, 30]).map((x) => Number(x.toFixed(9)))).toEqual([13, 24, 33]);
    const p: Vec3 = [7, 13, 21];
    const h = 1e-5;
    const [x, y, z] = [0, 1, 2].map((d) => {
      const [a, b] = [-h, h].map((e) => latticeMap(l)(p.map((v, k) => v + (k === d ? e : 0)) as unknown as Vec3));
      return b.map((v, k) => (v - a[k]) / (2 * h));
    });
    const det = x[0] * (y[1] * z[2] - y[2] * z[1]) - x[1] * (y[0] * z[2] - y[2] * z[0]) + x[2] * (y[0] * z[1] - y[1] * z[0]);
    expect(latticeJet(l, p).ratio).toBeCloseTo(det, 6);
    const past = rest();
    past[latticeIndex(box, 2, 1, 3)] = [-20, 20, 30];
    expect(latticeJet({ ...box, moved: past }, [10, 20, 30]).ratio).toBeLessThan(0);
  });
});
