import { boxSize, type Vec3 } from '../math/index.ts';
import { curvatureOf, surfaceJet } from '../nurbs/index.ts';
import { type Body, bodyBox } from './body.ts';
import { meshBody } from './mesh.ts';

/**
 * Smallest radius of curvature on the side towards which a wall grows. `inwards` looks against the outside. A wall thicker than this
 * radius would fold over itself at `at`. Sampled at the nodes of a mesh fine enough to follow the curvature.
 */
export function smallestInnerRadius(b: Body, inwards: boolean): { radius: number; at: Vec3 } {
  const mesh = meshBody(b, { chord: boxSize(bodyBox(b)) / 2000, angle: 0.25 });
  let best: { radius: number; at: Vec3 } = { radius: Infinity, at: [0, 0, 0] };
  b.faces.forEach((f, i) => {
    if (f.record?.type === 1) return;
    const seen = new Set<number>();
    const [first, count] = [mesh.faceRanges[2 * i], mesh.faceRanges[2 * i + 1]];
    for (let t = first; t < first + count; t++) {
      const n = mesh.indices[t];
      if (seen.has(n)) continue;
      seen.add(n);
      const c = curvatureOf(surfaceJet(f.surface, mesh.uv[2 * n], mesh.uv[2 * n + 1]));
      // curvature is positive when the surface bends towards its own normal
      const towards = f.reversed !== inwards ? -c.smallest : c.largest;
      if (towards > 0 && 1 / towards < best.radius) best = { radius: 1 / towards, at: [mesh.positions[3 * n], mesh.positions[3 * n + 1], mesh.positions[3 * n + 2]] };
    }
  });
  return best;
}
