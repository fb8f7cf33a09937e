import type { Model } from '@ample-skin/core/recipe';
import { compareRecipes } from '@ample-skin/core/report/compare-recipes';
import { TOOLS } from '@ample-skin/core/tools';
import { beside } from './engine-client.ts';
import { type Comparison, getStudio as get, notify, setStudio as set } from './state.ts';
import { endTrial } from './trial.ts';

let stop: AbortController | undefined;
const alter = (more: Partial<Comparison>): void => set((s) => (s.compare ? { compare: { ...s.compare, ...more } } : s));

/** Lays a state of the model, or another model, beside the open one: what changed in the recipe at once, the shapes as they are built. */
export async function startCompare(name: string, left: Model): Promise<void> {
  if (get().draft) {
    notify('warning', 'A step is being made: keep it or discard it, then compare');
    return;
  }
  endTrial();
  stop?.abort();
  const mine = new AbortController();
  stop = mine;
  const { model } = get();
  set({
    compare: {
      left: { name, model: left },
      model,
      differences: compareRecipes(left, model, TOOLS),
      work: { what: 'starting', done: 0 },
      maps: new Map(),
    },
    desk: { tab: 'compare', size: 'low' },
    open: undefined,
    slot: undefined,
    selection: [],
    facts: [],
    lit: undefined,
    measuring: undefined,
  });
  try {
    const view = await beside(
      (e) => e.compare(left, model, (what, done) => mine === stop && get().compare?.work && alter({ work: { what, done } })),
      mine.signal,
    );
    if (mine !== stop || !view) return;
    const sides = view.pairs.flatMap((p) => [p.a, p.b].flatMap((x) => (x?.map ? [[x.view.key, x.map] as const] : [])));
    alter({ view, maps: new Map(sides), work: undefined });
  } catch (e) {
    if (mine === stop) alter({ work: undefined, why: `The shapes could not be compared: ${(e as Error).message}. Start it again` });
  }
}
export function endCompare(): void {
  if (!get().compare) return;
  stop?.abort();
  set((s) => ({
    compare: undefined,
    lit: undefined,
    combAt: undefined,
    desk: { ...s.desk, tab: s.desk.tab === 'compare' ? 'seams' : s.desk.tab },
  }));
}
