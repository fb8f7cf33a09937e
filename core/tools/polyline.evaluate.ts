import { polylineCurve } from '../nurbs/index.ts';
import { curveResult, defineEvaluation, doubled, drawingFrame, failure, onPlane } from '../recipe/index.ts';
import tool from './polyline.ts';

export default defineEvaluation(tool, (inputs, p) => {
  const frame = drawingFrame(inputs.plane);
  if (!frame) return failure('not-flat', 'The plane picked is not flat');
  if (p.points.length < (p.closed ? 3 : 2)) return failure('too-few', `Click at least ${p.closed ? 'three' : 'two'} points`);
  const pts = onPlane(frame, p.points);
  const twice = doubled(pts, p.closed);
  if (twice !== undefined)
    return failure('doubled', `Points ${twice + 1} and ${((twice + 1) % pts.length) + 1} fall together: move or remove one`, [pts[twice]]);
  return curveResult(polylineCurve(p.closed ? [...pts, pts[0]] : pts));
});
