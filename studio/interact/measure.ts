import type { Vec3 } from '@ample-skin/core/math';
import { away, CLICK, type Mode, NONE, type PointerAt, type Stage } from './mode.ts';

/** The place in space under the pointer: a corner, a place on an edge, a curve or a face, whatever is nearest; undefined in the open. */
function placeAt(stage: Stage, at: PointerAt): { point: Vec3; kind: string } | undefined {
  const hit = stage.hits(at.x, at.y, { face: true, edge: true, vertex: true, piece: (k) => k !== 'picture' })[0];
  return hit && { point: hit.point, kind: hit.kind === 'vertex' ? 'corner' : hit.kind === 'piece' ? 'on it' : `on the ${hit.kind}` };
}
const text = (p: Vec3): string => p.map((x) => Number(x.toFixed(3))).join(', ');

/** Measuring: two clicks on what is there give their distance; a third begins anew, Escape ends. */
export function measureMode(stage: Stage): Mode {
  return {
    name: 'measure',
    hover(at) {
      const found = placeAt(stage, at);
      if (!found) return { overlay: { cursor: null, hover: null, tip: null, shape: 'crosshair' } };
      return {
        overlay: {
          cursor: found.point,
          hover: null,
          tip: { x: at.x, y: at.y, text: `${text(found.point)} · ${found.kind}` },
          shape: 'crosshair',
        },
      };
    },
    press: () => NONE,
    release(at, from) {
      if (away(at, from) > CLICK || from.button !== 0) return NONE;
      const found = placeAt(stage, at);
      if (found) return { commands: [{ do: 'measurePoint', at: found.point }] };
      return { commands: [{ do: 'nothingHere', why: 'Nothing here to measure from: click a corner, an edge, a curve or a face', at }] };
    },
    leave: () => ({ overlay: { cursor: null, tip: null } }),
  };
}
