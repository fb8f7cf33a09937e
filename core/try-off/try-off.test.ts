import { describe, expect, it } from 'vitest';
import { isWatertight } from '../brep/index.ts';
import { localKernel } from '../brep/local.ts';
import { measureSeams } from '../proof/index.ts';
import { applyEdit, emptyModel, evaluateModel, type Model, type Pick, type Step } from '../recipe/index.ts';
import { bodyOf, onPlane, square, step } from '../testing/run.ts';
import { RUNNABLE } from '../tools/evaluations.ts';
import { keepVariant, pickedSides, tryOff, type Variant } from './index.ts';

const options = { tools: RUNNABLE, kernel: localKernel };
async function modelOf(steps: Step[]) {
  const model: Model = { ...emptyModel('try-off'), steps };
  const { steps: results } = await evaluateModel(model, options);
  for (const [k, r] of results) if (r.status === 'error') throw new Error(`${k}: ${r.diagnostics[0]?.message}`);
  return { model, results };
}
/** Half a tube of radius 20 with a square window of 16 mm in its side, seen along y. */
const tube: Step[] = [
  step('c', 'arc', {
    points: [
      [20, 0],
      [0, 20],
      [-20, 0],
    ],
  }),
  step('t', 'extrude', { distance: 60 }, { profile: ['c'] }),
  step('p', 'work-plane', { base: 'xz', size: 80 }),
  onPlane(
    'p',
    step('w', 'polyline', {
      points: [
        [-8, 20],
        [8, 20],
        [8, 36],
        [-8, 36],
      ],
      closed: true,
    }),
  ),
  step('o', 'trim', { keep: 'picked', places: [[0, 20, 5]] }, { target: ['t'], cutters: ['w'] }),
];
const windowRim: Pick = { step: 'o', output: 'main', part: { kind: 'edge', name: 'o.cut(t:side)' } };
const byKey = (list: readonly Variant[], key: string) => list.find((v) => v.key === key) as Variant;
const AREA = 16 * 40 * Math.asin(0.4);

describe('methods for one opening, side by side', () => {
  it('a window in a tube comes back as the tube by every method, with its curvature; a plane is refused', async () => {
    const { model, results } = await modelOf(tube);
    const told: string[] = [];
    // one edge stands for the rim
    const r = await tryOff(model, [windowRim], results, options, (v) => told.push(v.key));
    if (!r.ok) throw new Error(r.message);
    expect(r.what).toBe('an opening of 4 sides');
    expect(told).toEqual(r.variants.map((v) => v.key));
    for (const key of ['patch', 'blend-a', 'blend-b', 'weave', 'four', 'taut', 'g1', 'ball']) {
      const n = byKey(r.variants, key).made?.numbers;
      expect([key, n?.grade, n?.edges.length]).toEqual([key, 'G2', 4]);
      expect(n?.gap).toBeLessThan(5e-4);
      expect(n?.kink).toBeLessThan(0.005);
      // the skin itself is meant, not the edge that both have: what is fitted is never there to rounding
      if (key === 'ball') expect(n?.gap).toBeGreaterThan(1e-9);
      expect(n?.curvature).toBeCloseTo(1 / 20, 4);
      expect(n?.area).toBeCloseTo(AREA, 1);
      expect(byKey(r.variants, key).made?.ms).toBeGreaterThan(0);
    }
    expect(byKey(r.variants, 'flat').made).toBeUndefined();
    // the farthest corner of the window from its plane: 20 - sqrt(400 - 64) = 1.67, halved
    expect(byKey(r.variants, 'flat').why).toMatch(/1\.09\d+ mm out of one plane/);
    // the tube itself, and nothing simpler
    expect(byKey(r.variants, 'patch').made?.numbers.points).toBe(10);
  }, 60_000);

  it('a window in a flat sheet may be filled flat; three corners are three sides', async () => {
    const sheet: Step[] = [
      step('b', 'polyline', { points: square(60), closed: true }),
      step('t', 'flat-skin', {}, { loops: ['b'] }),
      step('w', 'polyline', {
        points: [
          [10, 10],
          [30, 12],
          [18, 34],
        ],
        closed: true,
      }),
      step('o', 'trim', { keep: 'picked', places: [[2, 2, 0]] }, { target: ['t'], cutters: ['w'] }),
    ];
    const { model, results } = await modelOf(sheet);
    const edge = bodyOf(results, 'o').edges.find((e) => e.name.startsWith('o.cut'))?.name as string;
    const r = await tryOff(model, [{ step: 'o', output: 'main', part: { kind: 'edge', name: edge } }], results, options);
    if (!r.ok) throw new Error(r.message);
    expect(r.what).toBe('an opening of 3 sides');
    expect(r.variants.some((v) => v.key.startsWith('blend'))).toBe(false);
    const flat = byKey(r.variants, 'flat').made?.numbers;
    expect(flat?.grade).toBe('G2');
    expect(flat?.curvature).toBeLessThan(1e-9);
    expect(flat?.area).toBeCloseTo(0.5 * Math.abs(20 * 24 - 8 * 2), 6);
  }, 60_000);

  it('two borders at right angles: what holds to nothing kinks by the angle, blends meet', async () => {
    const pair: Step[] = [
      step('s', 'work-plane', { base: 'yz' }),
      onPlane(
        's',
        step('a', 'polyline', {
          points: [
            [0, 0],
            [40, 0],
            [40, 30],
            [0, 30],
          ],
          closed: true,
        }),
      ),
      step('l', 'flat-skin', {}, { loops: ['a'] }),
      step('q', 'work-plane', { offset: [0, 0, 50] }),
      onPlane(
        'q',
        step('f', 'polyline', {
          points: [
            [20, 0],
            [60, 0],
            [60, 40],
            [20, 40],
          ],
          closed: true,
        }),
      ),
      step('r', 'flat-skin', {}, { loops: ['f'] }),
    ];
    const { model, results } = await modelOf(pair);
    const at = (id: string, near: (p: readonly number[]) => boolean): Pick => {
      const b = bodyOf(results, id);
      const e = b.edges.find((x) => [x.start, x.end].every((v) => near(b.vertices[v].point)));
      return { step: id, output: 'main', part: { kind: 'edge', name: e?.name as string, near: undefined } };
    };
    const picks = [at('l', (p) => Math.abs(p[2] - 30) < 1e-6), at('r', (p) => Math.abs(p[0] - 20) < 1e-6)];
    const r = await tryOff(model, picks, results, options);
    if (!r.ok) throw new Error(r.message);
    expect(r.what).toBe('two borders');
    for (const key of ['blend-2', 'blend-3']) expect(byKey(r.variants, key).made?.numbers.grade).toBe('G2');
    const ruled = byKey(r.variants, 'ruled').made?.numbers;
    // 20 across and 20 up: 45 degrees against both skins
    expect(ruled?.kink).toBeCloseTo(45, 6);
    expect(ruled?.grade).toBe('G0');
    expect(ruled?.area).toBeCloseTo(40 * Math.hypot(20, 20), 6);
  }, 60_000);

  it('what neither closes nor makes a pair is refused with what to do', async () => {
    const { model, results } = await modelOf(tube);
    const names = bodyOf(results, 'o').edges.flatMap((e) => (e.name.startsWith('o.cut') ? [e] : []));
    const b = bodyOf(results, 'o');
    const one = (k: number): Pick => {
      const e = names[k];
      const mid = [0, 1, 2].map((i) => (b.vertices[e.start].point[i] + b.vertices[e.end].point[i]) / 2) as [number, number, number];
      return { step: 'o', output: 'main', part: { kind: 'edge', name: e.name, near: mid } };
    };
    const three = pickedSides([one(0), one(1), one(2)], model, results, RUNNABLE);
    expect(three.kind === 'neither' && three.message).toMatch(/do not close/);
    expect(pickedSides([], model, results, RUNNABLE).kind).toBe('neither');
    expect(pickedSides([one(0), one(2)], model, results, RUNNABLE).kind).toBe('pair');
  });
});

describe('a variant that is kept', () => {
  it('stands as a step that knits; the others stand beside it, muted, and can be swapped in', async () => {
    const { model, results } = await modelOf(tube);
    const r = await tryOff(model, [windowRim], results, options);
    if (!r.ok) throw new Error(r.message);
    const edit = keepVariant(model, byKey(r.variants, 'weave'), r.variants, RUNNABLE);
    const applied = applyEdit(model, edit);
    if (!applied.ok) throw new Error(applied.message);
    const added = applied.model.steps.slice(model.steps.length);
    expect(added.filter((s) => !s.muted).map((s) => s.tool)).toEqual(['weave']);
    // all that could be built, and no more
    expect(added.filter((s) => s.muted)).toHaveLength(r.variants.filter((v) => v.made).length - 1);
    expect(new Set(added.map((s) => s.name)).size).toBe(added.length);
    const whole = { ...applied.model, steps: [...applied.model.steps, step('k', 'knit', {}, { skins: ['o', added[0].id] })] };
    const done = await evaluateModel(whole, options);
    const seams = measureSeams(bodyOf(done.steps, 'k'));
    expect(seams.length).toBe(4);
    expect(Math.max(...seams.map((s) => s.kink))).toBeLessThan(0.005);
    expect(isWatertight(bodyOf(done.steps, 'k'))).toBe(false);
    // undone, everything is as before
    const back = applyEdit(applied.model, applied.inverse);
    expect(back.ok && back.model.steps).toEqual(model.steps);
  }, 60_000);

  it('takes the place of a step that later ones hang on', async () => {
    const steps = [
      ...tube,
      step('x', 'patch', {}, { rim: [{ ...windowRim, grow: { way: 'rim' } }] }),
      step('k', 'knit', {}, { skins: ['o', 'x'] }),
    ];
    const { model, results } = await modelOf(steps);
    const r = await tryOff(model, [windowRim], results, options);
    if (!r.ok) throw new Error(r.message);
    const edit = keepVariant(model, byKey(r.variants, 'blend-a'), [], RUNNABLE, 'x');
    const applied = applyEdit(model, edit);
    if (!applied.ok) throw new Error(applied.message);
    expect(applied.model.steps.map((s) => [s.id, s.tool, !!s.muted]).slice(-3)).toEqual([
      ['x', 'blend', false],
      ['patch-before-1', 'patch', true],
      ['k', 'knit', false],
    ]);
    const done = await evaluateModel(applied.model, options);
    expect(done.steps.get('k')?.status).toBe('fine');
    expect(measureSeams(bodyOf(done.steps, 'k'))).toHaveLength(4);
  }, 60_000);
});
