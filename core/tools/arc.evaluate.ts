import { tangentArc, threePointArc } from '../curves/index.ts';
import { DEG, distance, sub, toWorld } from '../math/index.ts';
import { circleCurve, derivativesAt, domain } from '../nurbs/index.ts';
import { curveResult, defineEvaluation, drawingFrame, failure, inputCurves, onPlane } from '../recipe/index.ts';
import tool from './arc.ts';

export default defineEvaluation(tool, (inputs, p) => {
  const frame = drawingFrame(inputs.plane);
  if (!frame) return failure('not-flat', 'The plane picked is not flat');
  const pts = onPlane(frame, p.points);
  if (p.by === 'tangent') {
    const from = inputs.from[0] && inputCurves(inputs.from[0]);
    if (!from?.length) return failure('no-curve', 'Pick the curve whose end the arc leaves');
    if (!pts.length) return failure('too-few', 'Click where the arc ends');
    const c = p.end === 'end' ? from[from.length - 1] : from[0];
    const [at, d] = derivativesAt(c, domain(c)[p.end === 'end' ? 1 : 0], 1);
    if (distance(at, pts[0]) < 1e-9) return failure('no-length', 'The arc would end where it starts: move its end', [at]);
    return curveResult(tangentArc(at, p.end === 'end' ? d : [-d[0], -d[1], -d[2]], pts[0]));
  }
  if (pts.length < 3)
    return failure(
      'too-few',
      p.by === 'three'
        ? 'Click three points: start, a point on the arc, end'
        : 'Click three points: centre, start, and the direction of the end',
    );
  if (p.by === 'three') {
    const c = threePointArc(pts[0], pts[1], pts[2]);
    return c ? curveResult(c) : failure('in-line', 'The three points lie in one line: move the middle one aside', pts);
  }
  const local = p.points.map((q) => [q[0] - p.points[0][0], q[1] - p.points[0][1]]);
  const r = Math.hypot(local[1][0], local[1][1]);
  if (r < 1e-9) return failure('no-radius', 'Start and centre fall together', [pts[0]]);
  const a = Math.atan2(local[1][1], local[1][0]);
  let b = Math.atan2(local[2][1], local[2][0]);
  if (b <= a + 1e-12) b += 2 * Math.PI;
  const at = { ...frame, origin: toWorld(frame, p.points[0]) };
  if (b - a > 359.999 * DEG) return failure('no-arc', 'Start and end direction are the same: use a circle', [sub(pts[1], [0, 0, 0])]);
  return curveResult(p.otherWay ? circleCurve(at, r, b, a + 2 * Math.PI) : circleCurve(at, r, a, b));
});
