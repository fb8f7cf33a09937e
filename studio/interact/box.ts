import { cageInside } from './cage-hit.ts';
import type { Doc } from './doc.ts';
import { away, CLICK, type Mode, NONE, type Stage } from './mode.ts';

/** A box drawn with Shift: takes the visible pieces that lie wholly inside it, or of a cage that is edited all that lies in it, seen or not. A press that stays in place is a click with Shift. */
export function boxMode(stage: Stage, doc: () => Doc, click: Mode): Mode {
  return {
    name: 'box',
    drag: (at, from) => ({ overlay: { box: { from, to: at }, tip: null } }),
    release(at, from) {
      if (away(at, from) <= CLICK) return { overlay: { box: null }, ...(click.release?.(at, from) ?? NONE) };
      const d = doc();
      if (d.cage && !d.slot) {
        const { kind } = d.cage.caging;
        const names = cageInside(stage, d.cage.open, from, at, kind);
        return { overlay: { box: null }, commands: [{ do: 'cageChoose', kind, names, more: at.ctrl, box: true }] };
      }
      const inside = stage.inside(at, from, from.pane);
      const picks = inside.map((p) => ({ step: p.step, output: p.output }));
      if (!d.slot) return { overlay: { box: null }, commands: [{ do: 'select', picks, add: at.ctrl }] };
      const fit = inside.filter((p) => d.filter.piece(p.kind as never));
      return {
        overlay: { box: null },
        commands: fit.map((p) => ({ do: 'pick', pick: { step: p.step, output: p.output }, more: true, direct: true })),
      };
    },
    leave: () => ({ overlay: { box: null } }),
  };
}
