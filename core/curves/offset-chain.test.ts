import { describe, expect, it } from 'vitest';
import { distance, type Vec3, WORLD } from '../math/index.ts';
import { arcLength, curveThrough, derivativesAt, domain, endPoint, type NurbsCurve, pointAt, startPoint } from '../nurbs/index.ts';
import { offsetChain } from './index.ts';

const randomOf = (seed: number) => {
  let state = seed * 7919 + 17;
  return () => (state = (state * 16807) % 2147483647) / 2147483647;
};
/** A closed spline with points round the origin, more and less far; tight in places, sometimes crossing itself. */
const blob = (seed: number, size = 20): NurbsCurve => {
  const random = randomOf(seed);
  const n = 6 + Math.floor(8 * random());
  const wild = 0.2 + 0.7 * random();
  return curveThrough(
    Array.from({ length: n }, (_, i): Vec3 => {
      const r = size * (1 - wild * random());
      return [r * Math.cos((2 * Math.PI * i) / n), r * Math.sin((2 * Math.PI * i) / n), 0];
    }),
    { degree: 3, closed: true },
  );
};

/** The same by brute force, sharing nothing with the construction: a dense polygon of the curve, and its offset point by point. */
function judge(c: NurbsCurve, d: number, chains: readonly (readonly NurbsCurve[])[], tolerance: number) {
  const [a, b] = domain(c);
  const n = 6000;
  const source = Array.from({ length: n }, (_, i) => {
    const [p, v] = derivativesAt(c, a + ((b - a) * i) / n, 1);
    const l = Math.hypot(v[0], v[1]);
    return { p, q: [p[0] - (d * v[1]) / l, p[1] + (d * v[0]) / l, 0] as Vec3 };
  });
  const step = Math.max(...source.map((x, i) => distance(x.p, source[(i + 1) % n].p)));
  const fromSource = (p: Vec3) => {
    let best = Infinity;
    for (const x of source) best = Math.min(best, (x.p[0] - p[0]) ** 2 + (x.p[1] - p[1]) ** 2);
    return Math.sqrt(best);
  };
  // a polygon's vertex is at most this much farther away than the curve
  const slack = step ** 2 / (2 * Math.abs(d)) + step ** 2 / Math.abs(d) + tolerance;
  const result = chains.flat().flatMap((k) => {
    const [s, e] = domain(k);
    return Array.from({ length: 801 }, (_, i) => pointAt(k, s + ((e - s) * i) / 800));
  });
  let wrong = 0;
  for (let i = 0; i < result.length; i += 20) {
    const off = fromSource(result[i]) - Math.abs(d);
    wrong = Math.max(wrong, -off - tolerance, off - slack);
  }
  // what of the offset is at the distance must be there
  const gap = Math.max(0, ...chains.flat().map((k) => arcLength(k) / 150));
  let missing = 0;
  for (let i = 0; i < n; i += 7) {
    const { q } = source[i];
    if (fromSource(q) < Math.abs(d) * (1 - 1e-6)) continue;
    let best = Infinity;
    for (const r of result) best = Math.min(best, (r[0] - q[0]) ** 2 + (r[1] - q[1]) ** 2);
    // near its ends a stretch may be kept by one and not by the other
    if (Math.sqrt(best) > gap + 0.02 * Math.abs(d) + 3 * step) missing++;
  }
  return { wrong, missing };
}
const openBy = (chains: readonly (readonly NurbsCurve[])[]) =>
  Math.max(0, ...chains.flatMap((list) => list.map((c, i) => distance(endPoint(c), startPoint(list[(i + 1) % list.length])))));

describe('offsets of closed splines that bend tighter than the distance', () => {
  it.each(Array.from({ length: Number(process.env.SEEDS ?? 40) }, (_, i) => i + Number(process.env.FROM ?? 0)))('seed %i', (seed) => {
    const random = randomOf(seed + 1000);
    const c = blob(seed);
    const d = (random() < 0.5 ? -1 : 1) * 10 ** (-1 + 1.7 * random());
    const r = offsetChain([c], true, WORLD, d, 'round', 1e-3);
    expect(r.open).toEqual([]);
    expect(openBy(r.chains)).toBeLessThan(1e-7);
    expect(r.deviation).toBeLessThan(1.01e-3);
    const { wrong, missing } = judge(c, d, r.chains, 1e-3);
    expect(wrong).toBeLessThan(1e-6);
    expect(missing).toBe(0);
  });
  it('the same at ten micrometres: what crosses is cut there too', () => {
    for (let seed = 0; seed < 12; seed++) {
      const c = blob(seed, 0.01);
      const big = offsetChain([blob(seed)], true, WORLD, 3, 'round', 2e-3);
      const small = offsetChain([c], true, WORLD, 0.0015, 'round', 1e-6);
      expect(small.open).toEqual([]);
      expect(small.chains.length).toBe(big.chains.length);
      const total = (x: typeof big) => x.chains.flat().reduce((s, k) => s + arcLength(k), 0);
      expect(total(small) * 2000).toBeCloseTo(total(big), 1);
    }
  });
});
