import { applyEdit, type Change, fits, type Model, type Pick, pieceKey, type RecipeEdit, type Stage, type Step, samePick } from '@ample-skin/core/recipe';
import { TOOLS } from '@ample-skin/core/tools';
import type { PieceView, ProofView, StepView, Update } from '@ample-skin/engine';
import { create } from 'zustand';
import { engine, type Progress } from './engine-client.ts';

export { engine };

import { type EditKind, SaveQueue, type SaveState } from './save-queue.ts';

export type Look = 'clay' | 'sides' | 'stripes';
export type Panes = 1 | 2 | 4;
export type DeskTab = 'seams' | 'rims' | 'defects' | 'timing';
export interface Notice {
  readonly id: number;
  readonly kind: 'info' | 'warning' | 'error';
  readonly text: string;
}
export interface ViewSettings {
  readonly look: Look;
  readonly stripes: { readonly count: number; readonly direction: 'up' | 'side' | 'depth'; readonly fixed: 'view' | 'world' };
  readonly panes: Panes;
  readonly dark: boolean;
  readonly grid: boolean;
  readonly snaps: { readonly grid: boolean; readonly end: boolean; readonly point: boolean };
  readonly gridStep: number;
}

interface StudioState {
  readonly id: string;
  /** The server holds a picture of the last state, shown until the engine has something. */
  readonly hasPicture: boolean;
  readonly model: Model;
  /** A step that is being made and not kept yet, with its place. */
  readonly draft?: { readonly step: Step; readonly before?: string };
  readonly undo: readonly RecipeEdit[];
  readonly redo: readonly RecipeEdit[];
  readonly save: SaveState;
  readonly steps: ReadonlyMap<string, StepView>;
  readonly pieces: ReadonlyMap<string, PieceView>;
  readonly dials: ReadonlyMap<string, { value?: number; message?: string }>;
  readonly proofs: ReadonlyMap<string, ProofView>;
  readonly progress: Progress;
  readonly computed: boolean;
  /** Something asked for is not computed yet. */
  readonly computing: boolean;
  readonly computeMs: number;
  readonly paused: boolean;
  readonly stage: Stage;
  readonly open?: string;
  readonly slot?: string;
  readonly selection: readonly Pick[];
  readonly hover?: Pick;
  readonly plane?: Pick;
  readonly lastPlane?: Pick;
  readonly view: ViewSettings;
  readonly right: 'sheet' | 'pieces' | 'dials';
  readonly desk: { readonly tab: DeskTab; readonly size: 'shut' | 'low' | 'half' };
  readonly find: boolean;
  readonly keys: boolean;
  readonly lastTool?: string;
  readonly zoomTo?: { readonly points: readonly (readonly [number, number, number])[]; readonly n: number };
  readonly lit?: { readonly piece: string; readonly edges: readonly number[] };
  readonly notices: readonly Notice[];
}

const DEFAULT_VIEW: ViewSettings = {
  look: 'sides',
  stripes: { count: 18, direction: 'up', fixed: 'view' },
  panes: 1,
  dark: false,
  grid: true,
  snaps: { grid: true, end: true, point: true },
  gridStep: 5,
};

export const useStudio = create<StudioState>(() => ({
  id: '',
  hasPicture: false,
  model: { format: 'ample-skin-recipe', version: 1, name: '', unit: 'mm', tolerance: 0.001, dials: [], steps: [], pieces: {}, targets: {} },
  undo: [],
  redo: [],
  save: 'saved',
  steps: new Map(),
  pieces: new Map(),
  dials: new Map(),
  proofs: new Map(),
  progress: undefined,
  computed: false,
  computing: false,
  computeMs: 0,
  paused: false,
  stage: 'curves',
  selection: [],
  view: DEFAULT_VIEW,
  right: 'sheet',
  desk: { tab: 'seams', size: 'low' },
  find: false,
  keys: false,
  notices: [],
}));
const get = useStudio.getState;
const set = useStudio.setState;

let queue: SaveQueue | undefined;
let noticeId = 0;

export function notify(kind: Notice['kind'], text: string): void {
  set((s) => ({ notices: [...s.notices.slice(-3), { id: ++noticeId, kind, text }] }));
}
export const dismiss = (id: number) => set((s) => ({ notices: s.notices.filter((n) => n.id !== id) }));

/** The model as the engine sees it: with the step that is being made. */
export function effectiveModel(s = get()): Model {
  if (!s.draft) return s.model;
  const { step, before } = s.draft;
  const i = before ? s.model.steps.findIndex((x) => x.id === before) : -1;
  return { ...s.model, steps: i < 0 ? [...s.model.steps, step] : [...s.model.steps.slice(0, i), step, ...s.model.steps.slice(i)] };
}

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
  const view = { ...DEFAULT_VIEW, ...readSettings() };
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
    if (missing.length) notify('info', `${missing.length} unsaved ${missing.length === 1 ? 'change' : 'changes'} from last time brought back`);
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

let wanted = 0;
let busy = false;
/** Asks the engine for the newest state; requests that come while it works are folded into one. */
export function recompute(options: { preview?: boolean; files?: string[] } = {}): void {
  wanted++;
  if (get().paused && !options.files) return;
  set({ computing: true });
  if (busy) {
    engine.cancel();
    again = { ...options };
    return;
  }
  void run(options);
}
let again: { preview?: boolean; files?: string[] } | undefined;
async function run(options: { preview?: boolean; files?: string[] }): Promise<void> {
  busy = true;
  again = undefined;
  const mine = wanted;
  const model = effectiveModel();
  const have = [...get().pieces].flatMap(([k, p]) => (p.display ? [[k, p.stamp] as const] : []));
  const timer = setTimeout(() => {
    if (busy) set({ progress: latest });
  }, 300);
  let latest: Progress;
  let shown = false;
  setTimeout(() => {
    shown = true;
  }, 300);
  try {
    const update = await engine.update(
      model,
      { have, preview: options.preview, files: options.files },
      (p) => {
        latest = p;
        if (shown) set({ progress: p });
      },
      (u) => {
        if (mine === wanted) acceptPartial(u);
      },
    );
    if (!update.cancelled || mine === wanted) accept(update);
  } catch (e) {
    const name = model.steps.find((s) => s.id === latest?.step)?.name ?? latest?.step ?? 'the model';
    notify('error', `The engine stopped while computing "${name}" and was started again. Nothing is lost (${(e as Error).message})`);
    set({ pieces: new Map([...get().pieces].map(([k, p]) => [k, { ...p, stamp: `lost-${p.stamp}` }])) });
    if (engine.restarts < 60) again ??= options;
  } finally {
    clearTimeout(timer);
    busy = false;
    set({ progress: undefined });
  }
  const next = again as typeof again;
  if (next || mine !== wanted) void run(next ?? {});
  else set({ computing: false, pieces: new Map(get().pieces) });
}

/** Steps done so far; what comes later in the sheet keeps its last state. */
function acceptPartial(u: Update): void {
  const old = get();
  const pieces = new Map(old.pieces);
  for (const p of u.pieces) pieces.set(p.key, p.display ? p : { ...p, display: old.pieces.get(p.key)?.display });
  const steps = new Map(old.steps);
  for (const s of u.steps) steps.set(s.id, s);
  set({ pieces, steps, computed: old.computed || u.pieces.some((p) => p.display) });
}

function accept(u: Update): void {
  const old = get().pieces;
  const pieces = new Map(u.pieces.map((p) => [p.key, p.display ? p : { ...p, display: old.get(p.key)?.display }]));
  const changed = u.pieces.filter((p) => p.display).map((p) => p.key);
  const proofs = new Map([...get().proofs].filter(([k]) => pieces.has(k) && !changed.includes(k)));
  set({ steps: new Map(u.steps.map((s) => [s.id, s])), pieces, dials: new Map(u.dials.map((d) => [d.name, d])), computed: true, computeMs: u.ms, proofs });
  for (const s of u.steps) for (const f of s.files) download(f.name, f.type, f.data);
  void refreshProofs();
}
function download(name: string, type: string, data: Uint8Array): void {
  const url = URL.createObjectURL(new Blob([data as BlobPart], { type }));
  const a = document.createElement('a');
  a.href = url;
  a.download = name;
  a.click();
  setTimeout(() => URL.revokeObjectURL(url), 10_000);
  notify('info', `${name} was written, read back and compared`);
}

/** Seams, rims and defects of every piece that stands for itself. */
export async function refreshProofs(): Promise<void> {
  const s = get();
  for (const p of s.pieces.values()) {
    if (!p.live || (p.kind !== 'skin' && p.kind !== 'solid') || s.proofs.has(p.key)) continue;
    const proof = await engine.proof(p.key, effectiveModel()).catch(() => undefined);
    if (proof && get().pieces.get(p.key)?.stamp === p.stamp) set((x) => ({ proofs: new Map(x.proofs).set(p.key, proof) }));
  }
}

const newId = () => `s${Date.now().toString(36)}${Math.random().toString(36).slice(2, 5)}`;

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
  if ('plane' in tool.slots && !inputs.plane?.length && s.plane && tool.draws) inputs.plane = [s.plane];
  const step: Step = { id: newId(), tool: toolId, version: tool.version, inputs, params: {} };
  set({ draft: { step }, open: step.id, slot: firstEmptySlot(step), selection: [], stage: tool.stage, lastTool: toolId, find: false, right: 'sheet' });
  recompute();
}
export const pieceOf = (p: Pick) => get().pieces.get(pieceKey(p.step, p.output));
function firstEmptySlot(step: Step): string | undefined {
  const tool = TOOLS.get(step.tool);
  if (!tool || tool.draws) return undefined;
  const visible = Object.entries(tool.slots).filter(([, x]) => !x.when || x.when.is.includes(step.params[x.when.key] ?? defaultOf(step.tool, x.when.key)));
  return (
    visible.find(([n, x]) => (step.inputs[n]?.length ?? 0) < Math.max(1, x.min) && x.min > 0)?.[0] ?? visible.find(([n, x]) => x.max > 1 && x.min > 0 && (step.inputs[n]?.length ?? 0) < x.max)?.[0]
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
  set({ open: id, slot: undefined, right: 'sheet', ...(step ? { stage: TOOLS.get(step.tool)?.stage ?? get().stage } : {}) });
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
  set({ selection: more ? (had ? s.selection.filter((x) => !samePick(x, p)) : [...s.selection, p]) : had && s.selection.length === 1 ? [] : [p] });
}
function nextSlot(step: Step, after: string): string | undefined {
  const names = Object.keys(TOOLS.get(step.tool)?.slots ?? {});
  const tool = TOOLS.get(step.tool);
  return names.slice(names.indexOf(after) + 1).find((n) => tool && tool.slots[n].min > 0 && (step.inputs[n]?.length ?? 0) < tool.slots[n].min);
}

export function removeStep(id: string): void {
  if (get().draft?.step.id === id) discardDraft();
  else change('Remove step', { type: 'removeStep', id });
}
export function zoomTo(points: readonly (readonly [number, number, number])[]): void {
  set((s) => ({ zoomTo: { points, n: (s.zoomTo?.n ?? 0) + 1 } }));
}
export { get as getStudio, set as setStudio };
