import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { RULE_NAMES, type Sketch, type SketchRule, sketchRule, solveSketch } from './index.ts';
import { residualsOf, unknownsOf } from './residuals.ts';
import { RULES } from './rules.ts';

const point = (id: string, x: number, y: number) => ({ id, x, y });
type Place = { x: number; y: number };
/** One of everything: two lines, two circles, an arc, an ellipse, a spline, each on points of its own. */
function zoo(random: () => number, ...rules: Record<string, unknown>[]): Sketch {
  const p = (id: string, x: number, y: number) => point(id, x + 3 * random(), y + 3 * random());
  return {
    points: [
      p('a', 0, 0),
      p('b', 20, 4),
      p('c', 5, 30),
      p('d', 28, 26),
      p('m', -20, 10),
      p('n', -20, 40),
      p('u', 50, 0),
      p('v', 60, 2),
      p('w', 51, 9),
      p('e', 50, 40),
      p('f', 62, 42),
      p('q', 10, 60),
      p('r', 20, 64),
      p('s', 31, 60),
    ],
    curves: [
      { id: 'ab', type: 'line', a: 'a', b: 'b' },
      { id: 'cd', type: 'line', a: 'c', b: 'd' },
      { id: 'M', type: 'circle', c: 'm', r: 6 + random() },
      { id: 'N', type: 'circle', c: 'n', r: 4 + random() },
      { id: 'U', type: 'arc', c: 'u', a: 'v', b: 'w' },
      { id: 'E', type: 'ellipse', c: 'e', a: 'f', r: 7 + random() },
      { id: 'Q', type: 'spline', points: ['q', 'r', 's'], degree: 2 },
    ],
    rules: rules.map((r, i) => ({ id: `r${i}`, ...r }) as SketchRule),
  };
}
const at = (s: Sketch, id: string): Place => s.points.find((p) => p.id === id) as Place;
const radius = (s: Sketch, id: string): number => {
  const c = s.curves.find((k) => k.id === id);
  if (c?.type === 'circle' || c?.type === 'ellipse') return c.r;
  return c?.type === 'arc' ? gap(at(s, c.c), at(s, c.a)) : Number.NaN;
};
const gap = (p: Place, q: Place) => Math.hypot(p.x - q.x, p.y - q.y);
const angle = (p: Place, q: Place) => Math.atan2(q.y - p.y, q.x - p.x);
/** Distance of a place from the endless line through two others. */
const off = (p: Place, a: Place, b: Place) => Math.abs((b.x - a.x) * (p.y - a.y) - (b.y - a.y) * (p.x - a.x)) / gap(a, b);
const turn = (x: number) => Math.abs(Math.atan2(Math.sin(x), Math.cos(x)));
const ends = (s: Sketch) => ['a', 'b', 'c', 'd'].map((id) => at(s, id)) as [Place, Place, Place, Place];

/** Each rule with what must be true afterwards, said without the solver's own formulas. */
const CASES: readonly [string, Record<string, unknown>, (s: Sketch) => number][] = [
  ['coincident', { a: 'a', b: 'c' }, (s) => gap(at(s, 'a'), at(s, 'c'))],
  ['horizontal', { a: 'a', b: 'b' }, (s) => Math.abs(at(s, 'a').y - at(s, 'b').y)],
  ['vertical', { a: 'a', b: 'b' }, (s) => Math.abs(at(s, 'a').x - at(s, 'b').x)],
  ['on', { point: 'c', curve: 'ab' }, (s) => off(at(s, 'c'), at(s, 'a'), at(s, 'b'))],
  ['on', { point: 'c', curve: 'M' }, (s) => Math.abs(gap(at(s, 'c'), at(s, 'm')) - radius(s, 'M'))],
  ['on', { point: 'c', curve: 'U' }, (s) => Math.abs(gap(at(s, 'c'), at(s, 'u')) - radius(s, 'U'))],
  [
    'on',
    { point: 'c', curve: 'E' },
    (s) => {
      const [p, m, f] = [at(s, 'c'), at(s, 'e'), at(s, 'f')];
      const t = angle(m, f);
      const [x, y] = [p.x - m.x, p.y - m.y];
      return Math.abs(
        ((x * Math.cos(t) + y * Math.sin(t)) / gap(m, f)) ** 2 + ((y * Math.cos(t) - x * Math.sin(t)) / radius(s, 'E')) ** 2 - 1,
      );
    },
  ],
  [
    'parallel',
    { a: 'ab', b: 'cd' },
    (s) => Math.min(...[0, Math.PI].map((k) => turn(angle(ends(s)[0], ends(s)[1]) - angle(ends(s)[2], ends(s)[3]) - k))),
  ],
  ['perpendicular', { a: 'ab', b: 'cd' }, (s) => Math.abs(Math.cos(angle(ends(s)[0], ends(s)[1]) - angle(ends(s)[2], ends(s)[3])))],
  [
    'angle',
    { a: 'ab', b: 'cd', value: 40 },
    (s) =>
      Math.min(...[0, Math.PI].map((k) => turn(angle(ends(s)[2], ends(s)[3]) - angle(ends(s)[0], ends(s)[1]) - (40 * Math.PI) / 180 - k))),
  ],
  ['tangent', { a: 'ab', b: 'M' }, (s) => Math.abs(off(at(s, 'm'), at(s, 'a'), at(s, 'b')) - radius(s, 'M'))],
  ['tangent', { a: 'N', b: 'cd' }, (s) => Math.abs(off(at(s, 'n'), at(s, 'c'), at(s, 'd')) - radius(s, 'N'))],
  [
    'tangent',
    { a: 'M', b: 'N' },
    (s) => Math.min(...[1, -1].map((k) => Math.abs(gap(at(s, 'm'), at(s, 'n')) - Math.abs(radius(s, 'M') + k * radius(s, 'N'))))),
  ],
  ['equal', { a: 'ab', b: 'cd' }, (s) => Math.abs(gap(at(s, 'a'), at(s, 'b')) - gap(at(s, 'c'), at(s, 'd')))],
  ['equal', { a: 'M', b: 'U' }, (s) => Math.abs(radius(s, 'M') - radius(s, 'U'))],
  [
    'symmetric',
    { a: 'c', b: 'd', line: 'ab' },
    (s) => {
      const [a, b, c, d] = ends(s);
      const middle = { x: (c.x + d.x) / 2, y: (c.y + d.y) / 2 };
      return Math.max(off(middle, a, b), Math.abs(Math.cos(angle(c, d) - angle(a, b))) * gap(c, d));
    },
  ],
  ['concentric', { a: 'M', b: 'N' }, (s) => gap(at(s, 'm'), at(s, 'n'))],
  ['concentric', { a: 'E', b: 'U' }, (s) => gap(at(s, 'e'), at(s, 'u'))],
  [
    'midpoint',
    { point: 'c', line: 'ab' },
    (s) => Math.abs(gap(at(s, 'c'), at(s, 'a')) - gap(at(s, 'c'), at(s, 'b'))) + off(at(s, 'c'), at(s, 'a'), at(s, 'b')),
  ],
  ['distance', { a: 'a', b: 'c', value: 17 }, (s) => Math.abs(gap(at(s, 'a'), at(s, 'c')) - 17)],
  ['distance', { a: 'c', b: 'ab', value: 9 }, (s) => Math.abs(off(at(s, 'c'), at(s, 'a'), at(s, 'b')) - 9)],
  ['across', { a: 'a', b: 'd', value: -12 }, (s) => Math.abs(at(s, 'd').x - at(s, 'a').x + 12)],
  ['up', { a: 'a', b: 'd', value: 33 }, (s) => Math.abs(at(s, 'd').y - at(s, 'a').y - 33)],
  ['radius', { curve: 'M', value: 11 }, (s) => Math.abs(radius(s, 'M') - 11)],
  ['radius', { curve: 'U', value: 3 }, (s) => Math.abs(radius(s, 'U') - 3)],
  ['diameter', { curve: 'N', value: 5 }, (s) => Math.abs(radius(s, 'N') - 2.5)],
];

describe('each rule, from any start', () => {
  it.each(CASES)('%s %o', (type, refs, wrong) => {
    fc.assert(
      fc.property(fc.infiniteStream(fc.double({ min: -1, max: 1, noNaN: true })), (stream) => {
        const s = zoo(() => stream.next().value as number, { type, ...refs });
        const r = solveSketch(s);
        expect(r.solved).toBe(true);
        expect(wrong(r.sketch)).toBeLessThan(1e-7);
        // the arc stays an arc: both its ends are equally far from its middle
        expect(Math.abs(gap(at(r.sketch, 'u'), at(r.sketch, 'v')) - gap(at(r.sketch, 'u'), at(r.sketch, 'w')))).toBeLessThan(1e-7);
      }),
      { numRuns: 25 },
    );
  });
  it('a fixed point does not move, whatever else does', () => {
    const s = zoo(() => 0, { type: 'fixed', point: 'a' }, { type: 'distance', a: 'a', b: 'c', value: 50 });
    const r = solveSketch(s);
    expect(gap(at(r.sketch, 'a'), { x: 0, y: 0 })).toBeLessThan(1e-9);
    expect(gap(at(r.sketch, 'a'), at(r.sketch, 'c'))).toBeCloseTo(50, 8);
  });
  it('what does not fit together asks nothing instead of failing', () => {
    // a circle has no direction, a line no radius
    const odd = [
      { type: 'parallel', a: 'ab', b: 'M' },
      { type: 'radius', curve: 'ab', value: 5 },
      { type: 'equal', a: 'ab', b: 'M' },
      { type: 'midpoint', point: 'a', line: 'M' },
      { type: 'symmetric', a: 'a', b: 'b', line: 'M' },
      { type: 'tangent', a: 'Q', b: 'E' },
      { type: 'concentric', a: 'M', b: 'ab' },
      { type: 'on', point: 'a', curve: 'Q' },
    ];
    const s = zoo(() => 0, ...odd);
    const u = unknownsOf(s);
    expect(residualsOf(s, u, new Map(), u.x).filter((r) => r.rule >= 0)).toEqual([]);
    const r = solveSketch(s);
    expect(r.solved).toBe(true);
    // the arc of the zoo is made whole; nothing else moves
    for (const p of s.points) if (!'uvw'.includes(p.id)) expect(at(r.sketch, p.id)).toEqual(p);
  });
});

describe('the table', () => {
  it('has a line for every kind that a recipe may hold, and a name for each', () => {
    const kinds = sketchRule.options.map((o) => o.shape.type.value).sort();
    expect(Object.keys(RULES).sort()).toEqual(kinds);
    expect(Object.keys(RULE_NAMES).sort()).toEqual(kinds);
    expect(new Set(Object.values(RULE_NAMES)).size).toBe(kinds.length);
  });
  it('unknowns that a part names are all it depends on', () =>
    fc.assert(
      fc.property(fc.constantFrom(...CASES), fc.integer({ min: 0, max: 30 }), ([type, refs], which) => {
        const s = zoo(() => 0.3, { type, ...refs });
        const u = unknownsOf(s);
        const k = which % u.x.length;
        const moved = u.x.slice();
        moved[k] += 0.7;
        for (const r of residualsOf(s, u, new Map([[0, 5]]), u.x.slice()))
          if (!r.variables.includes(k)) expect(r.value(moved)).toBe(r.value(u.x));
      }),
      { numRuns: 200 },
    ));
});
