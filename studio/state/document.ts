import {
  applyEdit,
  type Change,
  type Model,
  type Pick,
  pieceKey,
  type RecipeEdit,
  type Standing,
  standings,
} from '@ample-skin/core/recipe';
import { TOOLS } from '@ample-skin/core/tools';
import { nanoid } from 'nanoid';
import { recompute } from './compute.ts';
import { discardDraft } from './draft.ts';
import { type EditKind, SaveQueue } from './save-queue.ts';
import { effectiveModel, getStudio as get, notify, setStudio as set } from './state.ts';
import { browserStore, type UnsentStore } from './unsent.ts';

let queue: SaveQueue | undefined;
export interface LoadedModel {
  readonly id: string;
  readonly hasPicture?: boolean;
  readonly revision: number;
  readonly recipe: Model;
  readonly history: readonly { kind: EditKind; change: RecipeEdit; inverse: RecipeEdit; clientId: string; sequence: number }[];
}

/** Undo and redo lists as the saved edits left them. */
export function historyOf(edits: LoadedModel['history']): { undo: RecipeEdit[]; redo: RecipeEdit[] } {
  const undo: RecipeEdit[] = [];
  const redo: RecipeEdit[] = [];
  for (const h of edits) {
    if (h.kind === 'undo') {
      undo.pop();
      redo.push(h.inverse);
      continue;
    }
    if (h.kind === 'redo') redo.pop();
    else redo.length = 0;
    undo.push(h.inverse);
  }
  return { undo, redo };
}

/** Puts a loaded model on the screen, and brings back what a closed window could not send. */
export function openModel(m: LoadedModel, storeOf: (clientId: string) => UnsentStore = browserStore): void {
  set({
    id: m.id,
    hasPicture: !!m.hasPicture,
    model: m.recipe,
    draft: undefined,
    ...historyOf(m.history),
    save: 'saved',
    unsavable: undefined,
    steps: new Map(),
    pieces: new Map(),
    proofs: new Map(),
    computed: false,
    open: undefined,
    slot: undefined,
    selection: [],
    facts: [],
    hover: undefined,
    plane: undefined,
    lit: undefined,
    // what was asked of another model says nothing of this one
    trial: undefined,
    sweep: undefined,
    compare: undefined,
    tour: undefined,
    desk: { tab: 'seams', size: 'shut' },
  });
  const client = nanoid(12);
  const store = storeOf(client);
  const mine = new SaveQueue(
    m.id,
    client,
    m.recipe,
    m.revision,
    {
      onState: (save) => set({ save }),
      onRebase: (model, dropped) => {
        set({ model });
        if (!dropped.length) notify('info', 'Changes from another window were taken in');
        for (const d of dropped) notify('warning', `A change no longer fits and was left out: ${d}`);
        recompute();
      },
      onStopped: (reason) => set({ unsavable: reason }),
    },
    store,
  );
  queue = mine;
  void store
    .takeLeft(m.id)
    .then((left) => {
      if (queue !== mine) return;
      let count = 0;
      for (const u of left) {
        const had = new Set(m.history.filter((h) => h.clientId === u.clientId).map((h) => h.sequence));
        for (const e of u.edits) if (!had.has(e.sequence) && commit(e.change, 'do')) count++;
      }
      if (count) notify('info', `${count} unsaved ${count === 1 ? 'change' : 'changes'} from last time brought back`);
    })
    .catch(() => undefined);
  recompute();
}
export const pollOthers = () => void queue?.poll();
export const retrySaving = () => queue?.retry();
/** Edits that the server does not have yet. */
export const unsentEdits = (): number => queue?.unsent ?? 0;

/** Applies an edit now, saves it, and lets the engine follow. False with a notice when it does not fit. */
export function commit(edit: RecipeEdit, kind: EditKind = 'do'): boolean {
  const s = get();
  const r = applyEdit(s.model, edit);
  if (!r.ok) {
    notify('error', `${edit.label}: ${r.message}`);
    return false;
  }
  if (kind === 'do') set({ model: r.model, undo: [...s.undo, r.inverse], redo: [] });
  else if (kind === 'undo') set({ model: r.model, undo: s.undo.slice(0, -1), redo: [...s.redo, r.inverse] });
  else set({ model: r.model, redo: s.redo.slice(0, -1), undo: [...s.undo, r.inverse] });
  queue?.push(kind, edit);
  const ids = new Set(effectiveModel().steps.map((x) => x.id));
  if (!ids.has(s.open ?? '')) set({ open: undefined, slot: undefined });
  const selection = get().selection.filter((p) => ids.has(p.step));
  if (selection.length !== get().selection.length) set({ selection });
  recompute();
  return true;
}
export const change = (label: string, ...changes: Change[]): boolean => commit({ label, changes });
export function undo(): void {
  const last = get().undo.at(-1);
  if (get().draft) discardDraft();
  else if (last) commit(last, 'undo');
}
export function redo(): void {
  const last = get().redo.at(-1);
  if (last) commit(last, 'redo');
}
/** Goes back (or forward again) until `count` changes stand. */
export function jumpTo(count: number): void {
  if (get().draft) discardDraft();
  while (get().undo.length > count && commit(get().undo.at(-1) as RecipeEdit, 'undo'));
  while (get().undo.length < count && get().redo.length && commit(get().redo.at(-1) as RecipeEdit, 'redo'));
}

let known: { model: Model; draft: unknown; of: (key: string) => Standing } | undefined;
/** Name, group, colour, visibility and lock of pieces as the model stands now. */
export function standingOf(): (key: string) => Standing {
  const { model, draft } = get();
  if (known?.model !== model || known.draft !== draft) known = { model, draft, of: standings(effectiveModel(), TOOLS) };
  return known.of;
}
export const pieceOf = (p: Pick) => get().pieces.get(pieceKey(p.step, p.output));
