import { type Change, pieceKey } from '@ample-skin/core/recipe';
import { change, getStudio, setStudio, standingOf } from './store.ts';

/** The active plane and the world, turn about. */
export function togglePlane(): void {
  const s = getStudio();
  if (s.plane) setStudio({ plane: undefined, lastPlane: s.plane });
  else if (s.lastPlane) setStudio({ plane: s.lastPlane });
  else {
    const first = [...s.pieces.values()].find((p) => p.kind === 'plane');
    if (first) setStudio({ plane: { step: first.step, output: first.output } });
  }
}
export function nextView(): void {
  window.dispatchEvent(new Event('ample-view'));
}
/** Hides the selected pieces, or all others; with everything else hidden already, shows all. */
export function hideSelection(only: boolean): void {
  const s = getStudio();
  const keys = new Set(s.selection.map((p) => pieceKey(p.step, p.output)));
  const all = [...s.pieces.values()].filter((p) => p.live);
  const standing = standingOf();
  const isHidden = (k: string) => standing(k).hidden;
  const set = (key: string, hidden: boolean): Change => ({ type: 'setPiece', key, look: { ...s.model.pieces[key], hidden } });
  if (only) {
    const others = all.filter((p) => !keys.has(p.key));
    const restore = !keys.size || others.every((p) => isHidden(p.key));
    const list = restore ? all.filter((p) => s.model.pieces[p.key]?.hidden) : others.filter((p) => !isHidden(p.key));
    const groups = restore
      ? s.model.groups.filter((g) => g.hidden).map((g): Change => ({ type: 'setGroup', id: g.id, group: { ...g, hidden: undefined } }))
      : [];
    if (list.length + groups.length)
      change(restore ? 'Show all' : 'Show only the selection', ...list.map((p) => set(p.key, !restore)), ...groups);
  } else if (keys.size) {
    change('Hide', ...[...keys].map((key) => set(key, !isHidden(key))));
    setStudio({ selection: [] });
  }
}
