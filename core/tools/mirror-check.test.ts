import { describe, expect, it } from 'vitest';
import { localKernel } from '../brep/local.ts';
import { applyEdit, emptyModel, evaluateModel, type Model, type Step } from '../recipe/index.ts';
import { step } from '../testing/run.ts';
import { RUNNABLE } from './evaluations.ts';

const evaluate = (m: Model) => evaluateModel(m, { tools: RUNNABLE, kernel: localKernel });
const arch = (id: string, y: number, rise: number): Step =>
  step(id, 'spline', {
    flat: false,
    points: [
      [0, y, 20],
      [10, y, 20 - rise],
      [25, y, 12],
      [30, y, 0],
    ],
  });
const half = (rise: number): Step[] => [
  arch('a', 0, rise),
  arch('b', 20, rise),
  arch('c', 40, rise),
  step('h', 'loft', {}, { sections: ['a', 'b', 'c'] }),
];
const told = (m: Awaited<ReturnType<typeof evaluate>>) => m.steps.get('m')?.facts.map((f) => f.value) ?? [];

describe('the mirror check', () => {
  it('a half that leaves its plane at an angle: the kink is twice that angle', async () => {
    const m: Model = { ...emptyModel('half'), steps: [...half(2), step('m', 'mirror-check', {}, { halves: ['h'] })] };
    const r = await evaluate(m);
    const kink = Number(/([\d.]+)°/.exec(told(r)[0])?.[1]);
    expect(kink).toBeCloseTo((2 * Math.atan(2 / 10) * 180) / Math.PI, 2);
    expect(told(r)[0]).toContain('G0');
    expect(r.steps.get('m')?.status).toBe('warning');
  });
  it('one click makes the skin square to the plane: G2 with its image, and the check says so', async () => {
    const m: Model = { ...emptyModel('half'), steps: [...half(2), step('m', 'mirror-check', {}, { halves: ['h'] })] };
    const edit = (await evaluate(m)).steps.get('m')?.diagnostics[0]?.suggestions?.[0];
    const done = edit && applyEdit(m, edit);
    if (!done?.ok) throw new Error(done?.message ?? 'nothing was offered');
    const r = await evaluate(done.model);
    expect(told(r)[0]).toMatch(/^G2/);
    expect(r.steps.get('m')?.status).toBe('fine');
  });
  it('curves are checked at their ends and mended too', async () => {
    const m: Model = { ...emptyModel('curve'), steps: [arch('a', 0, 3), step('m', 'mirror-check', {}, { halves: ['a'] })] };
    const before = await evaluate(m);
    expect(told(before)[0]).toContain('G0');
    const edit = before.steps.get('m')?.diagnostics[0]?.suggestions?.[0];
    const done = edit && applyEdit(m, edit);
    if (!done?.ok) throw new Error(done?.message ?? 'nothing was offered');
    expect(told(await evaluate(done.model))[0]).toMatch(/^G2/);
  });
  it('a half that is square already is fine; one that does not reach the plane is told', async () => {
    const square = await evaluate({ ...emptyModel('s'), steps: [...half(0), step('m', 'mirror-check', {}, { halves: ['h'] })] });
    expect(told(square)[0]).toMatch(/^G2/);
    const away = await evaluate({ ...emptyModel('s'), steps: [...half(0), step('m', 'mirror-check', { world: 'xy' }, { halves: ['h'] })] });
    expect(away.steps.get('m')?.diagnostics.map((d) => d.code)).toContain('mirror-seam');
  });
});
