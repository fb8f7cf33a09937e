import { type Body, faceOnSurface, isWholeFace, surfaceBody } from '../brep/index.ts';
import type { NurbsSurface } from '../nurbs/index.ts';
import { withinFact } from './skin-result.ts';
import type { Diagnostic, Fact } from './tool.ts';

const TOLERANCE = 1e-5;
/**
 * A face whose surface was changed over the same parameters, with its trims: a whole surface gets borders of its own (and creases as
 * edges); a trimmed one keeps its loops, which lie on the new surface afterwards.
 */
export function carriedTrims(
  b: Body,
  face: number,
  surface: NurbsSurface,
  stepId: string,
): { body: Body; diagnostics: Diagnostic[]; facts: Fact[] } {
  const f = b.faces[face];
  if (isWholeFace(b, face)) {
    const made = surfaceBody(surface, { prefix: stepId, face: (i, j, n, m) => (n * m > 1 ? `${f.name}.${i}.${j}` : f.name) }).body;
    return {
      body: { ...made, faces: made.faces.map((x) => ({ ...x, reversed: f.reversed, colour: f.colour })) },
      diagnostics: [],
      facts: [],
    };
  }
  const r = faceOnSurface(b, face, surface, TOLERANCE / 10);
  return { body: r.body, diagnostics: [], facts: [withinFact('trims kept', r.deviation, TOLERANCE)] };
}
