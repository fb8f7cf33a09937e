import { describe, expect, it } from 'vitest';
import type { Vec3 } from '../math/index.ts';
import {
  closestOnCurve,
  curveOfFit,
  curveThrough,
  domain,
  domainU,
  domainV,
  fitFunction,
  fitLean,
  fitPeriodic,
  fitSurface,
  gridOf,
  leanFit,
  lengthTable,
  makeCurve,
  pointAt,
  revolvedSurface,
  type SampledFit,
  smoothArc,
  surfaceNormal,
  surfacePoint,
} from './index.ts';

const helix = (t: number, out: Float64Array) => out.set([10 * Math.cos(t), 10 * Math.sin(t), 2 * t]);
/** Flat but for a narrow rise: evenly halved spans waste knots on it. */
const bump = (t: number, out: Float64Array) => out.set([10 * t, 5 / (1 + (40 * (t - 3)) ** 2), 0]);
const miss = (fit: SampledFit, f: (t: number, out: Float64Array) => void): number => {
  const c = curveOfFit(fit, 5);
  const [a, b] = domain(c);
  const p = new Float64Array(3);
  let worst = 0;
  for (let i = 0; i <= 3000; i++) {
    const t = a + ((b - a) * i) / 3000;
    f(t, p);
    const q = pointAt(c, t);
    worst = Math.max(worst, Math.hypot(q[0] - p[0], q[1] - p[1], q[2] - p[2]));
  }
  return worst;
};

describe('fits with the fewest knots', () => {
  it.each([
    ['helix', helix, 1],
    ['narrow rise', bump, 0.8],
  ] as const)('%s: within the tolerance, with fewer knots', (_, f, share) => {
    for (const tolerance of [1e-3, 1e-5, 1e-7]) {
      const first = fitFunction(f, 0, 6, 3, 5, 0.3 * tolerance, [], 400);
      const lean = leanFit(first, 3, 5, tolerance - first.deviation, [], false);
      expect(lean.data.length).toBeLessThan(share * first.data.length + 1);
      expect(miss(lean, f)).toBeLessThan(1.05 * tolerance);
    }
  });
  it.each([
    ['helix', helix],
    ['narrow rise', bump],
  ] as const)('%s: fitted lean at once, no heavier than the fit that is thinned afterwards, and asked for less often', (_, f) => {
    for (const tolerance of [1e-3, 1e-5, 1e-7]) {
      let asked = 0;
      const counted = (t: number, out: Float64Array) => {
        asked++;
        f(t, out);
      };
      const heavy = fitFunction(counted, 0, 6, 3, 5, 0.3 * tolerance, [], 400);
      const before = asked;
      asked = 0;
      const lean = fitLean(counted, 0, 6, 3, 5, tolerance, [], false);
      expect(asked).toBeLessThan(1.6 * before);
      expect(lean.data.length).toBeLessThanOrEqual(1.2 * leanFit(heavy, 3, 5, tolerance - heavy.deviation, [], false).data.length);
      expect(lean.deviation).toBeLessThanOrEqual(tolerance);
      expect(miss(lean, f)).toBeLessThan(1.05 * tolerance);
    }
    const ring = (t: number, out: Float64Array) => out.set([10 * Math.cos(t), (7 + Math.cos(3 * t)) * Math.sin(t), 0]);
    expect(miss(fitLean(ring, 0, 2 * Math.PI, 3, 5, 1e-6, [], true), ring)).toBeLessThan(1.1e-6);
    const jump = (t: number, out: Float64Array) => out.set([t, t < 1.2345 ? 0 : 1, 0]);
    for (const round of [false, true]) expect(fitLean(jump, 0, 3, 3, 5, 1e-6, [], round, 160).deviation).toBeGreaterThan(0.1);
  });
  it('breaks that are given stay, and a closed one stays closed and smooth', () => {
    const corner = (t: number, out: Float64Array) => out.set([t, Math.abs(t - 2), Math.sin(3 * t)]);
    const seeds = [{ t: 2, multiplicity: 5 }];
    const first = fitFunction(corner, 0, 6, 3, 5, 1e-7, seeds, 400);
    const lean = leanFit(first, 3, 5, 1e-6, seeds, false);
    expect(lean.knots.filter((k) => k === 2).length).toBe(5);
    expect(miss(lean, corner)).toBeLessThan(1.2e-6);
    const ring = (t: number, out: Float64Array) => out.set([10 * Math.cos(t), (7 + Math.cos(3 * t)) * Math.sin(t), 0]);
    const round = fitPeriodic(ring, 0, 2 * Math.PI, 3, 5, 3e-7);
    const less = leanFit(round, 3, 5, 7e-7, [], true);
    expect(less.data.length).toBeLessThanOrEqual(round.data.length);
    expect(miss(less, ring)).toBeLessThan(1.1e-6);
    const c = curveOfFit(less, 5);
    const [a, b] = domain(c);
    expect(Math.hypot(...pointAt(c, a).map((x, k) => x - pointAt(c, b)[k]))).toBeLessThan(1e-12);
  });
  it('a jump ends in a fit that says how far it is off', () => {
    const jump = (t: number, out: Float64Array) => out.set([t, t < 1.2345 ? 0 : 1, 0]);
    for (const fit of [fitFunction, fitPeriodic]) expect(fit(jump, 0, 3, 3, 5, 1e-6, [], 160).deviation).toBeGreaterThan(0.1);
  });
});

it('a surface is fitted by halving only the direction that misses', () => {
  // an arc in one span, turned fully round in one span: the offset of a ring
  const profile = smoothArc({ origin: [20, 0, 0], x: [1, 0, 0], y: [0, 0, 1], z: [0, -1, 0] }, 5, 5, -1, 1);
  const s = revolvedSurface(profile, [0, 0, 0], [0, 0, 1], 0, 2 * Math.PI);
  const at = (u: number, v: number): Vec3 => {
    const [p, n] = [surfacePoint(s, u, v), surfaceNormal(s, u, v)];
    return [p[0] + 2 * n[0], p[1] + 2 * n[1], p[2] + 2 * n[2]];
  };
  const fit = fitSurface(gridOf(at), [...domainU(s), ...domainV(s)], s, 1e-6, 5, 96);
  expect(fit.deviation).toBeLessThan(1e-6);
  expect(fit.surface.countU * fit.surface.countV).toBeLessThan(1600);
  const out = Math.hypot(at(domainU(s)[0], 0)[0] - 20, at(domainU(s)[0], 0)[2]) > 5 ? 7 : 3;
  for (let i = 0; i <= 30; i++)
    for (let j = 0; j <= 30; j++) {
      const [[a, b], [c, d]] = [domainU(fit.surface), domainV(fit.surface)];
      const p = surfacePoint(fit.surface, a + ((b - a) * i) / 30, c + ((d - c) * j) / 30);
      expect(Math.abs(Math.hypot(Math.hypot(p[0], p[1]) - 20, p[2]) - out)).toBeLessThan(3e-6);
    }
});

it('the nearest place is found on the far side of a tight tip, and a length is about right at once', () => {
  const tip = curveThrough(
    [
      [-20, 0.3, 0],
      [0, 0.02, 0],
      [0.05, 0, 0],
      [0, -0.02, 0],
      [-20, -0.3, 0],
    ],
    { degree: 3 },
  );
  for (let i = 1; i < 40; i++) {
    const p: Vec3 = [0.2 * Math.cos(i / 7), 0.2 * Math.sin(i / 7), 0];
    let best = Infinity;
    const [a, b] = domain(tip);
    for (let k = 0; k <= 20000; k++) {
      const q = pointAt(tip, a + ((b - a) * k) / 20000);
      best = Math.min(best, Math.hypot(q[0] - p[0], q[1] - p[1]));
    }
    expect(closestOnCurve(tip, p).distance).toBeLessThan(best + 1e-9);
  }
  const c = makeCurve(
    3,
    [
      [0, 0, 0],
      [1, 5, 0],
      [9, 5, 0],
      [30, 0, 0],
    ] as Vec3[],
    [0, 0, 0, 0, 1, 1, 1, 1],
  );
  const table = lengthTable(c);
  for (let i = 0; i <= 20; i++) expect(Math.abs(table.lengthAbout(i / 20) - table.lengthAt(i / 20))).toBeLessThan(0.05 * table.total);
});
