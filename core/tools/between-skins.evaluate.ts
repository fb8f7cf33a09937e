import { type Body, BodyBuilder, joinEqualEdges, surfaceBody } from '../brep/index.ts';
import { sameFaces, withPoints } from '../cage/index.ts';
import { defineEvaluation, failure, type Input, inputBody, type Piece, surfaceFacts } from '../recipe/index.ts';
import { betweenPoints, betweenSurfaces } from '../skins/index.ts';
import tool from './between-skins.ts';

export default defineEvaluation(tool, (inputs, p, context) => {
  const shares = p.count === 1 ? [p.at] : Array.from({ length: p.count }, (_, i) => (i + 1) / (p.count + 1));
  const [a, b] = inputs.skins;
  const outputs: Record<string, Piece> = {};
  const name = (i: number) => (i === 0 ? 'main' : `step${i + 1}`);
  if (a.piece.kind === 'scan' || b.piece.kind === 'scan') {
    if (a.piece.kind !== 'scan' || b.piece.kind !== 'scan')
      return failure('mixed', 'Pick two skins or two scans: one of each has no in-between');
    const [x, y] = [a.piece.mesh, b.piece.mesh];
    if (x.positions.length !== y.positions.length || x.indices.length !== y.indices.length || x.indices.some((k, i) => k !== y.indices[i]))
      return failure(
        'unlike-meshes',
        `The meshes are not alike: ${x.positions.length / 3} corners and ${x.indices.length / 3} triangles, against ${y.positions.length / 3} and ${y.indices.length / 3}. In-betweens need the same corners in the same order`,
      );
    shares.forEach((t, i) => {
      outputs[name(i)] = { kind: 'scan', mesh: { positions: betweenPoints(x.positions, y.positions, t), indices: x.indices } };
    });
    return {
      outputs,
      facts: [
        { label: 'corners', value: String(x.positions.length / 3) },
        { label: 'triangles', value: String(x.indices.length / 3) },
      ],
    };
  }
  if (a.piece.kind === 'cage' || b.piece.kind === 'cage') {
    if (a.piece.kind !== 'cage' || b.piece.kind !== 'cage')
      return failure('mixed', 'Pick two cages: a cage and something else have no in-between');
    const [x, y] = [a.piece.cage, b.piece.cage];
    if (!sameFaces(x.shape, y.shape))
      return failure(
        'unlike-cages',
        `The cages are not alike: ${x.shape.vertices} vertices and ${x.shape.faces} faces, against ${y.shape.vertices} and ${y.shape.faces}. In-betweens need the same faces in the same order: copy one and move its vertices`,
      );
    shares.forEach((t, i) => {
      outputs[name(i)] = { kind: 'cage', cage: withPoints(x, betweenPoints(x.points, y.points, t)) };
    });
    return {
      outputs,
      facts: [
        { label: 'vertices', value: String(x.shape.vertices) },
        { label: 'faces', value: String(x.shape.faces) },
      ],
    };
  }
  const [fa, fb] = [facesOf(a), facesOf(b)];
  if (!fa || !fb) return failure('no-skin', 'Pick two skins');
  if (fa.length !== fb.length)
    return failure(
      'unlike-skins',
      `The skins have ${fa.length} and ${fb.length} faces: in-betweens need as many of each. Pick single faces`,
    );
  const surfaces = [];
  for (const [i, t] of shares.entries()) {
    const made = fa.map((f, k) => betweenSurfaces(f.surface, fb[k].surface, [t])[0]);
    surfaces.push(...made);
    const builder = new BodyBuilder(1e-5);
    made.forEach((s, k) => {
      const own = fa.length > 1 ? `${context.stepId}.${k + 1}` : context.stepId;
      surfaceBody(s, { prefix: own, face: (x, y, n, m) => `${own}:skin${n * m > 1 ? `.${x}.${y}` : ''}` }, builder);
    });
    const body = joinEqualEdges(builder).body;
    outputs[name(i)] = { kind: 'skin', body: { ...body, faces: body.faces.map((f) => ({ ...f, reversed: fa[0].reversed })) } };
  }
  const trimmed = [...fa, ...fb].some((f) => f.loops.length > 1 || f.loops[0].length > 4);
  return {
    outputs,
    facts: [...surfaceFacts(surfaces.slice(0, fa.length)), { label: 'steps', value: shares.map((t) => Number(t.toFixed(3))).join(', ') }],
    diagnostics: trimmed
      ? [{ severity: 'warning', code: 'trims', message: 'A face is trimmed: the in-betweens are of whole surfaces. Trim them afterwards' }]
      : [],
  };
});
function facesOf(i: Input): Body['faces'] | undefined {
  const b = inputBody(i);
  return b && (i.face === undefined ? b.faces : [b.faces[i.face]]);
}
