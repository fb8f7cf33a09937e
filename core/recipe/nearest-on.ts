import type { Vec3 } from '../math/index.ts';
import { probeOf, TriangleProbe } from '../proof/surface-probe.ts';
import type { Piece } from './pieces.ts';

const probes = new WeakMap<object, TriangleProbe>();
/** The nearest place of a scan (on its triangles) or of a skin or solid (on its exact surfaces) to a given one; nothing for other pieces. */
export function nearestOn(p: Piece): ((at: Vec3) => { readonly point: Vec3; readonly distance: number } | undefined) | undefined {
  if (p.kind === 'scan') {
    let probe = probes.get(p.mesh);
    if (!probe) {
      probe = new TriangleProbe(p.mesh.positions as Float64Array, p.mesh.indices);
      probes.set(p.mesh, probe);
    }
    const known = probe;
    return (at) => known.nearest(at);
  }
  if (p.kind !== 'skin' && p.kind !== 'solid') return undefined;
  const probe = probeOf(p.body);
  return (at) => probe.nearest(at);
}
