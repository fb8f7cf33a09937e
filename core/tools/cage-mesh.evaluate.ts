import { facesAsTriangles, smoothTriangles } from '../cage/index.ts';
import { defineEvaluation, failure } from '../recipe/index.ts';
import tool from './cage-mesh.ts';

const MOST = 2_000_000;

export default defineEvaluation(tool, (inputs, p) => {
  const { piece } = inputs.cage[0];
  if (piece.kind !== 'cage') return failure('no-cage', 'Pick a cage');
  const { cage } = piece;
  const quads = cage.shape.corners.length * 4 ** Math.max(0, p.steps - 1);
  if (2 * quads > MOST) return failure('too-many', `That would be ${2 * quads} triangles; ${MOST} are the most: take fewer steps`);
  const mesh = p.steps === 0 ? facesAsTriangles(cage) : smoothTriangles(cage, p.steps);
  return {
    outputs: { main: { kind: 'scan', mesh } },
    facts: [
      { label: 'triangles', value: String(mesh.indices.length / 3), number: mesh.indices.length / 3 },
      { label: 'corners', value: String(mesh.positions.length / 3), number: mesh.positions.length / 3 },
    ],
  };
});
