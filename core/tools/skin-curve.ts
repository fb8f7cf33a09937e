import { z } from 'zod';
import { splineOnFace } from '../curves/index.ts';
import { formatNumber } from '../math/index.ts';
import { curveResult, defineTool, failure, inputBody, type Mark, param, slot } from '../recipe/index.ts';

export default defineTool({
  id: 'skin-curve',
  version: 1,
  stage: 'curves',
  group: 'From skins',
  label: 'Spline on skin',
  hint: 'A spline through points on a face that stays on it, also when the face changes',
  icon: ['M3 17c6-6 12-6 18 0', 'M6 14.500c2-3 4 1 6-1.500s4 0 6 1.500'],
  slots: { face: slot({ label: 'On face', accepts: ['face'], min: 1, max: 1 }) },
  params: z.object({
    places: param.places({ label: 'Points', hint: 'Click on the face' }),
    closed: param.toggle({ label: 'Closed', default: false }),
    degree: param.integer({ label: 'Degree', default: 3, min: 1, max: 5 }),
    tolerance: param.length({ label: 'Within', default: 0.000005, min: 1e-8, max: 1 }),
  }),
  examples: [],
  evaluate(inputs, p) {
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
      facts: [...(result.facts ?? []), { label: 'on the skin within', value: `${formatNumber(r.deviation, 8)} mm` }],
      diagnostics:
        r.moved > 1e-3
          ? [{ severity: 'note', code: 'pulled', message: `Points were pulled onto the face by up to ${formatNumber(r.moved, 3)} mm` }]
          : [],
    };
  },
});
