import { z } from 'zod';
import { fromTwoViews } from '../curves/index.ts';
import { type Frame, formatNumber } from '../math/index.ts';
import { joinCurves, type NurbsCurve, planeOf } from '../nurbs/index.ts';
import { curveResult, defineTool, failure, type Input, inputCurves, inputPlane, param, slot } from '../recipe/index.ts';

export default defineTool({
  id: 'two-views',
  version: 1,
  stage: 'curves',
  group: 'Derive',
  label: 'From two views',
  hint: 'The curve in space that looks like one flat curve from one side and like a second from another',
  icon: ['M3 20c3-3 6-3 9 0M15 4c-3 3-3 6 0 9', 'M12 20c5-2 8-8 6-15'],
  slots: {
    first: slot({ label: 'First view', accepts: ['chain'], min: 1, max: 1 }),
    second: slot({ label: 'Second view', accepts: ['chain'], min: 1, max: 1 }),
    planes: slot({
      label: 'Their planes',
      accepts: ['flat'],
      min: 0,
      max: 2,
      ordered: true,
      hint: 'Needed when a view is a straight line; otherwise the planes of the curves',
    }),
  },
  params: z.object({ tolerance: param.length({ label: 'Within', default: 0.00001, min: 1e-8, max: 1 }) }),
  examples: [],
  evaluate(inputs, p) {
    const read = (i: Input, k: number): { curve: NurbsCurve; plane: Frame } | string => {
      const list = inputCurves(i);
      if (!list.length) return `View ${k + 1} is not a curve`;
      const picked = inputs.planes[k] && inputPlane(inputs.planes[k]);
      const own = planeOf(list);
      const plane = picked ?? (own && own.deviation < 1e-3 ? own.frame : undefined);
      if (!plane)
        return own
          ? `View ${k + 1} is ${formatNumber(own.deviation, 4)} mm out of flat: a view is a flat curve`
          : `View ${k + 1} is straight: pick its plane`;
      return { curve: joinCurves(list), plane };
    };
    const a = read(inputs.first[0], 0);
    const b = read(inputs.second[0], 1);
    if (typeof a === 'string') return failure('view', a);
    if (typeof b === 'string') return failure('view', b);
    const r = fromTwoViews(a.curve, a.plane, b.curve, b.plane, p.tolerance);
    if (!r.ok) return failure('view', r.message, r.place && [r.place]);
    const result = curveResult(r.curve);
    return { ...result, facts: [...(result.facts ?? []), { label: 'fitted within', value: `${formatNumber(r.deviation, 8)} mm` }] };
  },
});
