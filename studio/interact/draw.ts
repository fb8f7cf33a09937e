import { toWorld } from '@ample-skin/core/math';
import type { Doc } from './doc.ts';
import { away, CLICK, type Mode, NONE, type PointerAt, type Reaction, type Stage } from './mode.ts';
import type { Snap } from './snaps.ts';

/** What is shown of the place where a click would go. */
export function snapShown(snap: Snap | undefined, at: PointerAt, doc: Doc): Reaction {
  if (!snap) return { overlay: { cursor: null, tip: null } };
  const label = snap.kind === 'grid' || snap.kind === 'free' ? '' : ` · ${snap.label}`;
  const text = `${Number(snap.local[0].toFixed(3))}, ${Number(snap.local[1].toFixed(3))}${label}`;
  return { overlay: { cursor: toWorld(doc.frame, snap.local), hover: null, tip: { x: at.x, y: at.y, text }, shape: 'crosshair' } };
}

/** Drawing: each click sets a point on the plane drawn on, at the best snap; a held press lists the snaps. */
export function drawMode(stage: Stage, doc: () => Doc): Mode {
  return {
    name: 'draw',
    hover(at) {
      const d = doc();
      return snapShown(d.snaps(stage, at.x, at.y)[0], at, d);
    },
    press: () => NONE,
    release(at, from) {
      if (away(at, from) > CLICK || from.button !== 0) return NONE;
      const snap = doc().snaps(stage, at.x, at.y)[0];
      return snap ? { commands: [{ do: 'addPoint', at: snap.local }] } : NONE;
    },
    hold(at) {
      const snaps = doc().snaps(stage, at.x, at.y);
      return snaps.length > 1 ? { overlay: { list: { x: at.x, y: at.y, hits: [], snaps: snaps.slice(0, 9) }, tip: null } } : NONE;
    },
    leave: () => ({ overlay: { cursor: null, tip: null } }),
  };
}
