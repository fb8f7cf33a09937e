import { smoothTriangles } from '../cage/index.ts';
import type { OutPart } from '../exchange/index.ts';
import { livePieces, type Model, type ModelResult, standings, type Tool } from '../recipe/index.ts';

/** Pieces of a model that are seen, with their names, groups and colours, as they go into files. Helpers that are hidden are left out. */
export function seenParts(model: Model, result: ModelResult, tools: ReadonlyMap<string, Tool>): OutPart[] {
  const standing = standings(model, tools);
  return livePieces(model, result, tools).flatMap(({ piece, step, key }): OutPart[] => {
    const stands = standing(key);
    if (stands.hidden) return [];
    const words = (stands.name ?? piece.label ?? step.name ?? model.name).split(' / ');
    const path = [...(stands.group ? [stands.group.name] : []), ...words.slice(0, -1)];
    const common = { name: words.at(-1) as string, path, colour: stands.colour };
    if (piece.kind === 'skin' || piece.kind === 'solid') return [{ ...common, body: piece.body }];
    if (piece.kind === 'curve') return [{ ...common, curves: piece.curves }];
    if (piece.kind === 'cage') return [{ ...common, mesh: smoothTriangles(piece.cage, 3) }];
    return piece.kind === 'scan' ? [{ ...common, mesh: piece.mesh }] : [];
  });
}
/** What goes out by default: solids when there are any, else all skins. */
export function mainOf<T extends OutPart>(parts: readonly T[]): (T & { body: NonNullable<OutPart['body']> })[] {
  const bodies = parts.flatMap((p) => (p.body ? [{ ...p, body: p.body }] : []));
  const solids = bodies.filter((p) => p.body.solids.length);
  return solids.length ? solids : bodies;
}
