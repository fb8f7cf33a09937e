import type { Change, Model, Pick, PieceGroup, PieceLook } from '@ample-skin/core/recipe';
import type { PieceView } from '@ample-skin/engine';
import { customAlphabet } from 'nanoid';
import { change } from './document.ts';
import { getStudio } from './state.ts';

const groupId = customAlphabet('0123456789abcdefghijkmnpqrstuvwxyz', 8);
export const pickOf = (p: PieceView): Pick => ({ step: p.step, output: p.output });
const ownLook = (key: string): PieceLook => getStudio().model.pieces[key] ?? {};

/** Change of a piece's look; a look that says nothing is dropped. */
export function lookChange(key: string, more: PieceLook): Change {
  const look = Object.fromEntries(
    Object.entries({ ...ownLook(key), ...more }).filter(([, v]) => v !== undefined && v !== false),
  ) as PieceLook;
  return { type: 'setPiece', key, look: Object.keys(look).length ? look : null };
}
export const setLooks = (label: string, pieces: readonly PieceView[], more: PieceLook): boolean =>
  change(label, ...pieces.map((p) => lookChange(p.key, more)));

export function newGroup(model: Model): PieceGroup {
  const names = new Set(model.groups.map((g) => g.name));
  let n = model.groups.length + 1;
  while (names.has(`Group ${n}`)) n++;
  return { id: `g${groupId()}`, name: `Group ${n}` };
}
/** Puts pieces together in a new group. */
export function bundle(pieces: readonly PieceView[]): void {
  const g = newGroup(getStudio().model);
  change('New group', { type: 'setGroup', id: g.id, group: g }, ...pieces.map((p) => lookChange(p.key, { group: g.id })));
}
export const setGroup = (group: PieceGroup, label: string, more: Partial<PieceGroup>): boolean =>
  change(label, { type: 'setGroup', id: group.id, group: { ...group, ...more } });
/** Takes a group away; its pieces stay. */
export function removeGroup(group: PieceGroup): void {
  const freed = Object.entries(getStudio().model.pieces).flatMap(([key, l]): Change[] =>
    l.group === group.id ? [lookChange(key, { group: undefined })] : [],
  );
  change('Remove group', ...freed, { type: 'setGroup', id: group.id, group: null });
}
