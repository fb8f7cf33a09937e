import { type Body, massProperties } from '../brep/index.ts';
import { negate } from '../math/index.ts';
import { closestOnSurface, surfaceNormal } from '../nurbs/index.ts';
import type { Mark } from './tool.ts';

/** An arrow that sets a wall: on the largest face that is not left open, out of it or into it; for both sides half a wall long. */
export function wallArrow(b: Body, wall: number, side: 'in' | 'out' | 'both', open: readonly number[] = []): Mark {
  const face = b.faces
    .map((_, i) => ({ i, area: open.includes(i) ? -1 : massProperties(b, [i], true).area }))
    .reduce((best, f) => (f.area > best.area ? f : best)).i;
  const f = b.faces[face];
  const foot = closestOnSurface(f.surface, massProperties(b, [face], true).areaCentre);
  const n = surfaceNormal(f.surface, foot.u, foot.v);
  const outward = f.reversed ? negate(n) : n;
  return {
    kind: 'push',
    from: foot.point,
    direction: side === 'in' ? negate(outward) : outward,
    value: wall,
    rate: side === 'both' ? 0.5 : 1,
    label: 'Wall',
    param: 'wall',
    template: '$value',
    min: 1e-4,
  };
}
