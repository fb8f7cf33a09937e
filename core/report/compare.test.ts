import { describe, expect, it } from 'vitest';
import { transformBody } from '../brep/index.ts';
import { localKernel as kernel } from '../brep/local.ts';
import { translation } from '../math/index.ts';
import { emptyModel, evaluateModel, type Model, type Step } from '../recipe/index.ts';
import { ball, block, ringBody } from '../testing/random-bodies.ts';
import { RUNNABLE } from '../tools/evaluations.ts';
import { TOOLS } from '../tools/index.ts';
import { compareRecipes, deviationOf, type NamedBody, pairShapes, seenBodies } from './index.ts';

const step = (id: string, tool: string, params: Record<string, unknown>, more: Partial<Step> = {}): Step => ({
  id,
  tool,
  version: 1,
  params,
  inputs: {},
  ...more,
});
const base: Model = {
  ...emptyModel('One'),
  dials: [
    { name: 'r', formula: '10', unit: 'length' },
    { name: 'old', formula: '1', unit: 'length' },
  ],
  steps: ['a', 'b', 'c', 'd'].map((id) => step(id, 'primitive', { shape: 'ball', radius: 'r' }, { name: id.toUpperCase() })),
};

describe('two recipes', () => {
  it('that are the same do not differ', () => {
    expect(compareRecipes(base, { ...structuredClone(base), name: 'Two' }, TOOLS)).toEqual([]);
  });
  it('differ in dials, settings, names, muting, picks, order, and in steps that only one has', () => {
    const [a, b, c, d] = base.steps;
    const other: Model = {
      ...base,
      tolerance: 0.01,
      dials: [
        { name: 'r', formula: '12', unit: 'length' },
        { name: 'new', formula: 'r*2', unit: 'length' },
      ],
      steps: [
        d,
        { ...a, params: { ...a.params, radius: 14 } },
        { ...b, name: 'Bee', muted: true },
        step('e', 'thicken', {}, { inputs: { skins: [{ step: 'a', output: 'main' }] } }),
      ],
    };
    const list = compareRecipes(base, other, TOOLS);
    const told = list.map((x) => [x.kind, x.what, x.of, x.before, x.after].filter(Boolean).join('|'));
    expect(told).toEqual([
      'changed|Tolerance|0.001 mm|0.01 mm',
      'changed|r|10|12',
      'added|new|r*2',
      'removed|old|1',
      'moved|D|step 4|step 1',
      'changed|A|Radius|r|14',
      'changed|Bee|name|B|Bee',
      'changed|Bee|muted|no|yes',
      `added|${TOOLS.get('thicken')?.label ?? 'thicken'}|${TOOLS.get('thicken')?.label ?? 'thicken'}`,
      'removed|C|Basic shape',
    ]);
    expect(c.id).toBe('c');
  });
  it('tell a pick by its name, and one that only reads the same as picked anew', () => {
    const pick = (...s: string[]): Partial<Step> => ({ inputs: { skins: s.map((x) => ({ step: x, output: 'main' })) } });
    const withE = (more: Partial<Step>): Model => ({ ...base, steps: [...base.steps, step('e', 'knit', {}, more)] });
    const [one] = compareRecipes(withE(pick('a', 'b')), withE(pick('a', 'c')), TOOLS);
    expect([one.before, one.after]).toEqual(['A, B', 'A, C']);
    const grown: Partial<Step> = {
      inputs: { skins: [{ step: 'a', output: 'main', part: { kind: 'face', name: 'a:side', at: [1, 2, 3] } }] },
    } as never;
    const moved: Partial<Step> = {
      inputs: { skins: [{ step: 'a', output: 'main', part: { kind: 'face', name: 'a:side', at: [4, 2, 3] } }] },
    } as never;
    expect(compareRecipes(withE(grown), withE(moved), TOOLS)[0].after).toContain('picked anew');
  });
});
describe('two shapes', () => {
  it('that are one do not differ; a ball and a larger one differ by the same everywhere', () => {
    const b = ball(20);
    expect(deviationOf(b, b).most).toBe(0);
    const d = deviationOf(b, ball(20.5));
    expect(Math.abs(d.most - 0.5)).toBeLessThan(1e-9);
    expect(Math.abs(d.rms - 0.5)).toBeLessThan(1e-9);
    expect(Math.abs((d.out?.distance ?? 0) - 0.5)).toBeLessThan(1e-9);
    expect(d.in).toBeUndefined();
    expect(deviationOf(ball(20.5), b).in?.distance).toBeCloseTo(-0.5, 9);
    expect(Math.abs(((d.volume?.[1] ?? 0) - (d.volume?.[0] ?? 0)) / ((4 / 3) * Math.PI * (20.5 ** 3 - 20 ** 3)) - 1)).toBeLessThan(1e-9);
  });
  it('moved apart: a block by its step, a ring by less than it moved', () => {
    const b = block(10, 20, 30);
    const d = deviationOf(b, transformBody(b, translation([0.25, 0, 0])));
    expect(Math.abs(d.most - 0.25)).toBeLessThan(1e-9);
    expect([d.out?.distance, d.in?.distance].map((x) => Math.abs(x ?? 0))).toEqual([0.25, 0.25].map((x) => expect.closeTo(x, 9)));
    const r = deviationOf(ringBody(20, 6), transformBody(ringBody(20, 6), translation([0, 0, 0.3])));
    expect(r.most).toBeGreaterThan(0.29);
    expect(r.most).toBeLessThan(0.3 + 1e-9);
    expect(r.rms).toBeLessThan(r.most);
  });
  it('belong together by step, then by name, then as the only ones left', () => {
    const named = (key: string, name: string, solid = true): NamedBody => ({ key, name, solid, body: ball(1) });
    const told = pairShapes(
      [named('a/main', 'A'), named('b/main', 'B'), named('c/main', 'C'), named('s/main', 'S', false)],
      [named('a/main', 'X'), named('q/main', 'B'), named('w/main', 'W')],
    ).map((p) => `${p.a?.key ?? '-'} ${p.b?.key ?? '-'}`);
    expect(told).toEqual(['a/main a/main', 'b/main q/main', 'c/main w/main', 's/main -']);
  });
  it('of two models: what is seen of them', async () => {
    const m: Model = { ...base, pieces: { 'b/main': { hidden: true } } };
    const r = await evaluateModel(m, { tools: RUNNABLE, kernel });
    expect(seenBodies(m, r, TOOLS).map((x) => x.name)).toEqual(['A', 'C', 'D']);
  });
});
