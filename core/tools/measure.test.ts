import { describe, expect, it } from 'vitest';
import { localKernel as kernel } from '../brep/local.ts';
import { evaluateFormula, factWord, formulaMeasures, formulaNames, renameMeasured } from '../math/index.ts';
import { emptyModel, evaluateModel, type Model, type Pick, type Step } from '../recipe/index.ts';
import { RUNNABLE as TOOLS } from './evaluations.ts';

const step = (
  id: string,
  tool: string,
  params: Record<string, unknown> = {},
  inputs: Record<string, (string | Pick)[]> = {},
  name?: string,
): Step => ({
  id,
  tool,
  version: 1,
  params,
  name,
  inputs: Object.fromEntries(
    Object.entries(inputs).map(([k, v]) => [k, v.map((s) => (typeof s === 'string' ? { step: s, output: 'main' } : s))]),
  ),
});
const model = (dials: Record<string, string>, ...steps: Step[]): Model => ({
  ...emptyModel('measured'),
  steps,
  dials: Object.entries(dials).map(([name, formula]) => ({ name, formula, unit: 'length' as const })),
});
const run = async (m: Model) => (await evaluateModel(m, { tools: TOOLS, kernel })).steps;
const factOf = async (m: Model, id: string, label: string) => (await run(m)).get(id)?.facts.find((f) => f.label === label)?.number;
const ball = (r: number | string, at: readonly [number, number, number] = [0, 0, 0]) => [
  step('wp', 'work-plane', { offset: at }),
  step('ball', 'primitive', { shape: 'ball', radius: r, solid: true }, { plane: ['wp'] }, 'Ball'),
];

describe('measure', () => {
  it('of one solid: area, volume and mass by closed forms, kept as a dimension', async () => {
    const m = model({}, ...ball(6), step('m', 'measure', { shown: 'mass', density: 7.85 }, { things: ['ball'] }));
    expect(await factOf(m, 'm', 'area')).toBeCloseTo(4 * Math.PI * 36, 6);
    expect(await factOf(m, 'm', 'volume')).toBeCloseTo((4 / 3) * Math.PI * 216, 5);
    expect(await factOf(m, 'm', 'mass')).toBeCloseTo(((4 / 3) * Math.PI * 216 * 7.85) / 1000, 6);
    const marks = (await run(m)).get('m')?.marks ?? [];
    expect(marks.filter((x) => x.kind === 'dimension').map((x) => [x.points.length, x.label])).toEqual([
      [1, expect.stringMatching(/^7\.1\d+ g$/)],
    ]);
  });
  it('between two: least distance of a ball and a circle, along an axis, and their ends', async () => {
    const m = (shown: string) =>
      model({}, ...ball(6, [30, 0, 0]), step('c', 'circle', { radius: 4 }), step('m', 'measure', { shown }, { things: ['ball', 'c'] }));
    expect(await factOf(m('first'), 'm', 'distance')).toBeCloseTo(20, 6);
    const mark = (await run(m('along_x'))).get('m')?.marks.find((x) => x.kind === 'dimension');
    expect(mark?.kind === 'dimension' && mark.points.map((p) => p[0]).sort((a, b) => a - b)).toEqual([
      expect.closeTo(4, 5),
      expect.closeTo(24, 5),
    ]);
  });
  it('the smallest box of a turned block is the block', async () => {
    const m = model(
      {},
      step('b', 'primitive', { shape: 'box', width: 20, depth: 12, height: 8, solid: true }),
      step('t', 'move', { way: 'place', turns: [20, 35, -50] }, { pieces: ['b'] }),
      step('m', 'measure', { box: true }, { things: ['t'] }),
    );
    const s = (await run(m)).get('m');
    expect(s?.diagnostics).toEqual([]);
    for (const [label, size] of [
      ['box longest', 20],
      ['box middle', 12],
      ['box shortest', 8],
    ] as const)
      expect(Math.abs((s?.facts.find((f) => f.label === label)?.number ?? 0) - size)).toBeLessThan(1e-3);
    expect(s?.marks.filter((x) => x.kind === 'link')).toHaveLength(6);
  });
  it('limits warn when they are missed, and only then', async () => {
    const status = async (params: object) => {
      const s = (await run(model({}, ...ball(6), step('m', 'measure', { shown: 'volume', ...params }, { things: ['ball'] })))).get('m');
      return [s?.status, s?.diagnostics[0]?.code];
    };
    expect(await status({ limit: 'most', most: 905 })).toEqual(['fine', undefined]);
    expect(await status({ limit: 'most', most: 904 })).toEqual(['warning', 'beyond-limit']);
    expect(await status({ limit: 'least', least: 904 })).toEqual(['fine', undefined]);
    expect(await status({ limit: 'between', least: 905, most: 1000 })).toEqual(['warning', 'beyond-limit']);
    expect(await status({ limit: 'between', least: 9, most: 1 })).toEqual(['error', 'limits']);
    expect(await status({ shown: 'angle', limit: 'most', most: 4 })).toEqual(['warning', 'not-there']);
  });
});

describe('measures in formulas', () => {
  const collar = (formula: string, more: Step[] = []) =>
    model(
      { r: '12 mm' },
      step('c', 'circle', { radius: 'r' }, {}, 'Collar'),
      ...more,
      step('n', 'circle', { radius: formula }, {}, 'Ring'),
      step('late', 'circle', { radius: 3 }, {}, 'Late'),
    );
  const radius = async (m: Model) => {
    const s = await run({ ...m, steps: [...m.steps, step('q', 'measure', {}, { things: ['n'] })] });
    return s.get('q')?.facts.find((f) => f.label === 'radius')?.number;
  };
  it('a radius that is another one half as large again follows its dial', async () => {
    const m = collar('measure("Collar").radius*1.5 + 1 mm');
    expect(await radius(m)).toBeCloseTo(19, 9);
    expect(await radius({ ...m, dials: [{ name: 'r', formula: '20 mm', unit: 'length' }] })).toBeCloseTo(31, 9);
    expect((await run(m)).get('n')?.measured).toEqual({ 'Collar.radius': expect.closeTo(12, 9) });
  });
  it('a measuring step is measured by its own facts', async () => {
    const gap = [step('d', 'circle', { radius: 5 }), step('m', 'measure', {}, { things: ['c', 'd'] }, 'Gap')];
    expect(await radius(collar('measure("Gap").distance', gap))).toBeCloseTo(7, 6);
  });
  it('what cannot be measured is told with the way on', async () => {
    const told = async (formula: string, more: Step[] = []) =>
      (await run(collar(formula, more)))
        .get('n')
        ?.diagnostics.map((d) => d.message)
        .join();
    expect(await told('measure("Colar").radius')).toContain('no step called "Colar"');
    expect(await told('measure("Late").radius')).toContain('stands later in the sheet');
    expect(await told('measure("Collar").volume')).toContain('it has length, radius, diameter');
    expect(await told('measure("Collar")')).toContain('measure("name of a step").fact');
    expect(await told('measure("Collar").radius', [step('c2', 'circle', { radius: 2 }, {}, 'Collar')])).toContain(
      '2 steps are called "Collar"',
    );
    expect(await told('measure("Broken").radius', [step('x', 'circle', { radius: -1 }, {}, 'Broken')])).toContain('mend it first');
    const dial = await run(model({ r: 'measure("Collar").radius' }, step('n', 'circle', { radius: 'r' })));
    expect(dial.get('n')?.diagnostics[0].message).toContain('only the numbers of steps can measure');
  });
  it('texts: names, words and renaming', () => {
    const text = 'wall + measure("Collar, top").size_x * 2';
    expect(formulaNames(text)).toEqual(['wall']);
    expect(formulaMeasures(text)).toEqual([{ step: 'Collar, top', fact: 'size_x' }]);
    expect(renameMeasured(text, 'Collar, top', 'Neck')).toBe('wall + measure("Neck").size_x * 2');
    expect(renameMeasured(text, 'Collar', 'Neck')).toBe(text);
    expect([factWord('radius (cylinder)'), factWord('inertia, least'), factWord('size x')]).toEqual(['radius', 'inertia_least', 'size_x']);
    expect(evaluateFormula('2" + measure("a").b', new Map(), 'mm', () => ({ ok: true, value: 1 }))).toEqual({ ok: true, value: 51.8 });
    expect(evaluateFormula('12.5"')).toEqual({ ok: true, value: 317.5 });
  });
});
