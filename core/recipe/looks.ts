import { type Look, type Model, type PieceGroup, pieceKey } from './model.ts';
import type { Tool } from './tool.ts';

/** How a piece stands in the model: its own look, else its group's. */
export interface Standing {
  readonly name?: string;
  readonly group?: PieceGroup;
  readonly hidden: boolean;
  readonly locked: boolean;
  readonly colour?: string;
  readonly look?: Look;
}

/**
 * Standing of pieces by key. A piece that says nothing of its group or colour takes both from the first piece that its step took over: a
 * skin that is trimmed stays in its group.
 */
export function standings(model: Model, tools: ReadonlyMap<string, Tool>): (key: string) => Standing {
  const groups = new Map(model.groups.map((g) => [g.id, g]));
  const steps = new Map(model.steps.map((s) => [s.id, s]));
  const heirs = new Map<string, { group?: string; colour?: string }>();
  const inherited = (key: string, depth: number): { group?: string; colour?: string } => {
    const known = heirs.get(key);
    if (known) return known;
    const own = model.pieces[key];
    let from: { group?: string; colour?: string } = {};
    const step = steps.get(key.slice(0, key.indexOf('/')));
    const tool = step && tools.get(step.tool);
    if (step && tool && depth < 200 && (own?.group === undefined || own.colour === undefined)) {
      const all = Object.entries(tool.slots).flatMap(([name, slot]) => (slot.consumes === true ? (step.inputs[name] ?? []) : []));
      const output = key.slice(key.indexOf('/') + 1);
      const taken = all[Number(/\d+$/.exec(output)?.[0] ?? 1) - 1] ?? all[0];
      if (taken && taken.step !== step.id) from = inherited(pieceKey(taken.step, taken.output), depth + 1);
    }
    const r = { group: own?.group ?? from.group, colour: own?.colour ?? from.colour };
    heirs.set(key, r);
    return r;
  };
  return (key) => {
    const own = model.pieces[key];
    const r = inherited(key, 0);
    const group = r.group ? groups.get(r.group) : undefined;
    return {
      name: own?.name,
      group,
      hidden: !!own?.hidden || !!group?.hidden,
      locked: !!own?.locked || !!group?.locked,
      colour: r.colour ?? group?.colour,
      look: own?.look,
    };
  };
}
