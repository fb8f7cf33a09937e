import { applyEdit, emptyModel, type Model, type RecipeEdit, type Step } from '@ample-skin/core/recipe';
import { seeded } from '@ample-skin/core/testing/mutate';
import { describe, expect, it } from 'vitest';
import { modelAfter, type PastEdit, pastByDays, pastBySteps, stepsOf } from './past.ts';

const step = (id: string, name?: string): Step => ({ id, tool: 'primitive', version: 1, name, params: {}, inputs: {} });
/** Edits applied one after the other from an empty model, an hour apart, with every state on the way. */
function played(changes: readonly RecipeEdit[], kinds: readonly PastEdit['kind'][] = []): { edits: PastEdit[]; states: Model[] } {
  const states: Model[] = [emptyModel('m')];
  const edits = changes.map((change, i): PastEdit => {
    const r = applyEdit(states[i], change);
    if (!r.ok) throw new Error(r.message);
    states.push(r.model);
    const createdAt = new Date(Date.UTC(2026, 10, 27, 9 + 7 * i)).toISOString();
    return { revision: i + 1, kind: kinds[i] ?? 'do', change, inverse: r.inverse, createdAt };
  });
  return { edits, states };
}
const edit = (label: string, ...changes: RecipeEdit['changes']): RecipeEdit => ({ label, changes });
const some = () =>
  played([
    edit('Ball', { type: 'addStep', step: step('a', 'Ball') }),
    edit('Box', { type: 'addStep', step: step('b') }),
    edit('Size', { type: 'setStep', id: 'a', params: { radius: 3 } }),
    edit('Dial', { type: 'setDial', name: 'r', dial: { name: 'r', formula: '1', unit: 'length' } }),
    edit('Hide', { type: 'setPiece', key: 'a/main', look: { hidden: true } }),
    edit('Remove Box', { type: 'removeStep', id: 'b' }),
  ]);

describe('what happened', () => {
  it('by step: steps that are there in their order, then those that are gone, newest first', () => {
    const { edits, states } = some();
    const list = pastBySteps(edits, states.at(-1) as Model);
    expect(list.map((s) => [s.id, s.name, s.gone, s.edits.map((e) => e.change.label)])).toEqual([
      ['a', 'Ball', false, ['Hide', 'Size', 'Ball']],
      ['b', 'primitive', true, ['Remove Box', 'Box']],
    ]);
    expect(stepsOf(edits[3])).toEqual([]);
  });
  it('by time: newest day first', () => {
    const days = pastByDays(some().edits);
    expect(days.flatMap((d) => d.edits.map((e) => e.revision))).toEqual([6, 5, 4, 3, 2, 1]);
    expect(new Set(days.map((d) => d.day)).size).toBe(days.length);
    expect(days.length).toBeGreaterThan(1);
  });
  it('any state on the way comes back as it was, exactly', () => {
    const { edits, states } = some();
    for (let k = 0; k <= edits.length; k++) expect(modelAfter(states.at(-1) as Model, edits, k)).toEqual(states[k]);
  });
  it('random edits, undone and done again, give back every state', () => {
    for (let seed = 0; seed < 20; seed++) {
      const random = seeded(seed);
      const changes: RecipeEdit[] = [];
      let ids: string[] = [];
      for (let i = 0; i < 25; i++) {
        const x = random();
        const id = ids[Math.floor(random() * ids.length)];
        if (!ids.length || x < 0.4) {
          ids = [...ids, `s${i}`];
          changes.push(edit('Add', { type: 'addStep', step: step(`s${i}`), before: random() < 0.5 ? id : undefined }));
        } else if (x < 0.6) changes.push(edit('Set', { type: 'setStep', id, params: { radius: i }, name: `N${i}` }));
        else if (x < 0.75) changes.push(edit('Move', { type: 'moveStep', id, before: ids.find((y) => y !== id) }));
        else {
          ids = ids.filter((y) => y !== id);
          changes.push(edit('Remove', { type: 'removeStep', id }));
        }
      }
      const { edits, states } = played(changes);
      for (let k = 0; k <= edits.length; k++) expect(modelAfter(states.at(-1) as Model, edits, k)).toEqual(states[k]);
    }
  });
  it('an edit that does not fit what is there is told', () => {
    const { edits } = some();
    expect(modelAfter(emptyModel('other'), edits, 0)).toContain('cannot be taken back');
  });
});
