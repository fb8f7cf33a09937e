import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { frameFromNormal, type Vec3, WORLD } from '../math/index.ts';
import {
  arcLength,
  arcThrough,
  circleCurve,
  clampedKnots,
  closestOnCurve,
  closestOnSurface,
  compatibleCurves,
  controlPointCurve,
  curvatureAt,
  curvatureOf,
  curveThrough,
  derivativesAt,
  domain,
  elevateCurve,
  elevateSurface,
  ellipseArc,
  equalLengthParameters,
  evaluateGrid,
  fitFunction,
  fitPeriodic,
  insertCurveKnots,
  insertSurfaceKnots,
  joinCurves,
  makeCurve,
  makeSurface,
  moveStart,
  type NurbsCurve,
  planeOf,
  pointAt,
  refitCurve,
  removeCurveKnot,
  reverseCurve,
  revolvedSurface,
  smoothArc,
  splitCurve,
  surfaceJet,
  surfaceNormal,
  surfacePoint,
  transpose,
} from './index.ts';

const distance = (a: Vec3, b: Vec3) => Math.hypot(a[0] - b[0], a[1] - b[1], a[2] - b[2]);
const share = (c: NurbsCurve, s: number) => domain(c)[0] + s * (domain(c)[1] - domain(c)[0]);

const coordinate = fc.double({ min: -50, max: 50, noNaN: true });
const curves = fc
  .record({
    degree: fc.integer({ min: 1, max: 7 }),
    extra: fc.integer({ min: 0, max: 6 }),
    seed: fc.array(fc.tuple(coordinate, coordinate, coordinate), { minLength: 14, maxLength: 14 }),
    rational: fc.boolean(),
  })
  .map(({ degree, extra, seed, rational }) => {
    const n = degree + 1 + extra;
    const points = Array.from({ length: n }, (_, i) => seed[i % seed.length].map((x, k) => x + i * (k + 1)));
    return makeCurve(degree, points, clampedKnots(n, degree), rational ? points.map((_, i) => 1 + 0.4 * Math.sin(i * 2)) : undefined);
  });

/** De Boor's algorithm on homogeneous points: a second way to evaluate. */
function deBoor(c: NurbsCurve, t: number): Vec3 {
  const p = c.degree;
  const n = c.knots.length - p - 2;
  let k = p;
  while (k < n && c.knots[k + 1] <= t) k++;
  const d = Array.from({ length: p + 1 }, (_, j) => Array.from(c.control.subarray((j + k - p) * 4, (j + k - p) * 4 + 4)));
  for (let r = 1; r <= p; r++)
    for (let j = p; j >= r; j--) {
      const w = c.knots[j + 1 + k - r] - c.knots[j + k - p];
      const a = w === 0 ? 0 : (t - c.knots[j + k - p]) / w;
      d[j] = d[j].map((x, i) => (1 - a) * d[j - 1][i] + a * x);
    }
  return [d[p][0] / d[p][3], d[p][1] / d[p][3], d[p][2] / d[p][3]];
}

describe('curves, by property', () => {
  const at = fc.double({ min: 0, max: 1, noNaN: true });
  it('evaluates as de Boor does', () =>
    fc.assert(fc.property(curves, at, (c, s) => distance(pointAt(c, share(c, s)), deBoor(c, share(c, s))) < 1e-9)));
  it('knot insertion, degree raising, reversal keep the shape', () =>
    fc.assert(
      fc.property(curves, at, fc.double({ min: 0.05, max: 0.95, noNaN: true }), (c, s, k) => {
        const t = share(c, s);
        const p = pointAt(c, t);
        expect(distance(pointAt(insertCurveKnots(c, [share(c, k), share(c, k)]), t), p)).toBeLessThan(1e-9);
        expect(distance(pointAt(reverseCurve(c), domain(c)[0] + domain(c)[1] - t), p)).toBeLessThan(1e-9);
        expect(distance(pointAt(elevateCurve(c, 2), t), p)).toBeLessThan(1e-8);
      }),
    ));
  it('split then join is the same curve', () =>
    fc.assert(
      fc.property(curves, at, fc.double({ min: 0.1, max: 0.9, noNaN: true }), (c, s, k) => {
        const j = joinCurves(splitCurve(c, share(c, k)));
        expect(distance(pointAt(j, share(j, s)), pointAt(c, share(c, s)))).toBeLessThan(1e-8);
      }),
    ));
  it('derivatives agree with differences', () =>
    fc.assert(
      fc.property(curves, fc.double({ min: 0.15, max: 0.85, noNaN: true }), (c, s) => {
        const h = 1e-6;
        const [a, b] = [pointAt(c, s - h), pointAt(c, s + h)];
        const d = derivativesAt(c, s, 1)[1];
        const scale = 1 + Math.hypot(...d);
        const near = c.knots.some((k) => Math.abs(k - s) < 2 * h);
        if (!near) for (let k = 0; k < 3; k++) expect(Math.abs((b[k] - a[k]) / (2 * h) - d[k]) / scale).toBeLessThan(1e-4);
      }),
    ));
  it('compatible curves keep their shape and share knots', () =>
    fc.assert(
      fc.property(curves, curves, at, (a, b, s) => {
        const [x, y] = compatibleCurves([a, b]);
        expect(Array.from(x.knots)).toEqual(Array.from(y.knots));
        expect(distance(pointAt(x, s), pointAt(a, share(a, s)))).toBeLessThan(1e-7);
        expect(distance(pointAt(y, s), pointAt(b, share(b, s)))).toBeLessThan(1e-7);
      }),
      { numRuns: 40 },
    ));
});

describe('exact shapes', () => {
  it.each([0.4, 1.5, 3, 5.5, 2 * Math.PI])('smooth arc of %f rad lies on its circle', (end) => {
    const c = smoothArc(WORLD, 7, 7, 0.3, 0.3 + end);
    for (let i = 0; i <= 40; i++) expect(Math.abs(Math.hypot(...pointAt(c, share(c, i / 40))) - 7)).toBeLessThan(7e-12);
    expect(arcLength(c)).toBeCloseTo(7 * end, 9);
    for (const w of c.control.filter((_, i) => i % 4 === 3)) expect(w).toBeGreaterThan(0.05);
  });
  it('ellipse satisfies its equation, arcs of 90 degrees too', () => {
    for (const c of [smoothArc(WORLD, 9, 4), ellipseArc(WORLD, 9, 4)])
      for (let i = 0; i < 50; i++) {
        const p = pointAt(c, share(c, i / 50));
        expect((p[0] / 9) ** 2 + (p[1] / 4) ** 2).toBeCloseTo(1, 12);
      }
  });
  it('arc through three points', () => {
    const c = arcThrough([5, 0, 0], [0, 5, 0], [0, -5, 0]);
    expect(arcLength(c)).toBeCloseTo(5 * 1.5 * Math.PI, 9);
    expect(closestOnCurve(c, [0, 5, 0]).distance).toBeLessThan(1e-12);
  });
  it('curvature of a circle is 1/r', () => expect(curvatureAt(circleCurve(WORLD, 8), 1)).toBeCloseTo(1 / 8, 12));
  it('sphere and torus curvatures', () => {
    const arc = circleCurve({ origin: [0, 0, 0], x: [0, 0, -1], y: [1, 0, 0], z: [0, 1, 0] }, 5, 0, Math.PI);
    const sphere = revolvedSurface(arc, [0, 0, 0], [0, 0, 1], 0, 2 * Math.PI);
    const k = curvatureOf(surfaceJet(sphere, 1.1, 2.2));
    expect(k.gaussian).toBeCloseTo(1 / 25, 10);
    expect(Math.abs(k.mean)).toBeCloseTo(1 / 5, 10);
    const tube = revolvedSurface(
      circleCurve({ origin: [20, 0, 0], x: [1, 0, 0], y: [0, 0, 1], z: [0, -1, 0] }, 6),
      [0, 0, 0],
      [0, 0, 1],
      0,
      2 * Math.PI,
    );
    const outer = curvatureOf(surfaceJet(tube, 0, 0));
    expect(outer.gaussian).toBeCloseTo(1 / (6 * 26), 9);
  });
});

describe('splines through and near points', () => {
  const pts: Vec3[] = [
    [0, 0, 0],
    [10, 0, 0],
    [12, 10, 3],
    [0, 10, 0],
    [-4, 3, 0],
    [-5, 1, 1],
  ];
  it.each([2, 3, 4, 5])('closed, degree %i, runs through its points and closes smoothly', (degree) => {
    const c = curveThrough(pts, { closed: true, degree });
    for (const p of pts) expect(closestOnCurve(c, p).distance).toBeLessThan(1e-10);
    const [a, b] = [derivativesAt(c, 0, 1)[1], derivativesAt(c, 1, 1)[1]];
    expect(distance(a, b)).toBeLessThan(1e-8);
  });
  it('end directions are kept', () => {
    const c = curveThrough(pts, { startTangent: [0, 2, 0], endTangent: [0, 0, 1] });
    const [a, b] = [derivativesAt(c, 0, 1)[1], derivativesAt(c, 1, 1)[1]];
    expect(a[0] / a[1]).toBeCloseTo(0, 10);
    expect(Math.hypot(b[0], b[1]) / b[2]).toBeCloseTo(0, 10);
    for (const p of pts) expect(closestOnCurve(c, p).distance).toBeLessThan(1e-9);
  });
  it('closed control-point splines are smooth at the start', () => {
    const c = controlPointCurve(pts, 3, true);
    expect(distance(derivativesAt(c, 0, 2)[2], derivativesAt(c, 1, 2)[2])).toBeLessThan(1e-8);
  });
  it('moving the start keeps a closed curve', () => {
    const c = controlPointCurve(pts, 3, true);
    const m = moveStart(c, 0.3);
    expect(distance(pointAt(m, 0), pointAt(c, 0.3))).toBeLessThan(1e-10);
    expect(arcLength(m)).toBeCloseTo(arcLength(c), 8);
  });
  it('an inserted knot can be removed again, a needed one cannot', () => {
    const c = curveThrough(pts);
    const k = insertCurveKnots(c, [0.37]);
    expect(removeCurveKnot(k, 0.37, 1e-9)?.knots.length).toBe(c.knots.length);
    expect(removeCurveKnot(c, c.knots[4], 1e-9)).toBeUndefined();
  });
  it('refit tells its true deviation', () => {
    const c = curveThrough(pts);
    const r = refitCurve(c, 3, 8);
    let worst = 0;
    for (let i = 0; i <= 3000; i++) worst = Math.max(worst, closestOnCurve(r.curve, pointAt(c, i / 3000)).distance);
    expect(Math.abs(r.deviation - worst) / worst).toBeLessThan(0.05);
  });
  it('fits a function to tolerance with few spans, periodic ones smoothly', () => {
    const circle = (t: number, out: Float64Array) => out.set([Math.cos(t), Math.sin(t)]);
    const open = fitFunction(circle, 0, 6, 2, 5, 1e-8);
    expect(open.deviation).toBeLessThan(1e-8);
    const round = fitPeriodic(circle, 0, 2 * Math.PI, 2, 5, 1e-8);
    expect(round.deviation).toBeLessThan(1e-8);
    const n = round.data.length / 2;
    const c = makeCurve(
      5,
      Array.from({ length: n }, (_, i) => [round.data[2 * i], round.data[2 * i + 1], 0]),
      round.knots,
    );
    const [a, b] = [derivativesAt(c, 0, 3), derivativesAt(c, 2 * Math.PI, 3)];
    for (let k = 0; k < 4; k++) expect(distance(a[k], b[k])).toBeLessThan(1e-8);
  });
  it('equal lengths are equal', () => {
    const c = curveThrough(pts);
    const t = equalLengthParameters(c, 10);
    for (let i = 0; i < 10; i++) expect(arcLength(c, t[i], t[i + 1])).toBeCloseTo(arcLength(c) / 10, 7);
  });
});

describe('surfaces', () => {
  const grid = Array.from({ length: 7 }, (_, i) =>
    Array.from({ length: 6 }, (_, j) => [i * 5, j * 5, Math.sin(i) * Math.cos(j) * 4] as Vec3),
  );
  const s = makeSurface(
    3,
    2,
    grid,
    clampedKnots(7, 3),
    clampedKnots(6, 2),
    grid.map((r, i) => r.map((_, j) => 1 + 0.2 * ((i + j) % 3))),
  );
  it('grid evaluation equals point evaluation', () => {
    const us = Float64Array.from({ length: 9 }, (_, i) => i / 8);
    const g = evaluateGrid(s, us, us);
    us.forEach((u, i) =>
      us.forEach((v, j) => {
        const p = surfacePoint(s, u, v);
        const n = surfaceNormal(s, u, v);
        for (let k = 0; k < 3; k++) {
          expect(g.positions[(i * 9 + j) * 3 + k]).toBeCloseTo(p[k], 11);
          expect(g.normals[(i * 9 + j) * 3 + k]).toBeCloseTo(n[k], 11);
        }
      }),
    );
  });
  it('raising, inserting, transposing keep the shape', () => {
    for (const t of [elevateSurface(s, 1, 2), insertSurfaceKnots(s, [0.2, 0.7], [0.5])])
      expect(distance(surfacePoint(t, 0.33, 0.61), surfacePoint(s, 0.33, 0.61))).toBeLessThan(1e-11);
    expect(distance(surfacePoint(transpose(s), 0.61, 0.33), surfacePoint(s, 0.33, 0.61))).toBeLessThan(1e-12);
  });
  it('closest points: feet are perpendicular, none farther than a dense search', () => {
    for (let k = 0; k < 25; k++) {
      const p: Vec3 = [5 + 20 * Math.abs(Math.sin(k)), 5 + 15 * Math.abs(Math.cos(2 * k)), 6 * Math.sin(3 * k)];
      const foot = closestOnSurface(s, p);
      let dense = Infinity;
      for (let i = 0; i <= 60; i++) for (let j = 0; j <= 60; j++) dense = Math.min(dense, distance(surfacePoint(s, i / 60, j / 60), p));
      expect(foot.distance).toBeLessThanOrEqual(dense + 1e-9);
    }
  });
  it('flat curves are told flat with their deviation', () => {
    const flat = planeOf([circleCurve(frameFromNormal([1, 2, 3], [1, 1, 1]), 4)]);
    expect(flat?.deviation).toBeLessThan(1e-12);
    expect(
      planeOf([
        curveThrough(
          [
            [0, 0, 0],
            [10, 0, 1],
            [10, 10, 0],
            [0, 10, 1],
          ],
          { closed: true },
        ),
      ])?.deviation,
    ).toBeGreaterThan(0.3);
  });
});
