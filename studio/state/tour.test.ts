import { applyEdit, evaluateModel, type Model, newMemory } from '@ample-skin/core/recipe';
import { RUNNABLE } from '@ample-skin/core/tools/evaluations';
import { DEMO_MODELS } from '@ample-skin/demo';
import { nodeKernel } from '@ample-skin/engine/node';
import { afterAll, describe, expect, it } from 'vitest';
import { beginning, changesOf, ownOf, roundModel, STOPS } from './tour.ts';

const kernel = nodeKernel();
afterAll(() => kernel.close());
const demo = DEMO_MODELS.find((d) => d.slug === 'tansy-body')?.model as Model;
const round = roundModel(demo);
const add = (m: Model, changes: ReturnType<typeof changesOf>): Model => {
  if (!changes.length) return m;
  const r = applyEdit(m, { label: 'Round', changes });
  if (!r.ok) throw new Error(r.message);
  return r.model;
};

describe('the round', () => {
  it('adds every step of the demo body once, in its order, and ends with the demo body', () => {
    const adds = STOPS.flatMap((s) => s.adds ?? []);
    expect(adds).toEqual(round.steps.map((s) => s.id));
    const built = STOPS.reduce((m, s) => add(m, changesOf(s, round, m, {})), beginning(round));
    expect(built).toEqual(round);
    // going on twice adds nothing twice
    for (const s of STOPS) expect(changesOf(s, round, built, {})).toEqual([]);
  });
  it('every state on the way is fine: no stop leaves a step that waits or fails', async () => {
    let m = beginning(round);
    const memory = newMemory();
    for (const s of STOPS) {
      const changes = changesOf(s, round, m, {});
      if (!changes.length) continue;
      m = add(m, changes);
      const r = await evaluateModel(m, { tools: RUNNABLE, kernel, memory, looks: false });
      expect([s.title, m.steps.filter((x) => r.steps.get(x.id)?.status !== 'fine').map((x) => x.id)]).toEqual([s.title, []]);
    }
  }, 240_000);
  it('a loft made by hand is used instead, also where its name stands in the names of faces', () => {
    const stop = STOPS.find((s) => s.own) as (typeof STOPS)[number];
    const before = STOPS.slice(0, STOPS.indexOf(stop)).reduce((m, s) => add(m, changesOf(s, round, m, {})), beginning(round));
    const theirs = { ...(round.steps.find((s) => s.id === 's-body') as Model['steps'][number]), id: 'loft-7', name: 'Mine' };
    const m = add(before, [{ type: 'addStep', step: theirs }]);
    expect(ownOf(stop, round, m, () => false)).toBeUndefined();
    expect(ownOf(stop, round, before, () => true)).toBeUndefined();
    const own = { 's-body': ownOf(stop, round, m, () => true) as string };
    expect(own).toEqual({ 's-body': 'loft-7' });
    expect(changesOf(stop, round, m, own)).toEqual([]);
    const rest = STOPS.slice(STOPS.indexOf(stop) + 1).flatMap((s) => changesOf(s, round, m, own));
    expect(JSON.stringify(rest)).not.toContain('s-body');
    expect(JSON.stringify(rest)).toContain('t-shoulder.cut(loft-7:side)');
    // ids that only begin alike are left alone
    expect(rest.filter((c) => c.type === 'addStep').map((c) => c.step.id)).toEqual(
      STOPS.slice(STOPS.indexOf(stop) + 1).flatMap((s) => s.adds ?? []),
    );
  });
});
