import { describe, expect, it } from 'vitest';
import { BodyBuilder, bodyBox, loopArea, usedRange } from '../brep/index.ts';
import { WORLD } from '../math/index.ts';
import { seeded } from '../testing/mutate.ts';
import { circleCurve, curveExtent, domain, domainU, domainV, makeCurve, type NurbsCurve, pointAt } from './index.ts';

/** A wild closed curve: uniform knots inside, random places, random weights. */
function wild(seed: number, spans: number, degree: number): NurbsCurve {
  const r = seeded(seed);
  const n = spans + degree;
  const points = Array.from({ length: n }, (_, i) => {
    const [t, l] = [(2 * Math.PI * i) / (n - 1), 10 + 8 * r()];
    return [l * Math.cos(t), l * Math.sin(t), 4 * r()];
  });
  points[n - 1] = points[0];
  const inner = Array.from({ length: spans - 1 }, (_, i) => i + 1 + 0.8 * (r() - 0.5));
  const weights = seed % 2 ? points.map((_, i) => (i && i < n - 1 ? 0.3 + 2 * r() : 1)) : undefined;
  return makeCurve(degree, points, [...Array(degree + 1).fill(0), ...inner, ...Array(degree + 1).fill(spans)], weights);
}
const sampled = (c: NurbsCurve, a: number, b: number, n: number) => {
  const list = Array.from({ length: n + 1 }, (_, i) => pointAt(c, a + ((b - a) * i) / n));
  return { min: [0, 1, 2].map((k) => Math.min(...list.map((p) => p[k]))), max: [0, 1, 2].map((k) => Math.max(...list.map((p) => p[k]))) };
};

describe('how far a curve reaches', () => {
  it('a circle and its parts, to rounding error', () => {
    const c = circleCurve(WORLD, 7);
    const whole = curveExtent(c);
    [-7, -7, 0].forEach((x, k) => {
      expect(Math.abs(whole.min[k] - x)).toBeLessThan(1e-13);
    });
    const [a, b] = domain(c);
    // the middle half of the upper half: over its top, and as far to the sides as its ends
    const [t0, t1] = [a + (b - a) / 8, a + (3 * (b - a)) / 8];
    const upper = curveExtent(c, t0, t1);
    const ends = [pointAt(c, t0), pointAt(c, t1)];
    expect(upper.max[1]).toBeCloseTo(7, 12);
    expect(upper.min[1]).toBeCloseTo(Math.min(ends[0][1], ends[1][1]), 12);
    expect([upper.min[0], upper.max[0]]).toEqual([expect.closeTo(ends[1][0], 12), expect.closeTo(ends[0][0], 12)]);
  });
  it('120 wild curves and pieces of them: nothing of them outside, touched within what sampling can tell', () => {
    for (let seed = 0; seed < 120; seed++) {
      const spans = 1 + (seed % 40);
      const degree = 1 + (seed % 5);
      const c = wild(seed, spans, degree);
      const [a, b] = seed % 3 ? [0, spans] : [0.21 * spans, 0.73 * spans];
      const [e, s] = [curveExtent(c, a, b), sampled(c, a, b, 2000 * spans)];
      for (let k = 0; k < 3; k++) {
        expect(e.min[k]).toBeLessThanOrEqual(s.min[k] + 1e-12);
        expect(e.max[k]).toBeGreaterThanOrEqual(s.max[k] - 1e-12);
        // between two steps of 1/2000 of a span the curve bends away by no more
        expect(s.min[k] - e.min[k]).toBeLessThan(5e-3);
        expect(e.max[k] - s.max[k]).toBeLessThan(5e-3);
      }
    }
  });
  it('a flat face over a border with narrow tips holds all of it, and its area has the right sign and size', () => {
    for (let seed = 0; seed < 60; seed++) {
      const c = { ...wild(seed, 20 + seed, 3) };
      const control = c.control.slice();
      for (let i = 2; i < control.length; i += 4) control[i] = 0;
      const k = new BodyBuilder();
      const edge = k.edge({ ...c, control }, 'border');
      k.flatFace(WORLD, [[{ edge, reversed: seed % 2 === 0 }]], 'flat');
      const b = k.body();
      const [f] = b.faces;
      const [u0, u1, v0, v1] = usedRange(f, b);
      expect(u0).toBeGreaterThan(domainU(f.surface)[0]);
      expect(u1).toBeLessThan(domainU(f.surface)[1]);
      expect(v0).toBeGreaterThan(domainV(f.surface)[0]);
      expect(v1).toBeLessThan(domainV(f.surface)[1]);
      const box = bodyBox(b);
      expect(box.min[0]).toBeCloseTo(u0, 9);
      expect(box.max[1]).toBeCloseTo(v1, 9);
      const polygon = Array.from({ length: 40_000 }, (_, i) => pointAt({ ...c, control }, ((20 + seed) * i) / 40_000));
      const shoelace = polygon.reduce((s, p, i) => {
        const q = polygon[(i + 1) % polygon.length];
        return s + (p[0] * q[1] - p[1] * q[0]) / 2;
      }, 0);
      expect(loopArea(f.loops[0], b.edges)).toBeCloseTo(Math.abs(shoelace), 2);
    }
  });
});
