import { type Body, Border, topologyOf } from '../brep/index.ts';
import { distance, length } from '../math/index.ts';
import { domainV, growSurface, type NurbsSurface, surfaceJet, surfacePoint } from '../nurbs/index.ts';
import { type BlendGrade, blend } from '../skins/index.ts';
import { type FilletOptions, type NoFillet, no } from './options.ts';
import type { RunOutRails } from './run-out.ts';

export interface SmoothStrip {
  readonly surface: NurbsSurface;
  /** The same, carried on at the ends where it is to be cut in what stands there. */
  readonly long: (at: readonly boolean[]) => NurbsSurface;
  readonly off: number;
}
/**
 * A section of a chosen grade between the rims that the rails left: a blend over both, held by its continuity along the rails. u runs from
 * the left face to the right one.
 */
export function smoothStrip(kept: Body, grade: BlendGrade, o: FilletOptions, outs?: RunOutRails): SmoothStrip | NoFillet {
  const rims = topologyOf(kept).rims;
  const borders = [1, 2].map((k) => {
    if (outs) return outs.rail(kept, o.name, (k - 1) as 0 | 1);
    const edges = rims.filter((e) => kept.edges[e].name.startsWith(`${o.name}.rail${k}.`));
    return edges.length ? new Border(edges.map((edge) => ({ body: kept, edge, part: [0, 1] as const, side: 0 as const }))) : undefined;
  });
  const [first, second] = borders;
  if (!first || !second) return no('not-drawn', 'Nothing of the faces is left beside the fillet');
  const side = (border: Border) => ({ border, grade, reach: () => o.reach });
  const tight = Math.min(5e-5, 0.05 * o.tolerance);
  const r = blend(side(first), side(second), {
    aim: { gap: tight, kink: 0.01, step: 0.5 },
    across: 'best',
    ends: [{ kind: 'free' }, { kind: 'free' }],
  });
  if (!r.ok) return no(r.code, r.message, r.place);
  const { surface } = r.result;
  if (r.result.closed) return { surface, long: () => surface, off: tight };
  const [v0, v1] = domainV(surface);
  const [before, after] = [v0, v1].map((v) => {
    const wide = distance(surfacePoint(surface, 0, v), surfacePoint(surface, 1, v));
    return (0.6 * wide) / (length(surfaceJet(surface, 0.5, v).v) || 1);
  });
  return {
    surface,
    long: (at) => growSurface(surface, [0, 0, at[0] ? before : 0, at[1] ? after : 0], 'natural') ?? surface,
    off: tight,
  };
}
