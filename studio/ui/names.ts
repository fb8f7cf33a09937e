import type { Pick, Step } from '@ample-skin/core/recipe';
import { TOOLS } from '@ample-skin/core/tools';
import { effectiveModel, getStudio } from '../state/store.ts';

export const stepName = (s: Step): string => s.name ?? TOOLS.get(s.tool)?.label ?? s.tool;

/** What a person calls a picked thing. */
export function pickName(p: Pick): string {
  const model = effectiveModel();
  const step = model.steps.find((s) => s.id === p.step);
  if (!step) return 'removed';
  const key = `${p.step}/${p.output}`;
  const label = model.pieces[key]?.name ?? getStudio().pieces.get(key)?.label;
  const base = label ?? (p.output === 'main' ? stepName(step) : `${stepName(step)} · ${p.output}`);
  return p.part ? `${base} · ${partLabel(p.part.name, p.part.kind)}` : base;
}
/** Names of faces and edges carry step ids; people see the role, and the step's own name where it differs. */
export function partLabel(name: string, kind: string): string {
  const model = effectiveModel();
  const cut = /^(.+?)\.cut\((.+)\)$/.exec(name);
  if (cut) return `cut by ${nameOfId(cut[1]) ?? 'a cutter'}`;
  const at = name.indexOf(':');
  const dot = name.indexOf('.');
  const i = at >= 0 ? at : dot;
  if (i < 0) return name || kind;
  const owner = model.steps.find((s) => s.id === name.slice(0, i));
  const role = name
    .slice(i + 1)
    .replace(/\.inner$/, ' (inside)')
    .replace(/^u0|^v0/, 'start rim')
    .replace(/^u1|^v1/, 'end rim')
    .replace(/^seam[UV]/, 'seam line')
    .replace(/-/g, ' ')
    .replace(/\./g, ' ');
  return owner ? `${role}` : name;
}
function nameOfId(id: string): string | undefined {
  const s = effectiveModel().steps.find((x) => x.id === id.replace(/\.\d+$/, ''));
  return s && stepName(s);
}
/** Face name with the step it came from. */
export function faceLabel(name: string): string {
  const at = name.indexOf(':');
  if (at < 0) return name;
  const step = nameOfId(name.slice(0, at));
  const role = name
    .slice(at + 1)
    .replace(/\.inner$/, ' inside')
    .replace(/-/g, ' ');
  return step ? `${step}${role === 'side' || role === 'region' ? '' : ` ${role}`}` : name;
}
