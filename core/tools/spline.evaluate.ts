import { controlPointCurve } from '../nurbs/index.ts';
import { curveResult, defineEvaluation, drawingFrame, failure, onPlane } from '../recipe/index.ts';
import tool from './spline.ts';

export default defineEvaluation(tool, (inputs, p) => {
  const frame = drawingFrame(inputs.plane);
  if (!frame) return failure('not-flat', 'The plane picked is not flat');
  const least = p.closed ? 3 : 2;
  if (p.points.length < least) return failure('too-few', `Click at least ${least === 3 ? 'three' : 'two'} control points`);
  const weights = p.weights.length === p.points.length ? p.weights : undefined;
  if (weights?.some((w) => !(w > 0)))
    return failure('weight', `Weight ${weights.findIndex((w) => !(w > 0)) + 1} must be greater than zero`);
  const pts = onPlane(frame, p.flat ? p.points.map((q) => [q[0], q[1], 0] as const) : p.points);
  const r = curveResult(controlPointCurve(pts, p.degree, p.closed, weights));
  const notes = [];
  if (p.points.length - 1 < p.degree)
    notes.push({
      severity: 'note' as const,
      code: 'degree-lowered',
      message: `${p.points.length} control points allow degree ${p.points.length - 1}; that is used until there are more`,
    });
  if (p.weights.length && !weights)
    notes.push({
      severity: 'warning' as const,
      code: 'weight-count',
      message: `${p.weights.length} weights for ${p.points.length} points: the weights are left out`,
    });
  return { ...r, diagnostics: notes };
});
