import type { RecipeEdit } from '../recipe/edits.ts';
import { freeId, type Model, type Step } from '../recipe/model.ts';
import type { Variant } from './try-off.ts';

type Keepable = Pick<Variant, 'key' | 'label' | 'step'> & { readonly made?: unknown };

/**
 * The edit that keeps one variant as a step and others as muted ones beside it. With `instead`, a step that is there already: the kept one
 * takes its place and its id, so that later steps follow; the old one stays as a muted variant too.
 */
export function keepVariant(
  model: Model,
  kept: Keepable,
  others: readonly Keepable[],
  versions: ReadonlyMap<string, { readonly version: number }>,
  instead?: string,
): RecipeEdit {
  const at = model.steps.findIndex((s) => s.id === instead);
  const old = at < 0 ? undefined : model.steps[at];
  const before = old ? model.steps[at + 1]?.id : undefined;
  const taken = new Set<string>();
  const names = new Set(model.steps.filter((s) => s !== old).map((s) => s.name));
  const made = (v: Keepable, muted: boolean): Step => {
    const id = old && !muted ? old.id : freeId(model, `${v.step.tool}-${v.key}`, taken);
    taken.add(id);
    const wanted = muted ? `${v.label} (variant)` : v.label;
    let name = wanted;
    for (let n = 2; names.has(name); n++) name = `${wanted} ${n}`;
    names.add(name);
    return { ...v.step, id, name, version: versions.get(v.step.tool)?.version ?? 1, ...(muted ? { muted: true } : {}) };
  };
  const chosen = made(kept, false);
  const add = (step: Step) => ({ type: 'addStep' as const, step, ...(before ? { before } : {}) });
  const rest = others.filter((v) => v.made && v.key !== kept.key).map((v) => made(v, true));
  const oldAside: Step[] = old
    ? [{ ...old, id: freeId(model, `${old.tool}-before`, taken), name: `${old.name ?? old.tool} (variant)`.slice(0, 120), muted: true }]
    : [];
  return {
    label: `Try-off: ${kept.label} kept`,
    changes: [...(old ? [{ type: 'removeStep' as const, id: old.id }] : []), add(chosen), ...[...rest, ...oldAside].map(add)],
  };
}
