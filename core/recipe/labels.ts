import { digestText } from '../math/hash.ts';
import type { Model, Pick, Step } from './model.ts';
import type { Tool } from './tool.ts';

type Tools = ReadonlyMap<string, Tool>;
/** What a person calls a step: the name given, else its tool's. */
export const stepLabel = (s: Step, tools: Tools): string => s.name ?? tools.get(s.tool)?.label ?? s.tool;

const roleText = (role: string): string =>
  // faces that come of a cage are named by what made them: a number tells them apart
  (/[(#~]| of \d/.test(role) ? `face ${1000 + (Number.parseInt(digestText(role).slice(0, 6), 16) % 9000)}` : role)
    .replace(/\.inner$/, ' (inside)')
    .replace(/\.outer$/, ' (outside)')
    .replace(/^[uv]0/, 'start rim')
    .replace(/^[uv]1/, 'end rim')
    .replace(/^seam[UV]/, 'seam line')
    .replace(/[-.]/g, ' ');

/**
 * Names of faces and edges carry ids of steps (`id:role`, `id.cut(cutter)`); people see the step's own name and the role. `owner`
 * says whether the step's name stands before the role.
 */
export function partLabel(name: string, kind: string, model: Model, tools: Tools, owner = true): string {
  const named = (id: string): string | undefined => {
    const s = model.steps.find((x) => x.id === id) ?? model.steps.find((x) => x.id === id.replace(/\.\d+$/, ''));
    return s && stepLabel(s, tools);
  };
  const cut = /^(.+?)\.cut\((.+)\)$/.exec(name);
  if (cut) return `cut by ${named(cut[1]) ?? 'a cutter'}`;
  const at = name.indexOf(':');
  const dot = name.indexOf('.');
  const i = at >= 0 ? at : dot;
  if (i < 0) return name || kind;
  const step = named(name.slice(0, i));
  if (!step) return name;
  const role = roleText(name.slice(i + 1));
  return !owner ? role : role === 'side' || role === 'region' ? step : `${step} ${role}`;
}

/** What a person calls a picked thing. `label` is the piece's own, where it has one. */
export function pickLabel(p: Pick, model: Model, tools: Tools, label?: string): string {
  const step = model.steps.find((s) => s.id === p.step);
  if (!step) return 'removed';
  const given = model.pieces[`${p.step}/${p.output}`]?.name ?? label;
  const base = given ?? (p.output === 'main' ? stepLabel(step, tools) : `${stepLabel(step, tools)} · ${p.output}`);
  const grown = p.grow ? { chain: 'chain', loop: 'loop', rim: 'rim', smooth: 'smooth area' }[p.grow.way] : undefined;
  return p.part ? `${base} · ${grown ?? partLabel(p.part.name, p.part.kind, model, tools, false)}` : base;
}

/** Puts people's names where a message holds names of parts: an id never reaches a person. */
export function withNames(message: string, model: Model, tools: Tools): string {
  const ids = new Set(model.steps.map((s) => s.id));
  return message.replace(/([A-Za-z0-9_-]+)(?:\.\d+)?(?::[\w.-]+|\.cut\([^)]*\))(?:\.cut\([^)]*\))*(?:\.[\w-]+)*/g, (whole, id: string) =>
    ids.has(id) ? partLabel(whole, 'part', model, tools) : whole,
  );
}
