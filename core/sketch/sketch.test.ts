import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { distance, WORLD } from '../math/index.ts';
import { arcLength, curvatureAt, derivativesAt, domain, knotRuns } from '../nurbs/index.ts';
import { emptySketch, pinEverything, type Sketch, type SketchRule, sketchCurves, sketchProblem, solveSketch } from './index.ts';

const point = (id: string, x: number, y: number) => ({ id, x, y });
const line = (id: string, a: string, b: string) => ({ id, type: 'line' as const, a, b });
let counter = 0;
const rule = (r: Record<string, unknown>): SketchRule => ({ id: `r${counter++}`, ...r }) as SketchRule;
const at = (s: Sketch, id: string) => s.points.find((p) => p.id === id) as { x: number; y: number };
const length = (s: Sketch, a: string, b: string) => Math.hypot(at(s, a).x - at(s, b).x, at(s, a).y - at(s, b).y);

/** A loose four-sided shape. */
const four = (...rules: SketchRule[]): Sketch => ({
  points: [point('a', 0, 0), point('b', 19, 1), point('c', 21, 11), point('d', -1, 9)],
  curves: [line('ab', 'a', 'b'), line('bc', 'b', 'c'), line('cd', 'c', 'd'), line('da', 'd', 'a')],
  rules,
});
const box = () => [
  rule({ type: 'horizontal', a: 'a', b: 'b' }),
  rule({ type: 'vertical', a: 'b', b: 'c' }),
  rule({ type: 'horizontal', a: 'c', b: 'd' }),
  rule({ type: 'vertical', a: 'd', b: 'a' }),
];

describe('rules', () => {
  it('a rectangle from horizontals, verticals and two dimensions', () => {
    const r = solveSketch(
      four(
        ...box(),
        rule({ type: 'fixed', point: 'a' }),
        rule({ type: 'distance', a: 'a', b: 'b', value: 30 }),
        rule({ type: 'distance', a: 'b', b: 'c', value: 12 }),
      ),
    );
    expect(r.solved).toBe(true);
    expect(r.freedom).toBe(0);
    expect(r.loose).toEqual([]);
    expect(at(r.sketch, 'c').x).toBeCloseTo(30, 8);
    expect(at(r.sketch, 'c').y).toBeCloseTo(12, 8);
  });
  it('counts what is free and tells what is loose', () => {
    expect(solveSketch(four()).freedom).toBe(8);
    expect(solveSketch(four(...box())).freedom).toBe(4);
    const r = solveSketch(four(...box(), rule({ type: 'fixed', point: 'a' }), rule({ type: 'distance', a: 'a', b: 'b', value: 30 })));
    expect(r.freedom).toBe(1);
    expect([...r.loose].sort()).toEqual(['bc', 'c', 'cd', 'd', 'da'].sort());
  });
  it('parallel, perpendicular, equal, angle, midpoint, symmetric', () => {
    const s = four(
      rule({ type: 'fixed', point: 'a' }),
      rule({ type: 'parallel', a: 'ab', b: 'cd' }),
      rule({ type: 'perpendicular', a: 'ab', b: 'bc' }),
      rule({ type: 'equal', a: 'ab', b: 'bc' }),
      rule({ type: 'angle', a: 'ab', b: 'da', value: -60 }),
      rule({ type: 'distance', a: 'a', b: 'b', value: 20 }),
    );
    const r = solveSketch(s);
    expect(r.solved).toBe(true);
    expect(length(r.sketch, 'b', 'c')).toBeCloseTo(20, 8);
    const [a, b, c, d] = ['a', 'b', 'c', 'd'].map((k) => at(r.sketch, k));
    expect((b.x - a.x) * (c.x - b.x) + (b.y - a.y) * (c.y - b.y)).toBeCloseTo(0, 7);
    expect((b.x - a.x) * (d.y - c.y) - (b.y - a.y) * (d.x - c.x)).toBeCloseTo(0, 7);
    const mid: Sketch = {
      points: [point('a', 0, 0), point('b', 10, 0), point('m', 3, 4), point('p', 1, 6), point('q', 8, 9)],
      curves: [line('ab', 'a', 'b')],
      rules: [
        rule({ type: 'fixed', point: 'a' }),
        rule({ type: 'fixed', point: 'b' }),
        rule({ type: 'midpoint', point: 'm', line: 'ab' }),
        rule({ type: 'symmetric', a: 'p', b: 'q', line: 'ab' }),
      ],
    };
    const m = solveSketch(mid);
    expect(at(m.sketch, 'm')).toMatchObject({ x: expect.closeTo(5, 9), y: expect.closeTo(0, 9) });
    expect(at(m.sketch, 'p').x).toBeCloseTo(at(m.sketch, 'q').x, 8);
    expect(at(m.sketch, 'p').y).toBeCloseTo(-at(m.sketch, 'q').y, 8);
  });
  it('a circle touching two lines and a given radius: its centre is where it must be', () => {
    const s: Sketch = {
      points: [point('o', 0, 0), point('x', 40, 0), point('y', 0, 40), point('m', 9, 7)],
      curves: [line('h', 'o', 'x'), line('v', 'o', 'y'), { id: 'k', type: 'circle', c: 'm', r: 3 }],
      rules: [
        ...['o', 'x', 'y'].map((p) => rule({ type: 'fixed', point: p })),
        rule({ type: 'tangent', a: 'h', b: 'k' }),
        rule({ type: 'tangent', a: 'v', b: 'k' }),
        rule({ type: 'diameter', curve: 'k', value: 11 }),
      ],
    };
    const r = solveSketch(s);
    expect(r.freedom).toBe(0);
    expect(at(r.sketch, 'm')).toMatchObject({ x: expect.closeTo(5.5, 8), y: expect.closeTo(5.5, 8) });
  });
  it('a slot of two arcs and two lines, tangent all round', () => {
    const s: Sketch = {
      points: [point('c', 0, 0), point('d', 30, 1), point('p', 1, 6), point('q', -1, -5), point('r', 29, -6), point('t', 31, 7)],
      curves: [
        { id: 'left', type: 'arc', c: 'c', a: 'p', b: 'q' },
        line('low', 'q', 'r'),
        { id: 'right', type: 'arc', c: 'd', a: 'r', b: 't' },
        line('high', 't', 'p'),
      ],
      rules: [
        rule({ type: 'fixed', point: 'c' }),
        rule({ type: 'horizontal', a: 'c', b: 'd' }),
        ...[
          ['left', 'low'],
          ['low', 'right'],
          ['right', 'high'],
          ['high', 'left'],
        ].map(([a, b]) => rule({ type: 'tangent', a, b })),
        rule({ type: 'equal', a: 'left', b: 'right' }),
        rule({ type: 'radius', curve: 'left', value: 5 }),
        rule({ type: 'distance', a: 'c', b: 'd', value: 30 }),
      ],
    };
    const r = solveSketch(s);
    expect(r.solved).toBe(true);
    const total = sketchCurves(r.sketch, WORLD).reduce((l, c) => l + arcLength(c.curve), 0);
    expect(total).toBeCloseTo(60 + 10 * Math.PI, 6);
  });
  it('a spline runs on from a line and an arc with equal curvature', () => {
    const s: Sketch = {
      points: [point('m', 0, 0), point('a', 10, 0), point('b', 0, 10), point('p', -4, 10.5), point('q', -9, 9), point('e', -15, 4)],
      curves: [
        { id: 'arc', type: 'arc', c: 'm', a: 'a', b: 'b' },
        { id: 'sp', type: 'spline', points: ['b', 'p', 'q', 'e'], degree: 3 },
      ],
      rules: [...['m', 'a', 'b', 'e'].map((p) => rule({ type: 'fixed', point: p })), rule({ type: 'smooth', a: 'arc', b: 'sp' })],
    };
    const r = solveSketch(s);
    expect(r.solved).toBe(true);
    const spline = sketchCurves(r.sketch, WORLD).find((c) => c.id === 'sp');
    expect(spline && curvatureAt(spline.curve, domain(spline.curve)[0])).toBeCloseTo(0.1, 7);
    expect(at(r.sketch, 'p').y).toBeCloseTo(10, 7);
  });
  it('a point on an ellipse', () => {
    const s: Sketch = {
      points: [point('m', 0, 0), point('a', 8, 0), point('p', 4, 6)],
      curves: [{ id: 'e', type: 'ellipse', c: 'm', a: 'a', r: 5 }],
      rules: [rule({ type: 'fixed', point: 'm' }), rule({ type: 'fixed', point: 'a' }), rule({ type: 'on', point: 'p', curve: 'e' })],
    };
    const r = solveSketch(s);
    const p = at(r.sketch, 'p');
    const k = r.sketch.curves[0].type === 'ellipse' ? r.sketch.curves[0].r : 0;
    expect((p.x / 8) ** 2 + (p.y / k) ** 2).toBeCloseTo(1, 8);
  });
});

describe('contradictions', () => {
  it('names a minimal set', () => {
    const s = four(
      ...box(),
      rule({ type: 'fixed', point: 'a' }),
      rule({ type: 'distance', a: 'a', b: 'b', value: 30 }),
      rule({ type: 'distance', a: 'c', b: 'd', value: 25 }),
      rule({ type: 'distance', a: 'b', b: 'c', value: 9 }),
    );
    const r = solveSketch(s);
    expect(r.solved).toBe(false);
    expect(r.conflicts.length).toBe(1);
    const set = r.conflicts[0];
    expect(set).toContain(5);
    expect(set).toContain(6);
    expect(set).not.toContain(7);
    // leaving out either dimension of the set makes it solvable: the set is minimal in them
    for (const k of [5, 6]) expect(solveSketch({ ...s, rules: s.rules.filter((_, i) => i !== k) }).solved).toBe(true);
  });
  it('a rule that follows from others is told as redundant, not as a contradiction', () => {
    const r = solveSketch(four(...box(), rule({ type: 'parallel', a: 'ab', b: 'cd' })));
    expect(r.solved).toBe(true);
    expect(r.redundant).toEqual([4]);
    expect(r.conflicts).toEqual([]);
  });
  it('references that are gone are told in words', () => {
    expect(sketchProblem({ ...four(), curves: [line('x', 'a', 'nobody')] })).toContain('nobody');
    expect(sketchProblem(four(rule({ type: 'fixed', point: 'zz' })))).toContain('Fixed');
    expect(sketchProblem(emptySketch)).toBeUndefined();
  });
});

describe('dragging and pinning', () => {
  it('a dragged point takes the sketch along its freedoms and breaks no rule', () => {
    let s = solveSketch(four(...box(), rule({ type: 'fixed', point: 'a' }), rule({ type: 'distance', a: 'a', b: 'b', value: 30 }))).sketch;
    for (let k = 1; k <= 20; k++) {
      const r = solveSketch(s, { drag: { point: 'c', x: 30 + k, y: 12 + k }, quick: true });
      expect(r.solved).toBe(true);
      s = r.sketch;
    }
    // along x it cannot go, along y it does
    expect(at(s, 'c').x).toBeCloseTo(30, 8);
    expect(at(s, 'c').y).toBeCloseTo(32, 4);
    expect(at(s, 'd').y).toBeCloseTo(at(s, 'c').y, 8);
  });
  it('what no rule touches stays where it is', () => {
    const s = { ...four(...box()), points: [...four().points, point('alone', 100, 50)] };
    expect(at(solveSketch(s).sketch, 'alone')).toEqual({ id: 'alone', x: 100, y: 50 });
  });
  it('pin everything leaves no freedom and moves nothing', () => {
    const start = solveSketch(four(...box())).sketch;
    const { sketch, added } = pinEverything(start);
    expect(added).toBe(3);
    const r = solveSketch(sketch);
    expect(r.freedom).toBe(0);
    expect(r.redundant).toEqual([]);
    for (const p of start.points) expect(Math.hypot(at(r.sketch, p.id).x - p.x, at(r.sketch, p.id).y - p.y)).toBeLessThan(1e-8);
    const odd = pinEverything({
      points: [point('a', 1, 2), point('b', 9, 5), point('m', 20, 3)],
      curves: [line('l', 'a', 'b'), { id: 'k', type: 'circle', c: 'm', r: 4 }],
      rules: [],
    });
    expect(solveSketch(odd.sketch).freedom).toBe(0);
  });
});

/** A chain of right-angled links with dimensions: every link is settled by the one before it. */
function ladder(links: number): Sketch {
  const points = [point('p0', 0, 0)];
  const curves: Sketch['curves'] = [];
  const rules: SketchRule[] = [rule({ type: 'fixed', point: 'p0' })];
  let [x, y] = [0, 0];
  for (let i = 1; i <= links; i++) {
    const l = 5 + (i % 7);
    if (i % 2) x += l;
    else y += l;
    points.push(point(`p${i}`, x + 0.8 * Math.sin(9 * i), y + 0.8 * Math.cos(7 * i)));
    curves.push(line(`l${i}`, `p${i - 1}`, `p${i}`));
    rules.push(
      rule({ type: i % 2 ? 'horizontal' : 'vertical', a: `p${i - 1}`, b: `p${i}` }),
      rule({ type: 'distance', a: `p${i - 1}`, b: `p${i}`, value: l }),
    );
  }
  return { points, curves, rules };
}

describe('many rules', () => {
  it('500 rules are solved to the end, with freedoms counted', () => {
    const s = ladder(250);
    expect(s.rules.length).toBe(501);
    // four times the rules must not take the cube of that: compared on the same machine at the same time
    const time = (links: number) => {
      const made = ladder(links);
      const all = Array.from({ length: 5 }, () => {
        const t = performance.now();
        const r = solveSketch(made);
        expect(r.solved).toBe(true);
        expect(r.freedom).toBe(0);
        return performance.now() - t;
      });
      return Math.min(...all);
    };
    time(62);
    const [small, large] = [time(62), time(250)];
    expect(large / small).toBeLessThan(30);
    let [x, y] = [0, 0];
    for (let i = 1; i <= 250; i++) i % 2 ? (x += 5 + (i % 7)) : (y += 5 + (i % 7));
    const end = at(solveSketch(s).sketch, 'p250');
    expect(end.x).toBeCloseTo(x, 5);
    expect(end.y).toBeCloseTo(y, 5);
  });
  it('two rules that only just touch, one after the other, are solved to the end', () => {
    // level with its neighbour (a distance as long as it is across), and four links on the same again, all but 0.00003
    const side = 20;
    const chord = 20 * Math.sqrt(3);
    const hexagon = Array.from({ length: 6 }, (_, i) => [20 * Math.cos((Math.PI * i) / 3), 20 * Math.sin((Math.PI * i) / 3)]);
    hexagon[2][0] -= 0.4;
    hexagon[5][1] += 0.436849;
    const r = solveSketch({
      points: hexagon.map(([x, y], i) => point(`p${i}`, x, y)),
      curves: [1, 2, 3, 4, 5].map((i) => line(`l${i}`, `p${i - 1}`, `p${i}`)),
      rules: [
        rule({ type: 'across', a: 'p0', b: 'p1', value: -10 }),
        rule({ type: 'up', a: 'p0', b: 'p1', value: chord / 2 }),
        rule({ type: 'distance', a: 'p1', b: 'p2', value: side }),
        rule({ type: 'across', a: 'p0', b: 'p2', value: -30 }),
        rule({ type: 'distance', a: 'p2', b: 'p3', value: side }),
        rule({ type: 'distance', a: 'p1', b: 'p3', value: chord }),
        rule({ type: 'distance', a: 'p3', b: 'p4', value: side }),
        rule({ type: 'distance', a: 'p2', b: 'p4', value: chord }),
        rule({ type: 'distance', a: 'p4', b: 'p5', value: 20.000033946 }),
        rule({ type: 'across', a: 'p0', b: 'p5', value: -10 }),
      ],
    });
    expect(r.solved).toBe(true);
    expect(r.worst).toBeLessThan(1e-9 * 30);
    expect(r.freedom).toBe(2);
  });
  it('random consistent sketches converge to their rules within 1e-9 of size', () =>
    fc.assert(
      fc.property(fc.integer({ min: 3, max: 12 }), fc.infiniteStream(fc.double({ min: -1, max: 1, noNaN: true })), (n, random) => {
        const next = () => random.next().value as number;
        // a true shape, rules measured on it, then every point is disturbed
        const truth = Array.from({ length: n }, (_, i) => ({
          x: 20 * Math.cos((2 * Math.PI * i) / n) + 3 * next(),
          y: 20 * Math.sin((2 * Math.PI * i) / n) + 3 * next(),
        }));
        const d = (i: number, j: number) => Math.hypot(truth[i].x - truth[j].x, truth[i].y - truth[j].y);
        const rules: SketchRule[] = [
          rule({ type: 'across', a: 'p0', b: 'p1', value: truth[1].x - truth[0].x }),
          rule({ type: 'up', a: 'p0', b: 'p1', value: truth[1].y - truth[0].y }),
        ];
        for (let i = 2; i < n; i++) {
          rules.push(rule({ type: 'distance', a: `p${i - 1}`, b: `p${i}`, value: d(i - 1, i) }));
          rules.push(
            next() > 0
              ? rule({ type: 'distance', a: `p${i - 2}`, b: `p${i}`, value: d(i - 2, i) })
              : rule({ type: 'across', a: 'p0', b: `p${i}`, value: truth[i].x - truth[0].x }),
          );
        }
        const s: Sketch = {
          points: truth.map((p, i) => point(`p${i}`, p.x + 0.4 * next(), p.y + 0.4 * next())),
          curves: truth.slice(1).map((_, i) => line(`l${i}`, `p${i}`, `p${i + 1}`)),
          rules,
        };
        const r = solveSketch(s);
        expect(r.worst).toBeLessThan(1e-9 * 30);
        expect(r.freedom).toBeGreaterThanOrEqual(2);
      }),
      { numRuns: 60 },
    ));
});

it('a closed spline of a sketch is smooth all round and stays so when a rule moves its points', () => {
  const n = 7;
  const points = Array.from({ length: n }, (_, i) => ({
    id: `p${i}`,
    x: 20 * Math.cos((2 * Math.PI * i) / n),
    y: 12 * Math.sin((2 * Math.PI * i) / n),
  }));
  const spline: Sketch['curves'][number] = { id: 's', type: 'spline', points: points.map((p) => p.id), degree: 3, closed: true };
  const rules: Sketch['rules'] = [
    { id: 'f', type: 'fixed', point: 'p0' },
    { id: 'd', type: 'distance', a: 'p0', b: 'p3', value: 50 },
  ];
  const r = solveSketch({ points, curves: [spline], rules });
  expect(r.solved).toBe(true);
  const [{ curve }] = sketchCurves(r.sketch, WORLD);
  const [a, b] = domain(curve);
  const [start, end] = [derivativesAt(curve, a, 2), derivativesAt(curve, b, 2)];
  for (let k = 0; k < 3; k++) expect(distance(start[k], end[k])).toBeLessThan(1e-9 * (1 + Math.hypot(...start[k])));
  // inside the hull of its points, and nowhere a kink
  expect(
    knotRuns(curve.knots, curve.degree)
      .multiplicities.slice(1, -1)
      .every((m) => m === 1),
  ).toBe(true);
});
