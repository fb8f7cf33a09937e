import type { Change, Model } from '@ample-skin/core/recipe';
import { send } from '../ui/send.ts';
import { commit } from './document.ts';
import { setSettings } from './settings.ts';
import { getStudio as get, notify, setStudio as set } from './state.ts';
import { beginning, changesOf, ownOf, roundModel, STOPS } from './tour.ts';
import { atRest } from './trial.ts';
import { viewLink } from './view-link.ts';

/** The body that is built, loaded with the first round. */
async function round(): Promise<Model> {
  const { tansyBody } = await import('@ample-skin/demo/tansy-body');
  return roundModel(tansyBody());
}
/** Begins the round: here when the model is empty, where it was left off when it is the round's own, else in a new model. */
export async function beginTour(): Promise<void> {
  const body = await round();
  const { model, draft } = get();
  if (draft) {
    notify('warning', 'A step is being made: keep it or discard it, then look round');
    return;
  }
  const known = new Set(body.steps.map((s) => s.id));
  const left = model.name === body.name && model.steps.some((s) => known.has(s.id));
  if (left || (!model.steps.length && !model.dials.length)) return enter(0);
  try {
    const { id } = await send('/api/models', 'POST', { name: body.name, recipe: beginning(body) });
    window.location.assign(`/model/${id}?round`);
  } catch (e) {
    notify('error', (e as Error).message);
  }
}
/** Called when a model is opened: goes on with a round that began elsewhere. */
export function takeUpTour(): void {
  if (!new URLSearchParams(window.location.search).has('round')) return;
  window.history.replaceState(null, '', window.location.pathname);
  enter(0);
}
/** Dials and groups of the body, where the model was begun empty. */
async function ensureDials(): Promise<void> {
  const body = await round();
  const { model } = get();
  if (model.dials.length || model.steps.length) return;
  const changes: Change[] = [
    { type: 'setModel', name: body.name },
    ...body.dials.map((dial): Change => ({ type: 'setDial', name: dial.name, dial })),
    ...body.groups.map((group): Change => ({ type: 'setGroup', id: group.id, group })),
  ];
  commit({ label: 'Round: dials', changes });
}
/** Goes to a stop and sets the screen for it. */
function enter(stop: number): void {
  const s = STOPS[stop];
  set((x) => ({
    tour: { stop, own: x.tour?.own ?? {}, busy: false },
    ...(s.stage ? { stage: s.stage as never } : {}),
    ...(s.at === 'dials' ? { right: 'dials' as const } : s.at === 'sheet' ? { right: 'sheet' as const } : {}),
    ...(s.desk ? { desk: { tab: 'seams' as const, size: 'low' as const } } : {}),
  }));
  if (s.look) setSettings({ look: s.look });
}
export function backTour(): void {
  const t = get().tour;
  if (t && t.stop > 0 && !t.busy) enter(t.stop - 1);
}
/** Adds what this stop adds, unless the person made it by hand, waits until it stands, and goes on. */
export async function nextTour(): Promise<void> {
  const t = get().tour;
  if (!t || t.busy) return;
  set({ tour: { ...t, busy: true } });
  const stop = STOPS[t.stop];
  try {
    const body = await round();
    if (t.stop === 0) await ensureDials();
    await atRest();
    const { model, draft } = get();
    if (draft && stop.adds) {
      notify('info', 'A step is being made: keep it (Enter) or discard it (Esc), then go on');
      set({ tour: { ...t, busy: false } });
      return;
    }
    const mine = ownOf(stop, body, model, (id) => get().steps.get(id)?.status === 'fine');
    const own = mine && stop.own ? { ...t.own, [stop.own]: mine } : t.own;
    const changes = changesOf(stop, body, model, own);
    const first = !model.steps.length;
    if (changes.length && commit({ label: `Round: ${stop.title}`, changes })) {
      await atRest();
      if (first || stop.stage === 'skins') viewLink()?.fit();
    }
    if (mine) notify('info', 'What you made is used from here on');
    // closed meanwhile
    if (!get().tour) return;
    set({ tour: { stop: t.stop, own, busy: false } });
    if (t.stop + 1 < STOPS.length) enter(t.stop + 1);
    else endTour();
  } catch (e) {
    notify('error', `The round stopped: ${(e as Error).message}. What is built stands; go on from the menu`);
    endTour();
  }
}
export function endTour(): void {
  set({ tour: undefined });
  setSettings({ toured: true });
}
