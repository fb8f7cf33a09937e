import type { Doc } from './doc.ts';
import { snapShown } from './draw.ts';
import { away, CLICK, type Mode, NONE, type Stage } from './mode.ts';

/** An open sketch: clicks draw with its tool, or choose points and curves when none is taken. `hitOf` finds what of the sketch lies there. */
export function sketchMode(stage: Stage, doc: () => Doc, hitOf: (stage: Stage, x: number, y: number) => string | undefined): Mode {
  return {
    name: 'sketch',
    hover(at) {
      const d = doc();
      if (d.sketch?.drawing) return snapShown(d.snaps(stage, at.x, at.y)[0], at, d);
      return { overlay: { cursor: null, hover: null, tip: null, shape: hitOf(stage, at.x, at.y) ? 'pointer' : 'default' } };
    },
    press: () => NONE,
    release(at, from) {
      if (away(at, from) > CLICK || from.button !== 0) return NONE;
      const d = doc();
      const hit = hitOf(stage, at.x, at.y);
      if (!d.sketch?.drawing) return { commands: [{ do: 'sketchChoose', id: hit, more: at.ctrl || at.shift }] };
      const snap = d.snaps(stage, at.x, at.y)[0];
      if (!snap) return NONE;
      const point = hit && d.sketch.points.includes(hit) ? hit : undefined;
      return { commands: [{ do: 'sketchClick', at: [snap.local[0], snap.local[1]], hit: point }] };
    },
    hold(at) {
      const d = doc();
      if (!d.sketch?.drawing) return NONE;
      const snaps = d.snaps(stage, at.x, at.y);
      return snaps.length > 1 ? { overlay: { list: { x: at.x, y: at.y, hits: [], snaps: snaps.slice(0, 9) }, tip: null } } : NONE;
    },
    leave: () => ({ overlay: { cursor: null, tip: null } }),
  };
}
