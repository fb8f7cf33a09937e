import { applyEdit, type Change, type Model, type RecipeEdit } from '@ample-skin/core/recipe';

/** An edit as the server keeps it. */
export interface PastEdit {
  readonly revision: number;
  readonly kind: 'do' | 'undo' | 'redo';
  readonly change: RecipeEdit;
  readonly inverse: RecipeEdit;
  readonly createdAt: string;
}
/** The step a change is about, if it is about one. */
function stepOfChange(c: Change): string | undefined {
  if (c.type === 'addStep') return c.step.id;
  if (c.type === 'removeStep' || c.type === 'moveStep' || c.type === 'setStep') return c.id;
  if (c.type === 'setPiece' || c.type === 'setTarget') return c.key.includes('/') ? c.key.split('/')[0] : undefined;
  return undefined;
}
export const stepsOf = (e: PastEdit): string[] => [...new Set(e.change.changes.flatMap((c) => stepOfChange(c) ?? []))];

export interface StepPast {
  readonly id: string;
  /** As it is called now, or was called when it was removed. */
  readonly name?: string;
  readonly gone: boolean;
  readonly edits: readonly PastEdit[];
}
/** What happened to each step, those that are there now in their order, then those that are gone; edits newest first. */
export function pastBySteps(edits: readonly PastEdit[], model: Model): StepPast[] {
  const of = new Map<string, PastEdit[]>();
  const named = new Map<string, { name?: string; tool: string }>();
  for (const e of edits) {
    for (const c of [...e.change.changes, ...e.inverse.changes]) if (c.type === 'addStep') named.set(c.step.id, c.step);
    for (const id of stepsOf(e)) of.set(id, [e, ...(of.get(id) ?? [])]);
  }
  const here = model.steps.flatMap((s): StepPast[] => {
    const list = of.get(s.id);
    return list ? [{ id: s.id, name: s.name, gone: false, edits: list }] : [];
  });
  const ids = new Set(model.steps.map((s) => s.id));
  const gone = [...of].flatMap(([id, list]): StepPast[] =>
    ids.has(id) ? [] : [{ id, name: named.get(id)?.name ?? named.get(id)?.tool, gone: true, edits: list }],
  );
  return [...here, ...gone];
}
/** Edits newest first, by the day they were made on, as the person's clock says. */
export function pastByDays(edits: readonly PastEdit[]): { day: string; edits: PastEdit[] }[] {
  const days: { day: string; edits: PastEdit[] }[] = [];
  for (const e of [...edits].reverse()) {
    const day = new Date(e.createdAt).toLocaleDateString('en-GB', { weekday: 'long', day: 'numeric', month: 'long', year: 'numeric' });
    if (days.at(-1)?.day === day) days.at(-1)?.edits.push(e);
    else days.push({ day, edits: [e] });
  }
  return days;
}
/** The model as it was after `revision`, taken back edit by edit from what it is; words when an edit cannot be taken back. */
export function modelAfter(now: Model, edits: readonly PastEdit[], revision: number): Model | string {
  let m = now;
  for (const e of [...edits].sort((a, b) => b.revision - a.revision)) {
    if (e.revision <= revision) break;
    const r = applyEdit(m, e.inverse);
    if (!r.ok) return `"${e.change.label}" cannot be taken back: ${r.message}`;
    m = r.model;
  }
  return m;
}
