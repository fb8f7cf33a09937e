import { domainU, domainV } from '../nurbs/index.ts';
import { type Body, topologyOf, useUV } from './body.ts';

/** Which side of its face's surface an edge runs along, if it is a whole one. */
export function sideOf(b: Body, edge: number): { readonly face: number; readonly side: 'u0' | 'u1' | 'v0' | 'v1' } | undefined {
  const r = topologyOf(b).uses[edge];
  if (r?.length !== 1) return undefined;
  const { face, use } = r[0];
  const f = b.faces[face];
  if (f.turnU || f.turnV || f.record) return undefined;
  const [a, z] = b.edges[edge].range;
  const at = [0, 0.3, 0.7, 1].map((x) => useUV(f, use, a + (z - a) * x));
  const [ru, rv] = [domainU(f.surface), domainV(f.surface)];
  const whole = (k: 0 | 1, range: readonly [number, number]) =>
    Math.abs(Math.abs(at[0][k] - at[3][k]) - (range[1] - range[0])) < 1e-9 * (range[1] - range[0]);
  const on = (k: 0 | 1, value: number, range: readonly [number, number]) =>
    at.every((q) => Math.abs(q[k] - value) < 1e-9 * (range[1] - range[0]));
  let side: 'u0' | 'u1' | 'v0' | 'v1' | undefined;
  if (whole(1, rv)) side = on(0, ru[0], ru) ? 'u0' : on(0, ru[1], ru) ? 'u1' : undefined;
  if (!side && whole(0, ru)) side = on(1, rv[0], rv) ? 'v0' : on(1, rv[1], rv) ? 'v1' : undefined;
  return side && { face, side };
}
