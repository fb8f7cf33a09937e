import { fromTwoViews } from '../curves/index.ts';
import { type Frame, formatNumber } from '../math/index.ts';
import { joinCurves, type NurbsCurve, planeOf } from '../nurbs/index.ts';
import { curveResult, defineEvaluation, failure, type Input, inputCurves, inputPlane, withinFact } from '../recipe/index.ts';
import tool from './two-views.ts';

export default defineEvaluation(tool, (inputs, p) => {
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
  return { ...result, facts: [...(result.facts ?? []), withinFact('fitted within', r.deviation, p.tolerance)] };
});
