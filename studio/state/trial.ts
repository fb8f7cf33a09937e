import type { Pick, Step } from '@ample-skin/core/recipe';
import { TOOLS } from '@ample-skin/core/tools';
import { keepVariant } from '@ample-skin/core/try-off/keep';
import type { VariantView } from '@ample-skin/engine';
import { recompute } from './compute.ts';
import { commit } from './document.ts';
import { shownSlots } from './draft.ts';
import { engine } from './engine-client.ts';
import { getStudio as get, notify, setStudio as set, type Trial, useStudio } from './state.ts';

/** Panes that are shown side by side at most. */
export const MOST_SHOWN = 6;
const FIRST_SHOWN = 3;

/** Tries every method for what is selected, or for the picks of the open step where its tool fills or bridges something. */
export function startTrial(): void {
  const s = get();
  const open = s.draft?.step ?? s.model.steps.find((x) => x.id === s.open);
  const picks = open ? picksOf(open) : s.selection.filter((p) => p.part?.kind === 'edge' || !p.part);
  if (!picks.length) {
    notify('warning', 'Pick one edge of an opening, or two borders (an edge, then another with Ctrl), and start the try-off again');
    return;
  }
  const missing =
    open && shownSlots(open).find(([n, x]) => TOOLS.get(open.tool)?.tryOff?.includes(n) && x.min > (open.inputs[n]?.length ?? 0));
  if (missing) {
    notify('warning', `Pick for "${missing[1].label}" too: then there is something to compare`);
    return;
  }
  const trial: Trial = {
    picks,
    model: s.model,
    around: { pieces: [], places: [] },
    variants: [],
    of: 0,
    over: false,
    shown: [],
    instead: s.draft ? undefined : open?.id,
    aside: s.draft,
  };
  set({
    trial,
    compare: undefined,
    draft: undefined,
    open: undefined,
    slot: undefined,
    selection: [],
    facts: [],
    lit: undefined,
    measuring: undefined,
    desk: { tab: 'trial', size: 'low' },
  });
  if (s.draft) recompute();
  void run(trial.model, picks);
}
/** Picks of a step that tell what it fills or bridges. */
export function picksOf(step: Step): Pick[] {
  return (TOOLS.get(step.tool)?.tryOff ?? []).flatMap((slot) => step.inputs[slot] ?? []);
}
const change = (more: Partial<Trial>): void => set((s) => (s.trial ? { trial: { ...s.trial, ...more } } : s));
/** Once the engine is done with what it is about. */
export const atRest = (): Promise<void> =>
  new Promise((done) => {
    if (!get().computing) return done();
    const off = useStudio.subscribe((s) => {
      if (s.computing) return;
      off();
      done();
    });
  });

async function run(model: Trial['model'], picks: Trial['picks']): Promise<void> {
  const mine = () => get().trial?.picks === picks && get().model === model;
  try {
    // a computation that comes in between ends the trial in the engine: then it is asked for again
    for (let round = 0; round < 20; round++) {
      await atRest();
      if (!mine()) return;
      const around = await engine.around(picks, model);
      if (!mine()) return;
      change({ around, variants: [], over: false });
      const r = await engine.tryOff(picks, model, (v, of) => mine() && found(v, of));
      if (!mine()) return;
      if (!r) continue;
      if (r.ok) change({ over: true, what: r.what });
      else {
        endTrial();
        notify('warning', r.message);
      }
      return;
    }
  } catch (e) {
    if (!mine()) return;
    endTrial();
    notify('error', `The try-off stopped: ${(e as Error).message}. Nothing is lost: start it again`);
  }
}
function found(v: VariantView, of: number): void {
  set((s) => {
    const t = s.trial;
    if (!t || t.variants.some((x) => x.key === v.key)) return s;
    const shown = v.made && t.shown.length < FIRST_SHOWN && !t.shown.includes(v.key) ? [...t.shown, v.key] : t.shown;
    return { trial: { ...t, variants: [...t.variants, v], of, shown } };
  });
}
/** Puts a variant in view, or takes it out; one stays. */
export function showVariant(key: string, on: boolean): void {
  const t = get().trial;
  if (!t) return;
  const rest = t.shown.filter((k) => k !== key);
  if (on && rest.length >= MOST_SHOWN) notify('info', `${MOST_SHOWN} are in view: take one out first`);
  else if (on || rest.length) change({ shown: on ? [...rest, key] : rest });
}
/** Ends the trial; a step that was put aside is there again. */
export function endTrial(): void {
  const t = get().trial;
  if (!t) return;
  engine.endTrial();
  const back = t.aside && get().model === t.model ? t.aside : undefined;
  set((s) => ({
    trial: undefined,
    combAt: undefined,
    desk: { ...s.desk, tab: 'seams' },
    ...(back ? { draft: back, open: back.step.id } : {}),
  }));
  if (back) recompute();
}
/** Keeps one as a step; the others that are in view stay in the sheet as muted variants. */
export function keepOfTrial(key: string): void {
  const t = get().trial;
  const chosen = t?.variants.find((v) => v.key === key);
  if (!t || !chosen?.made || get().model !== t.model) return;
  const others = t.variants.filter((v) => v.key !== key && t.shown.includes(v.key));
  const edit = keepVariant(t.model, chosen, others, TOOLS, t.instead);
  engine.endTrial();
  set((s) => ({ trial: undefined, combAt: undefined, desk: { ...s.desk, tab: 'seams' } }));
  if (commit(edit))
    notify(
      'info',
      others.length
        ? `${chosen.label} is kept; ${others.length} ${others.length === 1 ? 'other is' : 'others are'} in the sheet, muted`
        : `${chosen.label} is kept`,
    );
}
