import { type Edited, quadsOf, rowsCage } from '../cage/index.ts';
import { distance, type Vec3 } from '../math/index.ts';
import { domainU, domainV, isClosedU, isClosedV, isoU, isoV, lengthParameter, type NurbsCurve, surfacePoint } from '../nurbs/index.ts';
import { cageFacts, cageNotes, type Diagnostic, defineEvaluation, failure, inputBody, throughItsPoints } from '../recipe/index.ts';
import tool from './cage-from.ts';

const MOST = 20_000;

export default defineEvaluation(tool, (inputs, p, context) => {
  const input = inputs.of[0];
  const diagnostics: Diagnostic[] = [];
  let made: Edited;
  if (input.piece.kind === 'scan') {
    const count = input.piece.mesh.indices.length / 3;
    if (count > 2 * MOST)
      return failure('too-many', `The mesh has ${count} triangles, and a cage at most ${MOST} faces: trace it with lines and rows instead`);
    made = quadsOf(input.piece.mesh, p.flat);
  } else {
    const body = inputBody(input);
    const face = body?.faces[input.face ?? 0];
    if (!body || !face) return failure('no-skin', 'Pick a skin, a face or a scan');
    if (input.face === undefined && body.faces.length > 1)
      return failure('faces', `The skin has ${body.faces.length} faces: pick one of them`);
    const s = face.surface;
    const [[u0, u1], [v0, v1]] = [domainU(s), domainV(s)];
    const [roundU, roundV] = [isClosedU(s, 1e-6), isClosedV(s, 1e-6)];
    const [n, m] = [roundU ? Math.max(3, p.along) : p.along, roundV ? Math.max(3, p.across) : p.across];
    // even by length along the middle of the surface, whatever its parameters do
    const even = (c: NurbsCurve, parts: number, closed: boolean): number[] => {
      const by = lengthParameter(c);
      return Array.from({ length: parts + (closed ? 0 : 1) }, (_, i) => (by.total > 0 ? by.at((by.total * i) / parts) : i / parts));
    };
    const us = even(isoV(s, (v0 + v1) / 2), n, roundU);
    const vs = even(isoU(s, (u0 + u1) / 2), m, roundV);
    const rows = vs.map((v) => us.map((u): Vec3 => surfacePoint(s, u, v)));
    if (rows.some((r) => r.every((q) => distance(q, r[0]) < 1e-9)))
      return failure(
        'pole',
        'A side of this surface has no length: a grid would have faces without area there. Split it off, or pick another face',
      );
    made = rowsCage(context.stepId, face.reversed ? [...rows].reverse() : rows, { closedAlong: roundU, closedAcross: roundV });
    if (face.loops.length > 1 || face.loops[0].length > 4)
      diagnostics.push({ severity: 'note', code: 'trims', message: 'The face is trimmed: the cage is that of its whole surface' });
  }
  if (!made.ok) return failure('no-cage', made.message);
  let { cage } = made;
  if (p.through && input.piece.kind !== 'scan') {
    const r = throughItsPoints(cage);
    cage = r.cage;
    diagnostics.push(...r.diagnostics);
  }
  return { outputs: { main: { kind: 'cage', cage } }, facts: cageFacts(cage), diagnostics: [...diagnostics, ...cageNotes(cage)] };
});
