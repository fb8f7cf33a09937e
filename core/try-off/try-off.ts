import type { Body } from '../brep/index.ts';
import { type EvaluateOptions, evaluateModel, freeId, type Model, type Pick, type StepResult } from '../recipe/index.ts';
import { type FillingNumbers, measureFilling } from './measure.ts';
import { type Method, methodsFor } from './methods.ts';
import { pickedSides } from './sides.ts';

/** A method that was tried: its step and shape with numbers, or why there is none. */
export interface Variant {
  readonly key: string;
  readonly label: string;
  readonly about: string;
  readonly step: Method['step'];
  readonly made?: { readonly numbers: FillingNumbers; readonly ms: number; readonly warnings: readonly string[] };
  readonly body?: Body;
  readonly why?: string;
}
export type TriedOff =
  | { readonly ok: true; readonly what: string; readonly variants: readonly Variant[]; readonly of: number }
  | { readonly ok: false; readonly message: string; readonly place?: readonly (readonly number[])[] };

/**
 * Builds what is picked (an opening, or two borders) by every method that takes it, each on a copy of the model, and measures them alike.
 * `onVariant` is told of each as it is there. The model itself is not touched. `ms` is the time of the step alone.
 */
export async function tryOff(
  model: Model,
  picks: readonly Pick[],
  results: ReadonlyMap<string, StepResult>,
  options: EvaluateOptions,
  onVariant?: (v: Variant, of: number) => void,
): Promise<TriedOff> {
  const picked = pickedSides(picks, model, results, options.tools);
  if (picked.kind === 'neither') return { ok: false, message: picked.message, place: picked.place };
  const rim = picked.sides.flat();
  const variants: Variant[] = [];
  const methods = methodsFor(picked);
  for (const m of methods) {
    if (options.signal?.aborted) break;
    const v = await tried(model, m, options, (b) => measureFilling(b, rim));
    variants.push(v);
    onVariant?.(v, methods.length);
  }
  const what =
    picked.kind === 'pair'
      ? 'two borders'
      : picked.cornerless
        ? 'an opening without corners'
        : `an opening of ${picked.sides.length} ${picked.sides.length === 1 ? 'side' : 'sides'}`;
  return { ok: true, what, variants, of: methods.length };
}
async function tried(model: Model, m: Method, options: EvaluateOptions, measure: (b: Body) => FillingNumbers): Promise<Variant> {
  const id = freeId(model, 'try-off');
  const { key, label, about, step } = m;
  const result = await evaluateModel(
    { ...model, steps: [...model.steps, { ...step, id, version: options.tools.get(step.tool)?.version ?? 1 }] },
    { ...options, until: id, looks: false, onStep: undefined, onStart: undefined },
  );
  const r = result.steps.get(id);
  const piece = r?.outputs.main;
  if (!r || r.stale || (r.status !== 'fine' && r.status !== 'warning') || !piece || (piece.kind !== 'skin' && piece.kind !== 'solid'))
    return { key, label, about, step, why: r?.diagnostics[0]?.message ?? 'it gives no skin' };
  const warnings = r.diagnostics.filter((d) => d.severity === 'warning').map((d) => d.message);
  return { key, label, about, step, body: piece.body, made: { numbers: measure(piece.body), ms: r.ms, warnings } };
}
