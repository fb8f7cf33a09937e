import { splineOnFace } from '../curves/index.ts';
import { formatNumber } from '../math/index.ts';
import { curveResult, defineEvaluation, failure, inputBody, type Mark, withinFact } from '../recipe/index.ts';
import tool from './skin-curve.ts';

export default defineEvaluation(tool, (inputs, p) => {
  const input = inputs.face[0];
  const body = inputBody(input);
  if (!body || input.face === undefined) return failure('no-face', 'Pick a face');
  const least = p.closed ? 3 : 2;
  if (p.places.length < least) return failure('too-few', `Click at least ${least === 3 ? 'three' : 'two'} points on the face`, p.places);
  const r = splineOnFace(body, input.face, p.places, p);
  if (!r.ok) return failure('off-face', r.message, r.place && [r.place]);
  const result = curveResult(r.curve);
  const marks: Mark[] = r.points.map((at, i) => ({
    kind: 'grip',
    at,
    label: String(i + 1),
    param: 'places',
    template: p.places.map((q, k) => (k === i ? '$point' : q)),
  }));
  return {
    ...result,
    marks,
    facts: [...(result.facts ?? []), withinFact('on the skin within', r.deviation, p.tolerance)],
    diagnostics:
      r.moved > 1e-3
        ? [{ severity: 'note', code: 'pulled', message: `Points were pulled onto the face by up to ${formatNumber(r.moved, 3)} mm` }]
        : [],
  };
});
