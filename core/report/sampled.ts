import { type Body, type BodyMesh, bodyBox, meshBody } from '../brep/index.ts';
import { boxSize } from '../math/index.ts';
import { mapValues } from '../proof/index.ts';

/**
 * A mesh at whose nodes a body is asked (chord error a three-hundredth of its size), with `values` of a map at them. Nodes on edges are not
 * a number: a ray along the next face says nothing of the wall.
 */
export function sampled(b: Body): { readonly mesh: BodyMesh; readonly values: (field: Parameters<typeof mapValues>[2]) => Float64Array } {
  const size = boxSize(bodyBox(b));
  const mesh = meshBody(b, { chord: size / 300, angle: 0.3, longest: size / 20 });
  const onEdge = new Set(mesh.edgeShared);
  return {
    mesh,
    values: (field) => mapValues(b, mesh, field).values.map((x, i) => (onEdge.has(mesh.shared[i]) ? Number.NaN : x)),
  };
}
