import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import {
  basisDerivatives,
  checkDegree,
  clampedKnots,
  clipNet,
  DegreeError,
  domainOf,
  elevateNet,
  evaluateNet,
  findSpan,
  greville,
  growEnd,
  insertKnots,
  interpolateInSpace,
  knotRuns,
  MAX_DEGREE,
  makeCompatible,
  multiplicityOf,
  type Net,
  raiseMultiplicity,
  remapNet,
  removeKnotOnce,
  reverseNet,
  rowCount,
  splitNet,
  straightenEnd,
} from './index.ts';

const coordinate = fc.double({ min: -30, max: 30, noNaN: true });
/** Nets of any degree with uneven, also repeated, inner knots. */
const nets = fc
  .record({
    degree: fc.integer({ min: 1, max: 8 }),
    inner: fc.array(fc.tuple(fc.integer({ min: 1, max: 19 }), fc.integer({ min: 1, max: 3 })), { maxLength: 5 }),
    data: fc.array(coordinate, { minLength: 90, maxLength: 90 }),
  })
  .map(({ degree, inner, data }): Net => {
    const at = [...new Map(inner)].sort((a, b) => a[0] - b[0]).flatMap(([t, m]) => Array(Math.min(m, degree)).fill(t / 20));
    const knots = Float64Array.from([...Array(degree + 1).fill(0), ...at, ...Array(degree + 1).fill(1)]);
    const rows = knots.length - degree - 1;
    return { degree, knots, stride: 3, data: Float64Array.from({ length: rows * 3 }, (_, i) => data[i % 90]) };
  });
const share = fc.double({ min: 0, max: 1, noNaN: true });
const at = (n: Net, t: number): number[] => {
  const out = new Float64Array(n.stride);
  evaluateNet(n, t, out);
  return [...out];
};
const apart = (a: number[], b: number[]) => Math.hypot(...a.map((x, i) => x - b[i]));
/** Largest distance between two nets over one stretch. */
const differ = (a: Net, b: Net, from: number, to: number, map = (t: number) => t) =>
  Math.max(...Array.from({ length: 33 }, (_, i) => from + ((to - from) * i) / 32).map((t) => apart(at(a, t), at(b, map(t)))));

describe('bases', () => {
  it('sum to one, never below zero, and their derivatives sum to nothing', () =>
    fc.assert(
      fc.property(nets, share, (n, t) => {
        const out = new Float64Array((n.degree + 1) * 3);
        const order = Math.min(2, n.degree);
        basisDerivatives(n.knots, n.degree, findSpan(n.knots, n.degree, t), t, order, out);
        const row = (k: number) => [...out.subarray(k * (n.degree + 1), (k + 1) * (n.degree + 1))];
        expect(row(0).reduce((s, x) => s + x, 0)).toBeCloseTo(1, 12);
        expect(Math.min(...row(0))).toBeGreaterThan(-1e-12);
        for (let k = 1; k <= order; k++) {
          const size = Math.max(1, ...row(k).map(Math.abs));
          expect(Math.abs(row(k).reduce((s, x) => s + x, 0)) / size).toBeLessThan(1e-9);
        }
      }),
      { numRuns: 300 },
    ));
  it('the short ways for values and first derivatives agree with the general one', () =>
    fc.assert(
      fc.property(nets, share, (n, t) => {
        const w = n.degree + 1;
        const rows = (order: number) => {
          const out = new Float64Array(w * 4);
          basisDerivatives(n.knots, n.degree, findSpan(n.knots, n.degree, t), t, order, out);
          return [...out.subarray(0, 2 * w)];
        };
        const general = rows(3);
        const size = Math.max(1, ...general.map(Math.abs));
        expect(apart(rows(1), general) / size).toBeLessThan(1e-13);
        expect(apart(rows(0).slice(0, w), general.slice(0, w))).toBeLessThan(1e-14);
      }),
      { numRuns: 300 },
    ));
  it('the span holds the parameter; the last one holds the end', () =>
    fc.assert(
      fc.property(nets, share, (n, t) => {
        const k = findSpan(n.knots, n.degree, t);
        expect(n.knots[k]).toBeLessThanOrEqual(t);
        expect(n.knots[k + 1]).toBeGreaterThan(n.knots[k]);
        if (t < 1) expect(n.knots[k + 1]).toBeGreaterThan(t);
      }),
    ));
  it('degrees that do not fit are refused in words, here and not deep inside', () => {
    expect(() => checkDegree(MAX_DEGREE)).not.toThrow();
    expect(() => checkDegree(MAX_DEGREE + 1)).toThrow(DegreeError);
    expect(() => checkDegree(MAX_DEGREE + 1)).toThrow(/degree/i);
  });
});

describe('nets keep their shape', () => {
  const runs = { numRuns: 250 };
  it('when knots go in, one or many', () =>
    fc.assert(
      fc.property(nets, fc.array(fc.double({ min: 0.01, max: 0.99, noNaN: true }), { minLength: 1, maxLength: 4 }), (n, ts) => {
        const fresh = [...new Set(ts.map((t) => Math.round(t * 1000) / 1000))].filter((t) => multiplicityOf(n.knots, t) === 0);
        const m = insertKnots(n, fresh);
        expect(rowCount(m)).toBe(rowCount(n) + fresh.length);
        expect(differ(n, m, 0, 1)).toBeLessThan(1e-11);
      }),
      runs,
    ));
  it('when a knot is raised to full multiplicity: the curve passes through a control point there', () =>
    fc.assert(
      fc.property(nets, fc.double({ min: 0.05, max: 0.95, noNaN: true }), (n, t) => {
        const m = raiseMultiplicity(n, t, n.degree);
        expect(multiplicityOf(m.knots, t)).toBeGreaterThanOrEqual(n.degree);
        expect(differ(n, m, 0, 1)).toBeLessThan(1e-10);
        const p = at(n, t);
        const least = Math.min(...Array.from({ length: rowCount(m) }, (_, i) => apart([...m.data.subarray(3 * i, 3 * i + 3)], p)));
        expect(least).toBeLessThan(1e-9);
      }),
      runs,
    ));
  it('when an inserted knot comes out again, and refuses one that is needed', () =>
    fc.assert(
      fc.property(nets, (n) => {
        const t = 0.5125;
        const back = removeKnotOnce(insertKnots(n, [t]), t, 1e-7);
        expect(back).toBeDefined();
        if (back) expect(differ(n, back, 0, 1)).toBeLessThan(1e-6);
      }),
      runs,
    ));
  it('when the degree is raised', () =>
    fc.assert(
      fc.property(
        nets.filter((n) => n.degree <= 6),
        fc.integer({ min: 1, max: 3 }),
        (n, by) => {
          const m = elevateNet(n, by);
          expect(m.degree).toBe(n.degree + by);
          expect(differ(n, m, 0, 1)).toBeLessThan(1e-8);
          // smoothness stays: each inner knot gains exactly as much multiplicity
          const [a, b] = [knotRuns(n.knots, n.degree), knotRuns(m.knots, m.degree)];
          expect(b.values).toEqual(a.values);
          expect(b.multiplicities.slice(1, -1)).toEqual(a.multiplicities.slice(1, -1).map((k) => k + by));
        },
      ),
      runs,
    ));
  it('when split, clipped, turned round, or counted anew', () =>
    fc.assert(
      fc.property(nets, fc.double({ min: 0.05, max: 0.95, noNaN: true }), (n, t) => {
        const [a, b] = splitNet(n, t);
        expect(domainOf(a.knots, n.degree)).toEqual([0, t]);
        expect(domainOf(b.knots, n.degree)).toEqual([t, 1]);
        expect(Math.max(differ(n, a, 0, t), differ(n, b, t, 1))).toBeLessThan(1e-10);
        const c = clipNet(n, t / 3, t);
        expect(differ(n, c, t / 3, t)).toBeLessThan(1e-9);
        expect(differ(n, reverseNet(n), 0, 1, (x) => 1 - x)).toBeLessThan(1e-11);
        expect(differ(n, remapNet(n, -4, 6), 0, 1, (x) => -4 + 10 * x)).toBeLessThan(1e-9);
      }),
      runs,
    ));
  it('when several are brought onto one degree and one row of knots', () =>
    fc.assert(
      fc.property(
        fc.array(
          nets.filter((n) => n.degree <= 4),
          { minLength: 2, maxLength: 3 },
        ),
        (list) => {
          const out = makeCompatible(list);
          for (const [i, m] of out.entries()) {
            expect([...m.knots]).toEqual([...out[0].knots]);
            expect(m.degree).toBe(out[0].degree);
            expect(differ(list[i], m, 0, 1)).toBeLessThan(1e-7);
          }
        },
      ),
      { numRuns: 120 },
    ));
});

describe('nets go on beyond their end', () => {
  it('with their own polynomial: derivatives of every order run through', () =>
    fc.assert(
      fc.property(
        nets.filter((n) => n.degree <= 5),
        (n) => {
          const g = growEnd(n, 1.2);
          expect(domainOf(g.knots, n.degree)).toEqual([0, 1.2]);
          const size = 1 + Math.max(...n.data.map(Math.abs));
          expect(differ(n, g, 0, 1) / size).toBeLessThan(1e-7);
          // one polynomial over the last span: differences of order degree + 1 vanish across the old end
          const runsOf = knotRuns(n.knots, n.degree).values;
          const from = runsOf[runsOf.length - 2];
          const m = n.degree + 2;
          const values = Array.from({ length: m }, (_, i) => at(g, from + ((1.2 - from) * i) / (m - 1))[0]);
          let d = values;
          while (d.length > 1) d = d.slice(1).map((x, i) => x - d[i]);
          expect(Math.abs(d[0]) / Math.max(1, ...values.map(Math.abs))).toBeLessThan(1e-7);
        },
      ),
      { numRuns: 200 },
    ));
  it('straight: every place beyond lies on the end tangent', () =>
    fc.assert(
      fc.property(
        nets.filter((n) => n.degree >= 2 && apart([...n.data.slice(-3)], [...n.data.slice(-6, -3)]) > 0.5),
        (n) => {
          const s = straightenEnd(n, 1.5);
          expect(differ(n, s, 0, 1)).toBeLessThan(1e-9);
          const [p, q, r] = [at(s, 1), at(s, 1.2), at(s, 1.5)];
          const [a, b] = [q.map((x, i) => x - p[i]), r.map((x, i) => x - p[i])];
          const cross = Math.hypot(a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]);
          expect(cross / (Math.hypot(...a) * Math.hypot(...b))).toBeLessThan(1e-9);
          const end = [...n.data.slice(-3)].map((x, i) => x - n.data[n.data.length - 6 + i]);
          expect(end.reduce((t, x, i) => t + x * a[i], 0)).toBeGreaterThan(0);
        },
      ),
      { numRuns: 200 },
    ));
});

describe('knots and places', () => {
  it('clamped knots count as they must; Greville places lie inside and rise', () => {
    for (const degree of [1, 2, 3, 5])
      for (const rows of [degree + 1, degree + 4, 20]) {
        const k = clampedKnots(rows, degree);
        expect(k.length).toBe(rows + degree + 1);
        const g = greville(k, degree);
        expect(g.length).toBe(rows);
        expect([g[0], g[rows - 1]]).toEqual([k[0], k[k.length - 1]]);
        for (let i = 1; i < rows; i++) expect(g[i]).toBeGreaterThan(g[i - 1]);
      }
  });
  it('a straight line is its own interpolation at Greville places: linear precision', () => {
    const [degree, rows] = [4, 9];
    const knots = clampedKnots(rows, degree);
    const g = greville(knots, degree);
    const values = Float64Array.from([...g].flatMap((t) => [2 * t, -t, 3]));
    const net = interpolateInSpace(degree, knots, g, values, 3);
    if (!net) throw new Error('not interpolated');
    for (const t of [0, 0.13, 0.5, 0.77, 1]) expect(apart(at(net, t), [2 * t, -t, 3])).toBeLessThan(1e-12);
  });
});
