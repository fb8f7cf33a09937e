import { formatNumber } from '../math/index.ts';
import { isClosedU, isClosedV } from '../nurbs/index.ts';
import { carriedTrims } from '../recipe/carried-trims.ts';
import { deviationMarks } from '../recipe/deviation.ts';
import { defineEvaluation, failure, inputBody, type Mark, surfaceFacts } from '../recipe/index.ts';
import { refitSurface } from '../skins/index.ts';
import tool from './refit-skin.ts';

export default defineEvaluation(tool, (inputs, p, context) => {
  const input = inputs.skin[0];
  const body = inputBody(input);
  if (!body) return failure('no-skin', 'Pick a skin');
  const face = input.face ?? (body.faces.length === 1 ? 0 : undefined);
  if (face === undefined) return failure('several-faces', `This skin has ${body.faces.length} faces: pick one of them`);
  const f = body.faces[face];
  const s = f.surface;
  if (p.by === 'count' && (p.pointsU <= p.degreeU || p.pointsV <= p.degreeV))
    return failure('too-few-points', `Degree ${p.degreeU} × ${p.degreeV} needs at least ${p.degreeU + 1} × ${p.degreeV + 1} points`);
  const r = refitSurface(s, {
    degreeU: p.degreeU,
    degreeV: p.degreeV,
    size: p.by === 'count' ? { countU: p.pointsU, countV: p.pointsV } : { tolerance: p.tolerance },
  });
  const made = carriedTrims(body, face, r.surface, context.stepId);
  const limit = p.by === 'count' ? p.allowed : p.tolerance;
  const marks: Mark[] = deviationMarks(r.surface, r.map, r.columns, limit);
  return {
    outputs: { main: { kind: 'skin', body: made.body } },
    diagnostics: made.diagnostics,
    marks,
    facts: [
      ...surfaceFacts([r.surface]),
      ...made.facts,
      { label: 'before', value: `${s.countU} × ${s.countV}` },
      { label: 'deviation', value: `${formatNumber(r.deviation, 5)} mm`, number: r.deviation, unit: 'mm', ...(limit > 0 ? { limit } : {}) },
      ...(isClosedU(s, 1e-7) || isClosedV(s, 1e-7) ? [{ label: 'closed', value: 'and stays so' }] : []),
    ],
  };
});
