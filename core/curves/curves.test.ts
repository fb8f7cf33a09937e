import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { BodyBuilder, surfaceBody } from '../brep/index.ts';
import {
  add,
  angleBetween,
  cross,
  DEG,
  distance,
  dot,
  type Frame,
  frameFromNormal,
  length,
  scale,
  sub,
  unit,
  type Vec3,
  WORLD,
} from '../math/index.ts';
import {
  arcLength,
  circleCurve,
  closestOnCurve,
  controlPointCurve,
  curvatureAt,
  derivativesAt,
  domain,
  ellipseArc,
  endPoint,
  extrudedSurface,
  lineCurve,
  makeCurve,
  type NurbsCurve,
  pointAt,
  pointCount,
  polylineCurve,
  revolvedSurface,
  ruledSurface,
  startPoint,
} from '../nurbs/index.ts';
import {
  acrossPlane,
  arcLengthJet,
  between,
  bridge,
  carryOn,
  chainsOf,
  conic,
  cornersOfChain,
  crossings,
  endJet,
  equalLegBezier,
  equalLegs,
  fromTwoViews,
  joinChain,
  matchEnd,
  meetings,
  offsetChain,
  polygonPoints,
  refitByCount,
  refitWithin,
  roundCorners,
  tangentArc,
  turned,
  wrapCurves,
} from './index.ts';

const bodyOf = (s: Parameters<typeof surfaceBody>[0]) => surfaceBody(s, { prefix: 's', face: () => 's' }, new BodyBuilder()).body;
const wave = (n = 6, rise = 12): NurbsCurve =>
  controlPointCurve(
    Array.from({ length: n }, (_, i): Vec3 => [12 * i, rise * (i % 2 ? 1 : -0.6), 0]),
    3,
    false,
  );
const worst = (c: NurbsCurve, f: (p: Vec3) => number, n = 200) => {
  const [a, b] = domain(c);
  let m = 0;
  for (let i = 0; i <= n; i++) m = Math.max(m, Math.abs(f(pointAt(c, a + ((b - a) * i) / n))));
  return m;
};
const square = (s: number): NurbsCurve[] => {
  const p: Vec3[] = [
    [0, 0, 0],
    [s, 0, 0],
    [s, s, 0],
    [0, s, 0],
  ];
  return p.map((x, i) => lineCurve(x, p[(i + 1) % 4]));
};

describe('exact conics and outlines', () => {
  it('a tangent arc is a circle that leaves along the tangent', () => {
    fc.assert(
      fc.property(
        fc.double({ min: -3, max: 3, noNaN: true }),
        fc.double({ min: 1, max: 40, noNaN: true }),
        fc.double({ min: 0.05, max: 2.8, noNaN: true }),
        (a, l, turn) => {
          const t: Vec3 = [Math.cos(a), Math.sin(a), 0];
          const end: Vec3 = [l * Math.cos(a + turn), l * Math.sin(a + turn), 0];
          const c = tangentArc([0, 0, 0], t, end);
          const [p, d] = derivativesAt(c, domain(c)[0], 1);
          expect(length(p)).toBeLessThan(1e-9 * l);
          expect(angleBetween(d, t)).toBeLessThan(1e-7);
          expect(distance(endPoint(c), end)).toBeLessThan(1e-8 * l);
          const k = curvatureAt(c, domain(c)[0]);
          // chord-tangent angle: r = l / (2 sin turn)
          expect(k * l).toBeCloseTo(2 * Math.sin(turn), 6);
        },
      ),
    );
  });
  it('a conic of fullness 0.5 is a parabola, of sqrt(2)-1 at right angles a circle', () => {
    const p = conic([0, 0, 0], [5, 5, 0], [10, 0, 0], 0.5);
    expect(worst(p, ([x, y]) => y - (x - (x * x) / 10))).toBeLessThan(1e-12);
    const w = Math.SQRT1_2;
    const c = conic([10, 0, 0], [10, 10, 0], [0, 10, 0], w / (1 + w));
    expect(worst(c, (q) => length(q) - 10)).toBeLessThan(1e-12);
  });
  it('polygons and stars have the corners of their circles', () => {
    const hex = polygonPoints(6, 10);
    for (let i = 0; i < 6; i++) expect(distance(hex[i], hex[(i + 1) % 6])).toBeCloseTo(10, 12);
    const star = polygonPoints(5, 10, 0.3, 4);
    expect(star.length).toBe(10);
    star.forEach((p, i) => expect(length(p)).toBeCloseTo(i % 2 ? 4 : 10, 12));
  });
});

describe('ends: match and bridge', () => {
  it.each([1, 2, 3] as const)('G%i to an arc: degree and count are kept, the far end too', (g) => {
    const c = controlPointCurve(
      [
        [0, 0, 0],
        [10, 8, 0],
        [22, -4, 1],
        [30, 3, 0],
        [42, 0, 2],
        [50, 6, 0],
        [61, 2, 0],
      ],
      5,
      false,
    );
    const arc = circleCurve(frameFromNormal([-3, -25, 0], [0, 0, 1]), 25, 0.4, 1.5);
    const j = turned(endJet(arc, 'start'));
    const target = turned(endJet(arc, 'end'));
    void j;
    const r = matchEnd(c, 'start', turned(target), g);
    if (!r.ok) throw new Error(r.message);
    expect(pointCount(r.curve)).toBe(pointCount(c));
    expect(r.curve.degree).toBe(5);
    const own = arcLengthJet(r.curve, domain(r.curve)[0]);
    const want = turned(target);
    expect(distance(own.point, want.point)).toBeLessThan(1e-10);
    expect(angleBetween(own.tangent, want.tangent) / DEG).toBeLessThan(0.01);
    if (g >= 2) expect(distance(own.curvature, want.curvature)).toBeLessThan(1e-10);
    if (g >= 3) expect(distance(own.third, want.third)).toBeLessThan(1e-9);
    expect(distance(endPoint(r.curve), endPoint(c))).toBeLessThan(1e-9);
    for (let i = g + 1; i < 7; i++) for (let x = 0; x < 4; x++) expect(r.curve.control[4 * i + x]).toBe(c.control[4 * i + x]);
  });
  it('rational curves keep their weights and still match', () => {
    const c = makeCurve(
      4,
      [
        [0, 0, 0],
        [5, 9, 0],
        [14, 3, 2],
        [22, 8, 0],
        [30, 0, 0],
      ],
      [0, 0, 0, 0, 0, 1, 1, 1, 1, 1],
      [1, 2, 0.7, 1.4, 1],
    );
    const r = matchEnd(
      c,
      'end',
      { point: [31, 1, 0], tangent: unit([-1, 1, 0.2]), curvature: scale(unit(cross([-1, 1, 0.2], [0, 0, 1])), 0.04), third: [0, 0, 0] },
      2,
    );
    if (!r.ok) throw new Error(r.message);
    const own = turned(endJet(r.curve, 'end'));
    expect(distance(own.point, [31, 1, 0])).toBeLessThan(1e-10);
    expect(angleBetween(own.tangent, [-1, 1, 0.2])).toBeLessThan(1e-9);
    expect(length(own.curvature)).toBeCloseTo(0.04, 9);
    for (let i = 0; i < 5; i++) expect(r.curve.control[4 * i + 3]).toBe(c.control[4 * i + 3]);
  });
  it('says how many points are missing', () => {
    const c = controlPointCurve(
      [
        [0, 0, 0],
        [5, 3, 0],
        [10, 0, 0],
      ],
      2,
      false,
    );
    const r = matchEnd(c, 'start', { point: [0, 0, 0], tangent: [0, 1, 0], curvature: [0.1, 0, 0], third: [0, 0, 0] }, 2);
    expect(r).toMatchObject({ ok: false, missing: 1 });
    const cubic = controlPointCurve(
      [
        [0, 0, 0],
        [5, 3, 0],
        [10, 0, 0],
        [15, 2, 0],
      ],
      3,
      false,
    );
    expect(matchEnd(cubic, 'start', { point: [0, 0, 0], tangent: [0, 1, 0], curvature: [0.1, 0, 0], third: [0, 0, 0] }, 3)).toMatchObject({
      ok: false,
      missing: 1,
    });
  });
  it('across a plane: the half and its mirror image are one smooth curve', () => {
    const c = controlPointCurve(
      [
        [0, 0, 3],
        [4, 9, 2],
        [14, 12, 0],
        [25, 10, 1],
        [33, 0, 0],
        [40, -4, 0],
      ],
      4,
      false,
    );
    const plane: Frame = frameFromNormal([0, 0, 0], [1, 0, 0]);
    const r = matchEnd(c, 'start', acrossPlane(arcLengthJet(c, domain(c)[0]), plane), 3);
    if (!r.ok) throw new Error(r.message);
    const own = arcLengthJet(r.curve, domain(r.curve)[0]);
    expect(own.point[0]).toBeCloseTo(0, 12);
    expect(angleBetween(own.tangent, [1, 0, 0])).toBeLessThan(1e-9);
    expect(Math.abs(own.curvature[0])).toBeLessThan(1e-12);
    // the derivative of curvature by length changes sign across the plane: it must be zero there
    expect(Math.abs(dot(own.third, own.curvature))).toBeLessThan(1e-10);
  });
  it('degree 2 with equal legs: an arc-like curve that passes through flat and bends to the other side', () => {
    const c = controlPointCurve(
      [
        [0, 0, 0],
        [5, 5, 0],
        [10, 0, 0],
      ],
      2,
      false,
    );
    const signs: number[] = [];
    for (const y of [4, 2, 0, -2, -4]) {
      const moved = makeCurve(
        2,
        [
          [0, 0, 0],
          [5, 5, 0],
          [10, y, 0],
        ],
        [0, 0, 0, 1, 1, 1],
      );
      const r = equalLegs(moved, 'start', { point: [0, 0, 0], tangent: [1, 0, 0], curvature: [0, 0, 0], third: [0, 0, 0] });
      if (!r.ok) throw new Error(r.message);
      const q = [0, 1, 2].map((i): Vec3 => [r.curve.control[4 * i], r.curve.control[4 * i + 1], r.curve.control[4 * i + 2]]);
      expect(distance(q[0], q[1])).toBeCloseTo(distance(q[1], q[2]), 9);
      signs.push(Math.sign(Math.round(1e6 * cross(sub(q[1], q[0]), sub(q[2], q[1]))[2])));
    }
    expect(signs).toEqual([1, 1, 0, -1, -1]);
    expect(equalLegs(c, 'start', { point: [0, 0, 0], tangent: [-1, 0, 0], curvature: [0, 0, 0], third: [0, 0, 0] }).ok).toBe(false);
  });
  it('a bridge meets both ends with its grades', () => {
    const a = wave();
    const b = controlPointCurve(
      [
        [90, 30, 10],
        [100, 20, 14],
        [112, 26, 9],
        [125, 22, 0],
      ],
      3,
      false,
    );
    fc.assert(
      fc.property(
        fc.constantFrom(0, 1, 2, 3),
        fc.constantFrom(0, 1, 2, 3),
        fc.double({ min: 0.3, max: 2, noNaN: true }),
        (ga, gb, reach) => {
          const [from, to] = [endJet(a, 'end'), endJet(b, 'start')];
          const c = bridge(from, to, [ga as 0, gb as 0], [reach, reach]);
          expect(c.degree).toBe(ga + gb + 1);
          const [s, e] = [arcLengthJet(c, 0), turned(arcLengthJet(c, 1))];
          expect(distance(s.point, from.point) + distance(e.point, to.point)).toBeLessThan(1e-9);
          if (ga >= 1) expect(angleBetween(s.tangent, from.tangent)).toBeLessThan(1e-6);
          if (ga >= 2) expect(distance(s.curvature, from.curvature)).toBeLessThan(1e-8);
          if (ga >= 3) expect(distance(s.third, from.third)).toBeLessThan(1e-7);
          if (gb >= 1) expect(angleBetween(e.tangent, to.tangent)).toBeLessThan(1e-6);
          if (gb >= 2) expect(distance(e.curvature, to.curvature)).toBeLessThan(1e-8);
          if (gb >= 3) expect(distance(e.third, to.third)).toBeLessThan(1e-7);
        },
      ),
      { numRuns: 60 },
    );
  });
  it('the equal-leg curve leaves both along their normals, its three legs equal', () => {
    const c = equalLegBezier([0, 0, 0], [0, 0, 1], [30, 4, 20], [-1, 0, 0.2]);
    if (!c) throw new Error();
    const p = [0, 1, 2, 3].map((i): Vec3 => [c.control[4 * i], c.control[4 * i + 1], c.control[4 * i + 2]]);
    expect(distance(p[0], p[1])).toBeCloseTo(distance(p[1], p[2]), 9);
    expect(distance(p[2], p[3])).toBeCloseTo(distance(p[1], p[2]), 9);
    expect(angleBetween(derivativesAt(c, 0, 1)[1], [0, 0, 1])).toBeLessThan(1e-9);
    expect(angleBetween(derivativesAt(c, 1, 1)[1], [1, 0, -0.2])).toBeLessThan(1e-9);
    expect(equalLegBezier([0, 0, 0], [0, 0, 1], [0, 0, 10], [0, 0, -1])).toBeDefined();
  });
});

describe('refit', () => {
  it('tells its true deviation', () => {
    const c = wave(9, 15);
    for (const [degree, n] of [
      [3, 7],
      [5, 8],
      [4, 12],
      [3, 20],
    ]) {
      const r = refitByCount(c, degree, n);
      expect(pointCount(r.curve)).toBe(n);
      expect(r.curve.degree).toBe(degree);
      // an independent, much denser check
      const dense = worst(c, (p) => closestOnCurve(r.curve, p).distance, 4000);
      expect(r.deviation).toBeGreaterThan(0.95 * dense);
      expect(r.deviation).toBeLessThan(1.05 * dense + 1e-9);
    }
  });
  it('more points come nearer; ends keep tangent and curvature when asked', () => {
    const c = wave(9, 15);
    const list = [8, 12, 18, 26].map((n) => refitByCount(c, 4, n).deviation);
    expect(list[1]).toBeLessThan(list[0]);
    expect(list[3]).toBeLessThan(0.25 * list[0]);
    const r = refitByCount(c, 5, 14, 2);
    for (const [end, t] of [
      [0, 0],
      [1, 1],
    ] as const) {
      const [a, b] = [arcLengthJet(c, domain(c)[end]), arcLengthJet(r.curve, domain(r.curve)[t])];
      expect(distance(a.point, b.point)).toBeLessThan(1e-9);
      expect(angleBetween(a.tangent, b.tangent)).toBeLessThan(1e-7);
      expect(distance(a.curvature, b.curvature)).toBeLessThan(1e-6);
    }
  });
  it('a curve of fewer points is found again exactly; within a tolerance, few points', () => {
    const c = wave(6);
    expect(refitByCount(c, 3, 6).deviation).toBeLessThan(1e-6);
    const r = refitWithin(circleCurve(WORLD, 30), 5, 1e-3);
    expect(r.deviation).toBeLessThan(1e-3);
    expect(worst(r.curve, (p) => length(p) - 30)).toBeLessThan(1e-3);
    expect(pointCount(r.curve)).toBeLessThan(20);
  });
});

describe('flat chains', () => {
  it('rounded corners of a square: exact arcs, exact length', () => {
    const r = roundCorners(square(20), true, WORLD, 4, 'all');
    if (!r.ok) throw new Error(r.message);
    expect(r.rounded).toBe(4);
    expect(r.curves.reduce((s, c) => s + arcLength(c), 0)).toBeCloseTo(80 - 32 + 8 * Math.PI, 9);
    const arcs = r.curves.filter((c) => c.rational);
    expect(arcs.length).toBe(4);
    for (const [k, c] of [
      [4, 4],
      [16, 4],
      [16, 16],
      [4, 16],
    ].entries())
      expect(Math.min(...arcs.map((a) => worst(a, (p) => Math.hypot(p[0] - c[0], p[1] - c[1]) - 4)))).toBeLessThan(1e-9 + 0 * k);
    const one = roundCorners(square(20), true, WORLD, 4, [1]);
    expect(one.ok && one.rounded).toBe(1);
    expect(roundCorners(square(20), true, WORLD, 10.5, 'all')).toMatchObject({ ok: false });
  });
  it('an arc and a line: the rounding touches both', () => {
    const arc = circleCurve(WORLD, 20, 0, Math.PI / 2);
    const line = lineCurve([0, 20, 0], [-3, 60, 0]);
    const r = roundCorners([arc, line], false, WORLD, 5, 'all');
    if (!r.ok) throw new Error(r.message);
    const joint = joinChain(r.curves, 1e-6).joints;
    expect(joint.length).toBe(2);
    for (const j of joint) {
      expect(j.gap).toBeLessThan(1e-9);
      expect(j.kink).toBeLessThan(1e-6);
    }
    // what is left of the arc is still an arc
    expect(worst(r.curves[0], (p) => length(p) - 20)).toBeLessThan(1e-9);
  });
  it('bevels cut both sides back equally', () => {
    const r = roundCorners(square(20), true, WORLD, 3, 'all', true);
    if (!r.ok) throw new Error();
    expect(r.curves.reduce((s, c) => s + arcLength(c), 0)).toBeCloseTo(80 - 24 + 12 * Math.SQRT2, 9);
  });
  it('join reports every gap and kink and mends within its tolerance', () => {
    const list = [lineCurve([0, 0, 0], [10, 0, 0]), lineCurve([20.004, 10, 0], [10.003, 0.004, 0]), lineCurve([20, 10, 0], [30, 10.5, 0])];
    const r = joinChain(list, 0.01);
    expect(r.joints.map((j) => j.mended)).toEqual([true, true]);
    expect(r.joints[0].gap).toBeCloseTo(0.005, 9);
    expect(r.joints[0].kink / DEG).toBeCloseTo(45, 1);
    for (let i = 0; i + 1 < r.curves.length; i++) expect(distance(endPoint(r.curves[i]), startPoint(r.curves[i + 1]))).toBeLessThan(1e-12);
    expect(joinChain(list, 0.001).joints.some((j) => j.mended)).toBe(false);
  });
  it('random chains broken apart and shuffled come back whole', () =>
    fc.assert(
      fc.property(
        fc.integer({ min: 3, max: 9 }),
        fc.infiniteStream(fc.double({ min: -1, max: 1, noNaN: true })),
        fc.boolean(),
        (n, random, closed) => {
          const next = () => random.next().value as number;
          const corners = Array.from(
            { length: n },
            (_, i): Vec3 => [
              40 * Math.cos((2 * Math.PI * i) / n) + 4 * next(),
              40 * Math.sin((2 * Math.PI * i) / n) + 4 * next(),
              3 * next(),
            ],
          );
          const pieces = corners.flatMap((p, i) => {
            if (!closed && i === n - 1) return [];
            const q = corners[(i + 1) % n];
            const c = controlPointCurve([p, add(p, [next(), next(), next()]), add(q, [next(), next(), next()]), q], 3, false);
            return next() > 0
              ? [c]
              : [
                  {
                    ...c,
                    control: (() => {
                      const x = new Float64Array(16);
                      for (let k = 0; k < 4; k++) x.set(c.control.subarray(4 * k, 4 * k + 4), 4 * (3 - k));
                      return x;
                    })(),
                  },
                ];
          });
          const shuffled = pieces
            .map((c) => ({ c, k: next() }))
            .sort((x, y) => x.k - y.k)
            .map((x) => x.c);
          const chains = chainsOf(shuffled, 1e-6);
          expect(chains.length).toBe(1);
          expect(chains[0].closed).toBe(closed);
          expect(chains[0].curves.length).toBe(pieces.length);
          const total = (l: readonly NurbsCurve[]) => l.reduce((s, c) => s + arcLength(c), 0);
          expect(total(chains[0].curves)).toBeCloseTo(total(pieces), 6);
        },
      ),
      { numRuns: 40 },
    ));
  it('meetings of a line and a circle, crossings of a plane', () => {
    const m = meetings(circleCurve(WORLD, 10), lineCurve([-20, 6, 0], [20, 6, 0]), 1e-8);
    expect(m.length).toBe(2);
    for (const x of m) expect(Math.abs(Math.abs(x.at[0]) - 8)).toBeLessThan(1e-9);
    const k = crossings(wave(), frameFromNormal([30, 0, 0], [1, 0, 0]));
    expect(k.length).toBe(1);
    expect(k[0].at[0]).toBeCloseTo(30, 10);
  });
  it('a curve carried on by a line or an arc goes on as it ended', () => {
    const c = circleCurve(WORLD, 10, 0, 1);
    const more = carryOn(c, 'end', 5, 'arc');
    expect(worst(more, (p) => length(p) - 10)).toBeLessThan(1e-9);
    expect(arcLength(more)).toBeCloseTo(5, 9);
    const line = carryOn(c, 'start', 5, 'line');
    expect(distance(startPoint(line), startPoint(c))).toBeLessThan(1e-12);
    expect(angleBetween(sub(endPoint(line), startPoint(line)), [0, -1, 0])).toBeLessThan(1e-9);
  });
});

describe('offset in the plane', () => {
  it('a square outwards: round, sharp and smooth corners of the right length', () => {
    const s = square(20);
    const out = (corner: 'round' | 'sharp' | 'smooth', d = -3) => offsetChain(s, true, WORLD, d, corner, 1e-4);
    const total = (r: ReturnType<typeof out>) => r.chains.flat().reduce((x, c) => x + arcLength(c), 0);
    expect(total(out('round'))).toBeCloseTo(80 + 6 * Math.PI, 8);
    expect(total(out('sharp'))).toBeCloseTo(104, 8);
    expect(out('smooth').chains.length).toBe(1);
    expect(total(out('round', 3))).toBeCloseTo(56, 8);
    expect(out('round', 11).chains.length).toBe(0);
  });
  it('circles stay circles', () => {
    const r = offsetChain([circleCurve(WORLD, 10)], true, WORLD, 4, 'round', 1e-4);
    expect(r.chains.length).toBe(1);
    expect(worst(r.chains[0][0], (p) => length(p) - 6)).toBeLessThan(1e-9);
    expect(r.deviation).toBeLessThan(1e-12);
  });
  it('a free curve keeps its distance, also where the offset would fold', () => {
    const c = wave(8, 9);
    for (const d of [2, -2, 9]) {
      const r = offsetChain([c], false, WORLD, d, 'round', 1e-4);
      for (const x of r.chains.flat()) expect(worst(x, (p) => closestOnCurve(c, p).distance - Math.abs(d))).toBeLessThan(2e-4);
      if (d === 9) expect(r.removed).toBeGreaterThan(0);
    }
  });
  it('random polygons: no point of the offset is nearer than the distance', () =>
    fc.assert(
      fc.property(
        fc.integer({ min: 3, max: 8 }),
        fc.infiniteStream(fc.double({ min: 0.5, max: 1.5, noNaN: true })),
        fc.double({ min: 0.5, max: 6, noNaN: true }),
        fc.boolean(),
        (n, random, d, inside) => {
          const pts = Array.from({ length: n }, (_, i): Vec3 => {
            const r = 20 * (random.next().value as number);
            return [r * Math.cos((2 * Math.PI * i) / n), r * Math.sin((2 * Math.PI * i) / n), 0];
          });
          const chain = pts.map((p, i) => lineCurve(p, pts[(i + 1) % n]));
          const r = offsetChain(chain, true, WORLD, inside ? d : -d, 'round', 1e-4);
          const poly = polylineCurve([...pts, pts[0]]);
          for (const x of r.chains.flat())
            expect(worst(x, (p) => Math.min(0, closestOnCurve(poly, p).distance - d), 30)).toBeLessThan(1e-3);
          if (!inside) expect(r.chains.length).toBe(1);
        },
      ),
      { numRuns: 25 },
    ));
});

describe('wrap', () => {
  const cylinder = bodyOf(extrudedSurface(circleCurve(WORLD, 10), [0, 0, 80]));
  const plane: Frame = { origin: [10, 0, 40], x: [0, 1, 0], y: [0, 0, 1], z: [1, 0, 0] };
  const on = (x: number, y: number): Vec3 => [10, x, 40 + y];
  it('a slanted line onto a cylinder is a helix', () => {
    const r = wrapCurves(cylinder, 0, [lineCurve(on(0, 0), on(15, 20))], plane);
    if (!r.ok) throw new Error(r.message);
    expect(r.lengthError).toBeLessThan(1e-4);
    expect(arcLength(r.curves[0])).toBeCloseTo(25, 4);
    expect(worst(r.curves[0], (p) => Math.hypot(p[0], p[1]) - 10)).toBeLessThan(1e-5);
    // height grows with the angle: z - 40 = 20/15 · 10 · angle
    expect(worst(r.curves[0], (p) => p[2] - 40 - (20 / 15) * 10 * Math.atan2(p[1], p[0]))).toBeLessThan(1e-5);
  });
  it('a circle keeps its length across the seam of a closed cylinder', () => {
    const r = wrapCurves(cylinder, 0, [circleCurve({ ...plane, origin: on(0, 0) }, 6)], plane);
    if (!r.ok) throw new Error(r.message);
    expect(arcLength(r.curves[0]) / (12 * Math.PI)).toBeCloseTo(1, 5);
    expect(worst(r.curves[0], (p) => Math.hypot(p[0], p[1]) - 10)).toBeLessThan(1e-5);
  });
  it('a line on a cone stays as far from the apex as in the flat', () => {
    const cone = bodyOf(revolvedSurface(lineCurve([8, 0, 0], [20, 0, 48]), [0, 0, 0], [0, 0, 1], 0, 2 * Math.PI));
    const slope = unit([12, 0, 48]);
    const frame: Frame = { origin: [14, 0, 24], x: [0, 1, 0], y: slope, z: unit(cross([0, 1, 0], slope)) };
    const line = lineCurve(add(frame.origin, scale(frame.x, -6)), add(frame.origin, scale(frame.x, 6)));
    const r = wrapCurves(cone, 0, [line], frame);
    if (!r.ok) throw new Error(r.message);
    expect(r.lengthError).toBeLessThan(1e-6);
    const apex: Vec3 = [0, 0, -32];
    const d0 = distance(frame.origin, apex);
    for (let i = 0; i <= 20; i++) {
      const s = -6 + (12 * i) / 20;
      const [a, b] = domain(r.curves[0]);
      expect(distance(pointAt(r.curves[0], a + ((b - a) * i) / 20), apex)).toBeCloseTo(Math.hypot(d0, s), 4);
    }
  });
  it('skins that are not developable are refused with the amount; a curve too large with the place', () => {
    const ball = bodyOf(
      revolvedSurface(circleCurve(frameFromNormal([0, 0, 0], [0, -1, 0], [1, 0, 0]), 10, -1.2, 1.2), [0, 0, 0], [0, 0, 1], 0, 2 * Math.PI),
    );
    const r = wrapCurves(ball, 0, [lineCurve([10, 0, 0], [10, 5, 0])], { ...plane, origin: [10, 0, 0] });
    expect(r.ok).toBe(false);
    if (!r.ok) expect(r.message).toMatch(/not developable.*°/);
    const saddle = bodyOf(ruledSurface(lineCurve([0, 0, 0], [40, 0, 0]), lineCurve([0, 40, 10], [40, 40, -10])));
    expect(wrapCurves(saddle, 0, [lineCurve([20, 20, 0], [25, 20, 0])], frameFromNormal([20, 20, 0], [0, 0, 1])).ok).toBe(false);
    expect(wrapCurves(cylinder, 0, [lineCurve(on(0, 0), on(0, 70))], plane)).toMatchObject({
      ok: false,
      message: expect.stringContaining('border'),
    });
  });
});

describe('in-betweens and two views', () => {
  it('between two circles stand circles, whatever the starts and directions', () => {
    const a = circleCurve(WORLD, 10);
    const b = circleCurve(frameFromNormal([0, 0, 30], [0, 0, -1], [Math.cos(2), Math.sin(2), 0]), 20);
    const r = between(a, b, [0.25, 0.5], 'length');
    expect(worst(r.curves[0], (p) => Math.hypot(p[0], p[1]) - 12.5)).toBeLessThan(2e-4);
    expect(worst(r.curves[1], (p) => p[2] - 15)).toBeLessThan(2e-4);
  });
  it('by parameter the mean of two is exact on common knots', () => {
    const a = wave(6);
    const b = controlPointCurve(
      Array.from({ length: 5 }, (_, i): Vec3 => [15 * i, 2, 20]),
      4,
      false,
    );
    const [m] = between(a, b, [0.5], 'parameter').curves;
    expect(m.degree).toBe(4);
    const at = (c: NurbsCurve, x: number) => pointAt(c, domain(c)[0] + x * (domain(c)[1] - domain(c)[0]));
    for (let i = 0; i <= 30; i++) expect(distance(at(m, i / 30), scale(add(at(a, i / 30), at(b, i / 30)), 0.5))).toBeLessThan(1e-9);
    const r = between(a, b, [0.5], 'refit', { points: 9 });
    expect(pointCount(r.curves[0])).toBe(9);
    expect(r.deviation).toBeGreaterThan(0);
  });
  it('a circle and a wave in two views give the curve on the cylinder', () => {
    const front: Frame = frameFromNormal([0, 0, 0], [0, -1, 0], [1, 0, 0]);
    const side = controlPointCurve(
      [
        [-10, -40, 5],
        [-4, -40, 12],
        [4, -40, 2],
        [10, -40, 8],
      ],
      3,
      false,
    );
    const half = ellipseArc(WORLD, 10, 10, 0, Math.PI);
    const r = fromTwoViews(half, WORLD, side, { ...front, origin: [0, -40, 0] });
    if (!r.ok) throw new Error(r.message);
    expect(worst(r.curve, (p) => Math.hypot(p[0], p[1]) - 10)).toBeLessThan(1e-5);
    expect(worst(r.curve, (p) => closestOnCurve(side, [p[0], -40, p[2]]).distance)).toBeLessThan(1e-5);
    expect(fromTwoViews(half, WORLD, half, WORLD)).toMatchObject({ ok: false });
  });
});

it('corners of a chain are told with their angle', () => {
  const c = cornersOfChain(square(5), true);
  expect(c.map((x) => Math.round(x.angle / DEG))).toEqual([90, 90, 90, 90]);
});
