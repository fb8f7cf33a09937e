import { renameMeasured } from '@ample-skin/core/math';
import {
  type Change,
  fits,
  type Pick,
  pieceKey,
  type RecipeEdit,
  type Slot,
  type Step,
  samePick,
  stepLabel,
  type Tool,
} from '@ample-skin/core/recipe';
import { TOOLS } from '@ample-skin/core/tools';
import { customAlphabet } from 'nanoid';
import { recompute } from './compute.ts';
import { change, commit } from './document.ts';
import { effectiveModel, getStudio as get, setStudio as set, stepOf } from './state.ts';

const letters = customAlphabet('0123456789abcdefghijkmnpqrstuvwxyz', 8);
export const newId = (): string => `s${letters()}`;

const defaults = new WeakMap<Tool, Record<string, unknown>>();
/** What a parameter is when the step does not say. */
export function defaultOf(toolId: string, key: string): unknown {
  const tool = TOOLS.get(toolId);
  if (!tool) return undefined;
  if (!defaults.has(tool)) {
    const r = tool.params.safeParse({});
    defaults.set(tool, r.success ? (r.data as Record<string, unknown>) : {});
  }
  return defaults.get(tool)?.[key];
}
export const paramOf = (step: Step, key: string): unknown => step.params[key] ?? defaultOf(step.tool, key);

/** A name for a new step: numbered among those of its kind. */
function nextName(tool: Tool): string {
  const taken = new Set(effectiveModel().steps.map((s) => s.name));
  const same = effectiveModel().steps.filter((s) => s.tool === tool.id).length;
  let n = same + 1;
  while (taken.has(`${tool.label} ${n}`)) n++;
  return `${tool.label} ${n}`;
}
const takes = (slot: Slot, p: Pick): boolean => {
  const piece = get().pieces.get(pieceKey(p.step, p.output));
  return !!piece && fits(slot.accepts, { kind: piece.kind } as never, p.part?.kind);
};

/** Starts a tool: a draft card at the end of the sheet, slots filled from what is selected, the first empty one asking. */
export function startTool(toolId: string, given: Readonly<Record<string, readonly Pick[]>> = {}, params: Step['params'] = {}): void {
  const tool = TOOLS.get(toolId);
  if (!tool) return;
  if (get().draft) keepDraft();
  const s = get();
  const inputs: Record<string, Pick[]> = {};
  const parsed = tool.params.safeParse({});
  const usual: Readonly<Record<string, unknown>> = parsed.success ? parsed.data : {};
  let rest = [...s.selection];
  for (const [name, slot] of Object.entries(tool.slots)) {
    if (given[name]) {
      inputs[name] = [...given[name]];
      continue;
    }
    // slots that another setting opens stay empty
    const shown = !slot.when || slot.when.is.includes(params[slot.when.key] ?? usual[slot.when.key]);
    inputs[name] = shown ? rest.filter((p) => takes(slot, p)).slice(0, slot.max) : [];
    rest = rest.filter((p) => !inputs[name].includes(p));
  }
  // drawn, moved and mirrored by the active plane
  for (const [name, slot] of Object.entries(tool.slots)) if (slot.active && s.plane && !inputs[name]?.length) inputs[name] = [s.plane];
  const step: Step = { id: newId(), tool: toolId, version: tool.version, name: nextName(tool), inputs, params };
  set({
    draft: { step },
    open: step.id,
    slot: emptySlot(step),
    sketching: toolId === 'sketch' ? { tool: 'line', pending: [], chosen: [] } : undefined,
    caging: undefined,
    selection: [],
    facts: [],
    lit: undefined,
    stage: tool.stage,
    lastTool: toolId,
    measuring: undefined,
    dialog: undefined,
    right: 'sheet',
  });
  recompute();
}

/** Slots that count now: those whose condition on a parameter holds. */
export function shownSlots(step: Step): [string, Slot][] {
  const tool = TOOLS.get(step.tool);
  return Object.entries(tool?.slots ?? {}).filter(([, x]) => !x.when || x.when.is.includes(paramOf(step, x.when.key)));
}
/** The next slot that asks: an unfilled needed one (after `after` first), else one that takes many; for tools that draw only what they need. */
export function emptySlot(step: Step, after?: string): string | undefined {
  const tool = TOOLS.get(step.tool);
  if (!tool) return undefined;
  const list = shownSlots(step);
  const from = after ? list.findIndex(([n]) => n === after) : -1;
  const turned = [...list.slice(from + 1), ...list.slice(0, from + 1)];
  const count = (n: string) => step.inputs[n]?.length ?? 0;
  const needed = turned.find(([n, x]) => x.min > 0 && count(n) < x.min);
  if (needed) return needed[0];
  // what is drawn comes next
  if (tool.draws) return undefined;
  if (after === undefined) return turned.find(([n, x]) => x.max > 1 && x.min > 0 && count(n) < x.max)?.[0];
  return undefined;
}

/** The slot that asks after a choice: the one that did, while it is still there, else the first empty one that the choice brought up. */
function askedNow(slot: string | undefined, before: Step, after: Step): string | undefined {
  const shown = shownSlots(after);
  if (slot && shown.some(([n]) => n === slot)) return slot;
  const had = new Set(shownSlots(before).map(([n]) => n));
  return shown.find(([n]) => !had.has(n) && !after.inputs[n]?.length)?.[0];
}
/** Changes the open step: the draft in place, a kept step by an edit (or, for a preview, in memory only). */
export function setParams(id: string, params: Record<string, unknown>, preview = false): void {
  const s = get();
  if (s.draft?.step.id === id) {
    const step = { ...s.draft.step, params: { ...s.draft.step.params, ...params } };
    set({ draft: { ...s.draft, step }, ...(preview ? {} : { slot: askedNow(s.slot, s.draft.step, step) }) });
    recompute({ preview, focus: id });
  } else if (preview) {
    const step = s.model.steps.find((x) => x.id === id);
    if (!step) return;
    set({ model: { ...s.model, steps: s.model.steps.map((x) => (x === step ? { ...x, params: { ...x.params, ...params } } : x)) } });
    recompute({ preview, focus: id });
  } else {
    const step = s.model.steps.find((x) => x.id === id);
    const same = step && Object.entries(params).every(([k, v]) => JSON.stringify(step.params[k]) === JSON.stringify(v));
    if (!same) change(`Change ${step?.name ?? TOOLS.get(step?.tool ?? '')?.label ?? 'step'}`, { type: 'setStep', id, params });
  }
}
/** Ends a drag that was shown by preview: puts the old value back and commits the new one as one edit. */
export function endPreview(id: string, key: string, before: unknown, after: unknown): void {
  const s = get();
  if (s.draft?.step.id === id) {
    setParams(id, { [key]: after });
    return;
  }
  set({ model: { ...s.model, steps: s.model.steps.map((x) => (x.id === id ? { ...x, params: withParam(x.params, key, before) } : x)) } });
  if (JSON.stringify(before) !== JSON.stringify(after)) setParams(id, { [key]: after });
  else recompute();
}
function withParam(params: Step['params'], key: string, value: unknown): Step['params'] {
  const { [key]: _, ...rest } = params;
  return value === undefined ? rest : { ...rest, [key]: value };
}
export function setInputs(id: string, slot: string, picks: readonly Pick[], preview = false): void {
  const s = get();
  const put = (step: Step): Step => ({ ...step, inputs: { ...step.inputs, [slot]: [...picks] } });
  if (s.draft?.step.id === id) {
    set({ draft: { ...s.draft, step: put(s.draft.step) } });
    recompute({ preview, focus: id });
  } else if (preview) {
    set({ model: { ...s.model, steps: s.model.steps.map((x) => (x.id === id ? put(x) : x)) } });
    recompute({ preview, focus: id });
  } else change('Change what is picked', { type: 'setStep', id, inputs: { [slot]: [...picks] } });
}
/** Settings that one pick carries by itself. */
export function setPickSettings(step: Step, slot: string, index: number, settings: Record<string, unknown>): void {
  const picks = step.inputs[slot] ?? [];
  setInputs(
    step.id,
    slot,
    picks.map((p, i) => (i === index ? { ...p, settings: { ...p.settings, ...settings } } : p)),
  );
}
export function renameStep(id: string, name: string): void {
  const s = get();
  if (s.draft?.step.id === id) {
    set({ draft: { ...s.draft, step: { ...s.draft.step, name } } });
    return;
  }
  const step = s.model.steps.find((x) => x.id === id);
  const before = step ? stepLabel(step, TOOLS) : '';
  change('Rename step', { type: 'setStep', id, name }, ...measuredAnew(s.model.steps, id, before, name));
}
/** Formulas that measure a step go with its new name. */
function measuredAnew(steps: readonly Step[], id: string, before: string, after: string): Change[] {
  const put = (v: unknown): unknown =>
    typeof v === 'string'
      ? renameMeasured(v, before, after)
      : Array.isArray(v)
        ? v.map(put)
        : v && typeof v === 'object'
          ? Object.fromEntries(Object.entries(v).map(([k, x]) => [k, put(x)]))
          : v;
  return steps.flatMap((s): Change[] => {
    const params = put(s.params) as Record<string, unknown>;
    const changed = Object.fromEntries(Object.entries(params).filter(([k, v]) => JSON.stringify(v) !== JSON.stringify(s.params[k])));
    return s.id === id || !Object.keys(changed).length ? [] : [{ type: 'setStep', id: s.id, params: changed }];
  });
}

/** Keeps the step that is being made, or closes the open one. */
export function keepDraft(): void {
  const { draft } = get();
  set({ draft: undefined, open: undefined, slot: undefined, sketching: undefined, caging: undefined });
  if (draft)
    change(draft.step.name ?? TOOLS.get(draft.step.tool)?.label ?? 'Step', { type: 'addStep', step: draft.step, before: draft.before });
}
/** Carries out what a step offers; a draft is kept first, so that the edit finds it. The step stays open when it is still there. */
export function takeSuggestion(id: string, edit: RecipeEdit): void {
  if (get().draft?.step.id === id) keepDraft();
  if (commit(edit) && get().model.steps.some((s) => s.id === id)) openStep(id);
}
export function discardDraft(): void {
  set({ draft: undefined, open: undefined, slot: undefined, sketching: undefined, caging: undefined });
  recompute();
}
export function openStep(id: string | undefined): void {
  if (get().draft && get().draft?.step.id !== id) keepDraft();
  const step = stepOf(id);
  const stage = (step && TOOLS.get(step.tool)?.stage) ?? get().stage;
  set({ open: id, slot: undefined, sketching: undefined, caging: undefined, right: 'sheet', stage });
  // a cage that later steps have taken over is drawn while it is edited
  if (
    step &&
    get()
      .steps.get(step.id)
      ?.outputs.some((o) => o.kind === 'cage' && !get().pieces.get(o.key)?.live)
  )
    recompute();
}

/** Fills the active slot with a pick; true when there is a slot that took (or refused) it. */
export function fillSlot(p: Pick): 'filled' | 'unfit' | 'no slot' {
  const s = get();
  const step = stepOf(s.open);
  const slot = s.slot && step ? TOOLS.get(step.tool)?.slots[s.slot] : undefined;
  if (!step || !slot || !s.slot) return 'no slot';
  if (!takes(slot, p)) return 'unfit';
  const now = step.inputs[s.slot] ?? [];
  const had = now.findIndex((x) => samePick(x, p));
  const same = had >= 0 && JSON.stringify(now[had].grow) === JSON.stringify(p.grow);
  const picks = same
    ? now.filter((_, i) => i !== had)
    : had >= 0
      ? now.map((x, i) => (i === had ? { ...x, grow: p.grow } : x))
      : slot.max === 1
        ? [p]
        : [...now, p].slice(-slot.max);
  setInputs(step.id, s.slot, picks);
  const next = stepOf(step.id);
  // one that takes a single pick is done: the next empty one asks; one that takes many goes on, once it is filled another may ask
  if (next && picks.length >= slot.max) set({ slot: emptySlot(next, s.slot) ?? (slot.max > 1 ? s.slot : undefined) });
  return 'filled';
}

/** What is selected, kept as a measure in the view that follows edits: of one thing, or between two. */
export function keepMeasure(picks: readonly Pick[]): void {
  const used = new Set(get().model.steps.map((x) => stepLabel(x, TOOLS)));
  let n = 1;
  while (used.has(n === 1 ? 'Measure' : `Measure ${n}`)) n++;
  const version = TOOLS.get('measure')?.version ?? 1;
  const name = n === 1 ? 'Measure' : `Measure ${n}`;
  const step: Step = { id: newId(), tool: 'measure', version, name, inputs: { things: picks.slice(0, 2) }, params: {} };
  change('Keep measure', { type: 'addStep', step });
}
