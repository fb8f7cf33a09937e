import { formatNumber } from '../math/index.ts';
import { metaOf } from '../recipe/define.ts';
import { pickLabel, stepLabel } from '../recipe/labels.ts';
import type { Model, Pick, Step } from '../recipe/model.ts';
import type { Tool } from '../recipe/tool.ts';

export interface Difference {
  /** `added` and `removed` as seen from the first to the second. */
  readonly kind: 'added' | 'removed' | 'changed' | 'moved';
  /** The dial or step it is about, as a person calls it. */
  readonly what: string;
  /** What of it, such as "Width"; absent for all of it. */
  readonly of?: string;
  readonly before?: string;
  readonly after?: string;
  /** Id of the step in the model that has it. */
  readonly step?: string;
}
type Tools = ReadonlyMap<string, Tool>;

/** What of a recipe became what in another, in the order of the second; names and numbers as people read them. */
export function compareRecipes(a: Model, b: Model, tools: Tools): Difference[] {
  const out: Difference[] = [];
  if (a.tolerance !== b.tolerance)
    out.push({
      kind: 'changed',
      what: 'Tolerance',
      before: `${formatNumber(a.tolerance, 6)} mm`,
      after: `${formatNumber(b.tolerance, 6)} mm`,
    });
  if (a.unit !== b.unit) out.push({ kind: 'changed', what: 'Unit', before: a.unit, after: b.unit });
  for (const d of b.dials) {
    const before = a.dials.find((x) => x.name === d.name);
    if (!before) out.push({ kind: 'added', what: d.name, after: d.formula });
    else if (before.formula !== d.formula) out.push({ kind: 'changed', what: d.name, before: before.formula, after: d.formula });
  }
  for (const d of a.dials) if (!b.dials.some((x) => x.name === d.name)) out.push({ kind: 'removed', what: d.name, before: d.formula });
  const stays = moved(a, b);
  for (const s of b.steps) {
    const before = a.steps.find((x) => x.id === s.id);
    const what = stepLabel(s, tools);
    if (!before) {
      out.push({ kind: 'added', what, step: s.id, after: tools.get(s.tool)?.label ?? s.tool });
      continue;
    }
    if (!stays.has(s.id)) out.push({ kind: 'moved', what, step: s.id, before: placeOf(a, s.id), after: placeOf(b, s.id) });
    out.push(...compareSteps(before, s, a, b, tools));
  }
  for (const s of a.steps)
    if (!b.steps.some((x) => x.id === s.id))
      out.push({ kind: 'removed', what: stepLabel(s, tools), step: s.id, before: tools.get(s.tool)?.label ?? s.tool });
  const keys = [...new Set([...Object.keys(a.targets), ...Object.keys(b.targets)])].filter((k) => a.targets[k] !== b.targets[k]);
  if (keys.length)
    out.push({
      kind: 'changed',
      what: 'Targets of seams',
      before: `${Object.keys(a.targets).length}`,
      after: `${Object.keys(b.targets).length}`,
    });
  return out;
}
const placeOf = (m: Model, id: string): string => `step ${m.steps.findIndex((s) => s.id === id) + 1}`;
/** Steps of both that keep their order: a longest common run of the two lists. All others were moved. */
function moved(a: Model, b: Model): ReadonlySet<string> {
  const place = new Map(a.steps.map((s, i) => [s.id, i]));
  const common = b.steps.filter((s) => place.has(s.id)).map((s) => s.id);
  // longest increasing run of their places in the first (patience sorting)
  const tails: number[] = [];
  const before: (number | undefined)[] = [];
  common.forEach((id, i) => {
    const p = place.get(id) as number;
    let [low, high] = [0, tails.length];
    while (low < high) {
      const mid = (low + high) >> 1;
      if ((place.get(common[tails[mid]]) as number) < p) low = mid + 1;
      else high = mid;
    }
    before[i] = low ? tails[low - 1] : undefined;
    tails[low] = i;
  });
  const stays = new Set<string>();
  for (let i = tails.at(-1); i !== undefined; i = before[i]) stays.add(common[i]);
  return stays;
}
function compareSteps(a: Step, b: Step, inA: Model, inB: Model, tools: Tools): Difference[] {
  const what = stepLabel(b, tools);
  const out: Difference[] = [];
  const tell = (of: string, before: string | undefined, after: string | undefined) => {
    if (before !== after) out.push({ kind: 'changed', what, of, before: before ?? 'not set', after: after ?? 'not set', step: b.id });
  };
  const tool = tools.get(b.tool);
  tell('tool', tools.get(a.tool)?.label ?? a.tool, tool?.label ?? b.tool);
  tell('name', a.name, b.name);
  tell('muted', a.muted ? 'yes' : 'no', b.muted ? 'yes' : 'no');
  const fields = (tool?.params.shape ?? {}) as Record<string, Parameters<typeof metaOf>[0]>;
  for (const key of new Set([...Object.keys(a.params), ...Object.keys(b.params)])) {
    if (JSON.stringify(a.params[key]) === JSON.stringify(b.params[key])) continue;
    const meta = fields[key] && metaOf(fields[key]);
    const [x, y] = [valueText(a.params[key]), valueText(b.params[key])];
    const alike = x === y;
    tell(meta?.label || key, alike ? `${x}, as it was` : x, alike ? `${y}, otherwise` : y);
  }
  for (const slot of new Set([...Object.keys(a.inputs), ...Object.keys(b.inputs)])) {
    if (JSON.stringify(a.inputs[slot] ?? []) === JSON.stringify(b.inputs[slot] ?? [])) continue;
    const names = (picks: readonly Pick[] | undefined, m: Model) => picks?.map((p) => pickLabel(p, m, tools)).join(', ') || 'nothing';
    const [x, y] = [names(a.inputs[slot], inA), names(b.inputs[slot], inB)];
    tell(tool?.slots[slot]?.label ?? slot, x, x === y ? `${y}, picked anew` : y);
  }
  return out;
}
function valueText(x: unknown): string | undefined {
  if (x === undefined) return undefined;
  if (typeof x === 'number') return formatNumber(x, 6);
  if (typeof x === 'boolean') return x ? 'yes' : 'no';
  if (typeof x === 'string') return x;
  if (Array.isArray(x)) return x.length && Array.isArray(x[0]) ? `${x.length} points` : x.map((v) => valueText(v) ?? '').join(', ');
  return 'as drawn';
}
