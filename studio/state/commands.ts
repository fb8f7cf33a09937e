import { pieceKey } from '@ample-skin/core/recipe';
import { change, getStudio, setStudio } from './store.ts';

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
  const isHidden = (k: string) => !!s.model.pieces[k]?.hidden;
  if (only) {
    const others = all.filter((p) => !keys.has(p.key));
    const restore = !keys.size || others.every((p) => isHidden(p.key));
    const list = restore ? all.filter((p) => isHidden(p.key)) : others.filter((p) => !isHidden(p.key));
    if (list.length) change(restore ? 'Show all' : 'Show only the selection', ...list.map((p) => ({ type: 'setPiece' as const, key: p.key, look: { ...s.model.pieces[p.key], hidden: !restore } })));
  } else if (keys.size) {
    change('Hide', ...[...keys].map((key) => ({ type: 'setPiece' as const, key, look: { ...s.model.pieces[key], hidden: !isHidden(key) } })));
    setStudio({ selection: [] });
  }
}
