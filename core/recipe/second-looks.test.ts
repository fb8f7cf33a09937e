import { expect, it } from 'vitest';
import { KernelError, type KernelService } from '../brep/index.ts';
import { localKernel } from '../brep/local.ts';
import { RUNNABLE as TOOLS } from '../tools/evaluations.ts';
import { emptyModel, evaluateModel, type Model, newMemory } from './index.ts';

const main = (step: string) => [{ step, output: 'main' }];
const cup: Model = {
  ...emptyModel('cup'),
  steps: [
    { id: 'c', tool: 'circle', version: 1, inputs: {}, params: { radius: 20 } },
    { id: 'e', tool: 'extrude', version: 2, inputs: { profile: main('c') }, params: { distance: 40, cap: false } },
    { id: 's', tool: 'close', version: 1, inputs: { skin: main('e') }, params: {} },
  ],
};
const factsOf = (r: Awaited<ReturnType<typeof evaluateModel>>) =>
  Object.fromEntries((r.steps.get('s')?.facts ?? []).map((f) => [f.label, f.value]));
/** The real kernel, its calls counted, and held back or failing when wanted. */
function watched(before: () => Promise<void> = async () => {}) {
  let calls = 0;
  const kernel: KernelService = {
    run: async (op, args, options) => {
      calls++;
      await before();
      return localKernel.run(op, args, options);
    },
  };
  return { kernel, calls: () => calls };
}

it('the sheet is there before the second looks are, and says so; they are taken once', async () => {
  const { kernel, calls } = watched();
  const memory = newMemory();
  const early: unknown[] = [];
  const onBuilt = (r: Awaited<ReturnType<typeof evaluateModel>>) =>
    early.push([
      factsOf(r),
      calls(),
      r.steps
        .get('s')
        ?.facts.filter((f) => f.pending)
        .map((f) => f.label),
    ]);
  const first = await evaluateModel(cup, { tools: TOOLS, kernel, memory, onBuilt });
  expect(early).toEqual([
    [expect.objectContaining({ checker: 'looking …', mesh: 'looking …', volume: '…' }), 0, ['volume', 'area', 'checker', 'mesh']],
  ]);
  expect(factsOf(first)).toMatchObject({ checker: 'valid', mesh: expect.stringMatching(/^solid, \d+ triangles$/) });
  expect(first.steps.get('s')?.facts.some((f) => f.pending)).toBe(false);
  expect(first.steps.get('s')?.status).toBe('fine');
  const again = await evaluateModel(cup, { tools: TOOLS, kernel, memory, onBuilt });
  expect(factsOf(again)).toEqual(factsOf(first));
  expect([early.length, calls()]).toEqual([1, 1]);
});
it('while something is dragged they wait; then they are taken without building anew', async () => {
  const { kernel, calls } = watched();
  const memory = newMemory();
  const drag = await evaluateModel(cup, { tools: TOOLS, kernel, memory, looks: false });
  expect([factsOf(drag).checker, calls()]).toEqual(['looking …', 0]);
  const rest = await evaluateModel(cup, { tools: TOOLS, kernel, memory });
  expect(rest.steps.get('s')?.outputs.main).toBe(drag.steps.get('s')?.outputs.main);
  expect(factsOf(rest).checker).toBe('valid');
});
it('a newer wish does not wait for them, and finds them when they are done', async () => {
  let free = () => {};
  const held = new Promise<void>((go) => {
    free = go;
  });
  const { kernel, calls } = watched(() => held);
  const memory = newMemory();
  const stop = new AbortController();
  const r = await evaluateModel(cup, { tools: TOOLS, kernel, memory, signal: stop.signal, onBuilt: () => setTimeout(() => stop.abort()) });
  expect(factsOf(r).checker).toBe('looking …');
  free();
  expect(factsOf(await evaluateModel(cup, { tools: TOOLS, kernel, memory })).checker).toBe('valid');
  expect(calls()).toBe(1);
});
it('a checker that hangs is told, and is no verdict', async () => {
  const { kernel } = watched(async () => {
    throw new KernelError('the geometry engine took too long', 'hung');
  });
  const r = await evaluateModel(cup, { tools: TOOLS, kernel, limit: 5000 });
  expect(factsOf(r).checker).toBe('no answer');
  expect(r.steps.get('s')).toMatchObject({ status: 'warning', stale: false, outputs: { main: { kind: 'solid' } } });
  expect(r.steps.get('s')?.diagnostics.map((d) => [d.code, d.severity])).toEqual([['engine-hung', 'warning']]);
});
it('an engine that dies while it looks says nothing of the step: the next computation looks again', async () => {
  let dies = true;
  const { kernel, calls } = watched(async () => {
    if (dies) throw new KernelError('the geometry engine stopped', 'died');
  });
  const memory = newMemory();
  const first = await evaluateModel(cup, { tools: TOOLS, kernel, memory });
  expect(first.steps.get('s')?.diagnostics.map((d) => d.code)).toEqual(['engine-died']);
  dies = false;
  const again = await evaluateModel(cup, { tools: TOOLS, kernel, memory });
  expect([again.steps.get('s')?.status, factsOf(again).checker]).toEqual(['fine', 'valid']);
  // and what was found is remembered
  const count = calls();
  await evaluateModel(cup, { tools: TOOLS, kernel, memory });
  expect(calls()).toBe(count);
});
