import { z } from 'zod';
import {
  dialSchema,
  groupSchema,
  keySchema,
  lookSchema,
  type Model,
  mapSchema,
  modelSchema,
  type Step,
  sectionSchema,
  stepSchema,
  targetSchema,
} from './model.ts';

/**
 * Everything that can happen to a model. Edits address steps and dials by id, never by position, so that edits of two windows can be put
 * one after the other. `apply` gives the inverse edit: undo is the inverse, applied.
 */
const single = z.discriminatedUnion('type', [
  z.object({ type: z.literal('addStep'), step: stepSchema, before: keySchema.optional() }),
  z.object({ type: z.literal('removeStep'), id: keySchema }),
  z.object({ type: z.literal('moveStep'), id: keySchema, before: keySchema.optional() }),
  z.object({
    type: z.literal('setStep'),
    id: keySchema,
    name: z.string().min(1).max(120).nullable().optional(),
    muted: z.boolean().optional(),
    inputs: stepSchema.shape.inputs.optional(),
    params: z.record(keySchema, z.unknown()).optional(),
  }),
  /** `before`: of the one it goes in front of, when it is new; at the end without. */
  z.object({ type: z.literal('setDial'), name: keySchema, dial: dialSchema.nullable(), before: keySchema.optional() }),
  z.object({
    type: z.literal('setModel'),
    name: z.string().min(1).max(200).optional(),
    unit: modelSchema.shape.unit.optional(),
    tolerance: z.number().min(1e-6).max(1).optional(),
  }),
  z.object({ type: z.literal('setPiece'), key: keySchema, look: lookSchema.nullable() }),
  z.object({ type: z.literal('setGroup'), id: keySchema, group: groupSchema.nullable(), before: keySchema.optional() }),
  z.object({ type: z.literal('setMap'), map: mapSchema.nullable() }),
  z.object({ type: z.literal('setSection'), id: keySchema, section: sectionSchema.nullable() }),
  z.object({ type: z.literal('setTarget'), key: keySchema, target: targetSchema.nullable() }),
]);
export const editSchema = z.object({ label: z.string().max(200), changes: z.array(single).min(1).max(5000) });
export type Change = z.infer<typeof single>;
export type RecipeEdit = z.infer<typeof editSchema>;

export type Applied = { ok: true; model: Model; inverse: RecipeEdit } | { ok: false; message: string };

const LIMITS = { steps: 20_000, dials: 2000, groups: 200 } as const;

/** Applies an edit as a whole or not at all: one that breaks the recipe's own schema or limits is refused with the place. */
export function applyEdit(model: Model, edit: RecipeEdit): Applied {
  const checked = editSchema.safeParse(edit);
  if (!checked.success) {
    const issue = checked.error.issues[0];
    return { ok: false, message: `${issue.path.slice(2).join('.') || 'the edit'}: ${issue.message}` };
  }
  let m = model;
  const back: Change[] = [];
  for (const c of edit.changes) {
    const r = applyChange(m, c);
    if ('message' in r) return { ok: false, message: r.message };
    m = r.model;
    back.unshift(r.inverse);
  }
  for (const [key, most] of Object.entries(LIMITS) as [keyof typeof LIMITS, number][])
    if (m[key].length > most && m[key].length > model[key].length) return { ok: false, message: `a model holds at most ${most} ${key}` };
  return { ok: true, model: m, inverse: { label: edit.label, changes: back } };
}

/** `list` with `one` in front of the first that `isNext`, at the end when none is. */
function placed<T>(list: readonly T[], one: T, isNext: (x: T) => boolean): T[] {
  const at = list.findIndex(isNext);
  return at < 0 ? [...list, one] : [...list.slice(0, at), one, ...list.slice(at)];
}
type One = { model: Model; inverse: Change } | { message: string };

function placeBefore(steps: Step[], step: Step, before: string | undefined): Step[] {
  const i = before ? steps.findIndex((s) => s.id === before) : -1;
  if (i < 0) return [...steps, step];
  return [...steps.slice(0, i), step, ...steps.slice(i)];
}
const follower = (m: Model, id: string): string | undefined => m.steps[m.steps.findIndex((s) => s.id === id) + 1]?.id;

function applyChange(m: Model, c: Change): One {
  switch (c.type) {
    case 'addStep':
      if (m.steps.some((s) => s.id === c.step.id)) return { message: `a step with the id ${c.step.id} is there already` };
      return { model: { ...m, steps: placeBefore(m.steps, c.step, c.before) }, inverse: { type: 'removeStep', id: c.step.id } };
    case 'removeStep': {
      const step = m.steps.find((s) => s.id === c.id);
      if (!step) return { message: 'the step is gone already' };
      return { model: { ...m, steps: m.steps.filter((s) => s !== step) }, inverse: { type: 'addStep', step, before: follower(m, c.id) } };
    }
    case 'moveStep': {
      const step = m.steps.find((s) => s.id === c.id);
      if (!step) return { message: 'the step to move is gone' };
      return {
        model: {
          ...m,
          steps: placeBefore(
            m.steps.filter((s) => s !== step),
            step,
            c.before === c.id ? follower(m, c.id) : c.before,
          ),
        },
        inverse: { type: 'moveStep', id: c.id, before: follower(m, c.id) },
      };
    }
    case 'setStep': {
      const step = m.steps.find((s) => s.id === c.id);
      if (!step) return { message: 'the step to change is gone' };
      const next: Step = { ...step };
      const inverse: Change = { type: 'setStep', id: c.id };
      if (c.name !== undefined) {
        inverse.name = step.name ?? null;
        if (c.name === null) delete next.name;
        else next.name = c.name;
      }
      if (c.muted !== undefined) {
        inverse.muted = step.muted ?? false;
        if (c.muted) next.muted = true;
        else delete next.muted;
      }
      if (c.inputs) {
        inverse.inputs = Object.fromEntries(Object.keys(c.inputs).map((k) => [k, step.inputs[k] ?? []]));
        next.inputs = { ...step.inputs, ...c.inputs };
      }
      if (c.params) {
        inverse.params = Object.fromEntries(Object.keys(c.params).map((k) => [k, step.params[k] ?? null]));
        next.params = { ...step.params };
        for (const [k, v] of Object.entries(c.params)) {
          if (v === null) delete next.params[k];
          else next.params[k] = v;
        }
      }
      return { model: { ...m, steps: m.steps.map((s) => (s === step ? next : s)) }, inverse };
    }
    case 'setDial': {
      const old = m.dials.find((d) => d.name === c.name);
      const rest = m.dials.filter((d) => d !== old);
      if (!c.dial)
        return old
          ? {
              model: { ...m, dials: rest },
              inverse: { type: 'setDial', name: c.name, dial: old, before: m.dials[m.dials.indexOf(old) + 1]?.name },
            }
          : { message: 'the dial is gone already' };
      if (c.dial.name !== c.name && rest.some((d) => d.name === c.dial?.name))
        return { message: `there is a dial called ${c.dial.name} already` };
      const dial = c.dial;
      const dials = old ? m.dials.map((d) => (d === old ? dial : d)) : placed(m.dials, dial, (d) => d.name === c.before);
      return { model: { ...m, dials }, inverse: { type: 'setDial', name: dial.name, dial: old ?? null } };
    }
    case 'setModel': {
      const { type: _, ...rest } = c;
      const inverse = Object.fromEntries(Object.keys(rest).map((k) => [k, m[k as 'name']]));
      return { model: { ...m, ...rest }, inverse: { type: 'setModel', ...inverse } };
    }
    case 'setPiece': {
      const pieces = { ...m.pieces };
      const old = pieces[c.key] ?? null;
      if (c.look) pieces[c.key] = c.look;
      else delete pieces[c.key];
      return { model: { ...m, pieces }, inverse: { type: 'setPiece', key: c.key, look: old } };
    }
    case 'setGroup': {
      const old = m.groups.find((g) => g.id === c.id) ?? null;
      if (!old && !c.group) return { message: 'the group is gone already' };
      if (c.group && c.group.id !== c.id) return { message: 'a group keeps its id' };
      const group = c.group;
      const groups = !group
        ? m.groups.filter((g) => g.id !== c.id)
        : old
          ? m.groups.map((g) => (g === old ? group : g))
          : placed(m.groups, group, (g) => g.id === c.before);
      const inverse: Change = { type: 'setGroup', id: c.id, group: old };
      if (old && !group) inverse.before = m.groups[m.groups.indexOf(old) + 1]?.id;
      return { model: { ...m, groups }, inverse };
    }
    case 'setMap': {
      const { map, ...rest } = m;
      return { model: c.map ? { ...rest, map: c.map } : rest, inverse: { type: 'setMap', map: map ?? null } };
    }
    case 'setSection': {
      const now = m.sections ?? [];
      const old = now.find((s) => s.id === c.id) ?? null;
      const section = c.section;
      if (!old && !section) return { message: 'the section is gone already' };
      if (section && section.id !== c.id) return { message: 'a section keeps its id' };
      if (!old && now.length >= 8) return { message: 'a model holds at most 8 sections' };
      const sections = !section ? now.filter((s) => s !== old) : old ? now.map((s) => (s === old ? section : s)) : [...now, section];
      const { sections: _, ...rest } = m;
      return { model: sections.length ? { ...rest, sections } : rest, inverse: { type: 'setSection', id: c.id, section: old } };
    }
    case 'setTarget': {
      const targets = { ...m.targets };
      const old = targets[c.key] ?? null;
      if (c.target) targets[c.key] = c.target;
      else delete targets[c.key];
      return { model: { ...m, targets }, inverse: { type: 'setTarget', key: c.key, target: old } };
    }
  }
}
