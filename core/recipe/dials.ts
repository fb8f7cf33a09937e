import { evaluateFormula, formulaNames } from '../math/index.ts';
import type { Model } from './model.ts';

export type DialValue = { readonly ok: true; readonly value: number } | { readonly ok: false; readonly message: string };

/** Values of all dials; formulas may refer to other dials, cycles and unknown names are told. */
export function dialValues(model: Model, overrides?: ReadonlyMap<string, number>): Map<string, DialValue> {
  const out = new Map<string, DialValue>();
  const byName = new Map(model.dials.map((d) => [d.name, d]));
  const visit = (name: string, trail: string[]): DialValue => {
    const known = out.get(name);
    if (known) return known;
    const forced = overrides?.get(name);
    if (forced !== undefined) {
      const v: DialValue = { ok: true, value: forced };
      out.set(name, v);
      return v;
    }
    const dial = byName.get(name);
    if (!dial) return { ok: false, message: `there is no dial called "${name}"` };
    if (trail.includes(name))
      return { ok: false, message: `the dials ${[...trail.slice(trail.indexOf(name)), name].join(' → ')} refer to each other in a circle` };
    const names = new Map<string, number>();
    let result: DialValue | undefined;
    for (const n of formulaNames(dial.formula)) {
      const v = visit(n, [...trail, name]);
      if (v.ok) names.set(n, v.value);
      else {
        result = v;
        break;
      }
    }
    result ??= evaluateFormula(dial.formula, names);
    out.set(name, result);
    return result;
  };
  for (const d of model.dials) visit(d.name, []);
  return out;
}
