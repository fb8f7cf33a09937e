import {
  applyEdit,
  type Change,
  fits,
  type Model,
  type Pick,
  pieceKey,
  type RecipeEdit,
  type Standing,
  type Step,
  samePick,
  standings,
} from '@ample-skin/core/recipe';
import { TOOLS } from '@ample-skin/core/tools';
import { recompute } from './compute.ts';
import { type EditKind, SaveQueue } from './save-queue.ts';
import { DEFAULT_VIEW, effectiveModel, getStudio as get, notify, setStudio as set, type ViewSettings } from './state.ts';

export { recompute, refreshProofs } from './compute.ts';
export { engine } from './engine-client.ts';
export * from './state.ts';

let queue: SaveQueue | undefined;
export interface LoadedModel {
  readonly id: string;
  readonly hasPicture?: boolean;
  readonly revision: number;
  readonly recipe: Model;
  readonly history: readonly { kind: EditKind; change: RecipeEdit; inverse: RecipeEdit; clientId: string; sequence: number }[];
}
export function openModel(m: LoadedModel): void {
  const undo: RecipeEdit[] = [];
  const redo: RecipeEdit[] = [];
  for (const h of m.history) {
    if (h.kind === 'do') {
      undo.push(h.inverse);
      redo.length = 0;
    } else if (h.kind === 'undo') {
      undo.pop();
      redo.push(h.inverse);
    } else {
      redo.pop();
      undo.push(h.inverse);
    }
  }
  const saved = readSettings();
  const view = { ...DEFAULT_VIEW, ...saved, snaps: { ...DEFAULT_VIEW.snaps, ...saved.snaps } };
  set({
    id: m.id,
    hasPicture: !!m.hasPicture,
    model: m.recipe,
    draft: undefined,
    undo,
    redo,
    save: 'saved',
    steps: new Map(),
    pieces: new Map(),
    proofs: new Map(),
    computed: false,
    open: undefined,
    slot: undefined,
    selection: [],
    hover: undefined,
    plane: undefined,
    lit: undefined,
    view,
  });
  const client = Math.random().toString(36).slice(2, 12);
  queue = new SaveQueue(m.id, client, m.recipe, m.revision, {
    onState: (save) => set({ save }),
    onRebase: (model, dropped) => {
      set({ model });
      notify('info', 'Changes from another window were taken in');
      for (const d of dropped) notify('warning', `A change no longer fits and was left out: ${d}`);
      recompute();
    },
  });
  const left = queue.takeLeftovers();
  if (left?.edits.length) {
    const had = new Set(m.history.filter((h) => h.clientId === left.clientId).map((h) => h.sequence));
    const missing = left.edits.filter((e) => !had.has(e.sequence));
    for (const e of missing) commit(e.change);
    if (missing.length)
      notify('info', `${missing.length} unsaved ${missing.length === 1 ? 'change' : 'changes'} from last time brought back`);
  }
  recompute();
}
export const pollOthers = () => void queue?.poll();

function readSettings(): Partial<ViewSettings> {
  try {
    return JSON.parse(localStorage.getItem('ample-view') ?? '{}');
  } catch {
    return {};
  }
}
export function setView(change: Partial<ViewSettings>): void {
  set((s) => ({ view: { ...s.view, ...change } }));
  try {
    localStorage.setItem('ample-view', JSON.stringify(get().view));
  } catch {
    // settings then last for this visit
  }
}

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
  const still = get().model.steps.some((x) => x.id === s.open) || s.draft?.step.id === s.open;
  if (!still) set({ open: undefined, slot: undefined });
  recompute();
  return true;
}
export const change = (label: string, ...changes: Change[]) => commit({ label, changes });
export function undo(): void {
  const last = get().undo.at(-1);
  if (get().draft) discardDraft();
  else if (last) commit(last, 'undo');
}
export function redo(): void {
  const last = get().redo.at(-1);
  if (last) commit(last, 'redo');
}

const newId = () => `s${Date.now().toString(36)}${Math.random().toString(36).slice(2, 5)}`;

let known: { model: Model; draft: unknown; of: (key: string) => Standing } | undefined;
/** Name, group, colour, visibility and lock of pieces as the model stands now. */
export function standingOf(): (key: string) => Standing {
  const { model, draft } = get();
  if (known?.model !== model || known.draft !== draft) known = { model, draft, of: standings(effectiveModel(), TOOLS) };
  return known.of;
}

/** Starts a tool: a draft card at the end of the sheet (or after the open step), slots filled from what is selected. */
export function startTool(toolId: string): void {
  const tool = TOOLS.get(toolId);
  if (!tool) return;
  const s = get();
  if (s.draft) keepDraft();
  const inputs: Record<string, Pick[]> = {};
  let rest = [...get().selection];
  for (const [name, slot] of Object.entries(tool.slots)) {
    const fit = rest.filter((p) => {
      const piece = pieceOf(p);
      return piece && fits(slot.accepts, { kind: piece.kind } as never, p.part?.kind);
    });
    inputs[name] = fit.slice(0, slot.max);
    rest = rest.filter((p) => !inputs[name].includes(p));
  }
  // drawn, moved and mirrored by the active plane
  for (const [name, slot] of Object.entries(tool.slots)) if (slot.active && s.plane && !inputs[name]?.length) inputs[name] = [s.plane];
  const step: Step = { id: newId(), tool: toolId, version: tool.version, inputs, params: {} };
  set({
    draft: { step },
    open: step.id,
    slot: firstEmptySlot(step),
    sketching: toolId === 'sketch' ? { tool: 'line', pending: [], chosen: [] } : undefined,
    selection: [],
    stage: tool.stage,
    lastTool: toolId,
    find: false,
    right: 'sheet',
  });
  recompute();
}
export const pieceOf = (p: Pick) => get().pieces.get(pieceKey(p.step, p.output));
function firstEmptySlot(step: Step): string | undefined {
  const tool = TOOLS.get(step.tool);
  if (!tool || tool.draws) return undefined;
  const visible = Object.entries(tool.slots).filter(
    ([, x]) => !x.when || x.when.is.includes(step.params[x.when.key] ?? defaultOf(step.tool, x.when.key)),
  );
  return (
    visible.find(([n, x]) => (step.inputs[n]?.length ?? 0) < Math.max(1, x.min) && x.min > 0)?.[0] ??
    visible.find(([n, x]) => x.max > 1 && x.min > 0 && (step.inputs[n]?.length ?? 0) < x.max)?.[0]
  );
}
export function defaultOf(toolId: string, key: string): unknown {
  const r = TOOLS.get(toolId)?.params.safeParse({});
  return r?.success ? (r.data as Record<string, unknown>)[key] : undefined;
}

/** Changes the open step: the draft in place, a kept step by an edit. */
export function setParams(id: string, params: Record<string, unknown>, preview = false): void {
  const s = get();
  if (s.draft?.step.id === id) {
    set({ draft: { ...s.draft, step: { ...s.draft.step, params: { ...s.draft.step.params, ...params } } } });
    recompute({ preview });
  } else if (preview) {
    const step = s.model.steps.find((x) => x.id === id);
    if (!step) return;
    set({ model: { ...s.model, steps: s.model.steps.map((x) => (x === step ? { ...x, params: { ...x.params, ...params } } : x)) } });
    recompute({ preview });
  } else {
    const tool = TOOLS.get(s.model.steps.find((x) => x.id === id)?.tool ?? '');
    change(`Change ${tool?.label ?? 'step'}`, { type: 'setStep', id, params });
  }
}
/** Ends a drag that was shown by preview: puts the old value back and commits the new one as one edit. */
export function endPreview(id: string, key: string, before: unknown, after: unknown): void {
  const s = get();
  if (s.draft?.step.id === id) {
    setParams(id, { [key]: after });
    return;
  }
  set({ model: { ...s.model, steps: s.model.steps.map((x) => (x.id === id ? { ...x, params: { ...x.params, [key]: before } } : x)) } });
  if (JSON.stringify(before) !== JSON.stringify(after)) setParams(id, { [key]: after });
  else recompute();
}
export function setInputs(id: string, slot: string, picks: Pick[]): void {
  const s = get();
  if (s.draft?.step.id === id) {
    const step = { ...s.draft.step, inputs: { ...s.draft.step.inputs, [slot]: picks } };
    set({ draft: { ...s.draft, step } });
    recompute();
  } else change('Change what is picked', { type: 'setStep', id, inputs: { [slot]: picks } });
}
export const stepOf = (id: string | undefined): Step | undefined => (id ? effectiveModel().steps.find((s) => s.id === id) : undefined);

export function keepDraft(): void {
  const { draft } = get();
  if (!draft) {
    set({ open: undefined, slot: undefined });
    return;
  }
  set({ draft: undefined, open: undefined, slot: undefined });
  const tool = TOOLS.get(draft.step.tool);
  change(tool?.label ?? 'Step', { type: 'addStep', step: draft.step, before: draft.before });
}
export function discardDraft(): void {
  set({ draft: undefined, open: undefined, slot: undefined });
  recompute();
}
export function openStep(id: string | undefined): void {
  if (get().draft && get().draft?.step.id !== id) keepDraft();
  const step = stepOf(id);
  set({
    open: id,
    slot: undefined,
    sketching: undefined,
    right: 'sheet',
    ...(step ? { stage: TOOLS.get(step.tool)?.stage ?? get().stage } : {}),
  });
}

/** A click in the view or a list: fills the active slot, or selects. */
export function pickAt(p: Pick, more: boolean): void {
  const s = get();
  const step = stepOf(s.open);
  const tool = step && TOOLS.get(step.tool);
  const slot = s.slot && tool?.slots[s.slot];
  if (step && slot && s.slot) {
    const piece = pieceOf(p);
    if (!piece || !fits(slot.accepts, { kind: piece.kind } as never, p.part?.kind)) return;
    const now = step.inputs[s.slot] ?? [];
    const had = now.findIndex((x) => samePick(x, p));
    const picks = had >= 0 ? now.filter((_, i) => i !== had) : slot.max === 1 ? [p] : [...now, p].slice(-slot.max);
    setInputs(step.id, s.slot, picks);
    if (slot.max === 1 && had < 0) {
      const nextStep = stepOf(step.id);
      set({ slot: nextStep ? nextSlot(nextStep, s.slot) : undefined });
    }
    return;
  }
  const had = s.selection.some((x) => samePick(x, p));
  set({
    selection: more ? (had ? s.selection.filter((x) => !samePick(x, p)) : [...s.selection, p]) : had && s.selection.length === 1 ? [] : [p],
  });
}
function nextSlot(step: Step, after: string): string | undefined {
  const names = Object.keys(TOOLS.get(step.tool)?.slots ?? {});
  const tool = TOOLS.get(step.tool);
  return names
    .slice(names.indexOf(after) + 1)
    .find((n) => tool && tool.slots[n].min > 0 && (step.inputs[n]?.length ?? 0) < tool.slots[n].min);
}

export function removeStep(id: string): void {
  if (get().draft?.step.id === id) discardDraft();
  else change('Remove step', { type: 'removeStep', id });
}
export function zoomTo(points: readonly (readonly [number, number, number])[]): void {
  set((s) => ({ zoomTo: { points, n: (s.zoomTo?.n ?? 0) + 1 } }));
}

/** Curves whose comb is wanted: the selected ones, else what the open step made. */
export function combPicks(): Pick[] {
  const s = get();
  const chosen = s.selection.filter((p) => p.part?.kind === 'edge' || (!p.part && pieceOf(p)?.kind === 'curve'));
  if (chosen.length || !s.open) return chosen.slice(0, 12);
  return [...s.pieces.values()]
    .filter((p) => p.step === s.open && p.kind === 'curve')
    .map((p): Pick => ({ step: p.step, output: p.output }))
    .slice(0, 12);
}
