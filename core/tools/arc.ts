import { z } from 'zod';
import { tangentArc, threePointArc } from '../curves/index.ts';
import { DEG, distance, sub, toWorld } from '../math/index.ts';
import { circleCurve, derivativesAt, domain } from '../nurbs/index.ts';
import { curveResult, defineTool, drawingFrame, failure, inputCurves, onPlane, param, planeSlot, slot } from '../recipe/index.ts';

export default defineTool({
  id: 'arc',
  version: 1,
  stage: 'curves',
  group: 'Draw',
  label: 'Arc',
  hint: 'An exact arc: through three points, about a centre, or leaving a curve along its tangent',
  icon: ['M4 18h.01M20 18h.01M12 6h.01', 'M4 18a8.500 8.500 0 0 1 16 0'],
  slots: {
    plane: planeSlot,
    from: slot({
      label: 'Leaves',
      accepts: ['chain'],
      min: 0,
      max: 1,
      hint: 'The curve or edge whose end it leaves along its tangent',
      when: { key: 'by', is: ['tangent'] },
    }),
  },
  params: z.object({
    by: param.choice({
      label: 'Given by',
      options: [
        { value: 'three', label: '3 points' },
        { value: 'centre', label: 'Centre' },
        { value: 'tangent', label: 'Tangent' },
      ],
      default: 'three',
    }),
    points: param.points({
      label: 'Points',
      default: [],
      minPoints: 1,
      hint: 'Start, a point on it, end; or centre, start, end direction; or the end alone',
    }),
    end: param.choice({
      label: 'At its',
      options: [
        { value: 'end', label: 'End' },
        { value: 'start', label: 'Start' },
      ],
      default: 'end',
      when: { key: 'by', is: ['tangent'] },
    }),
    otherWay: param.toggle({ label: 'Other way round', default: false, when: { key: 'by', is: ['centre'] } }),
  }),
  draws: { points: 'points', minimum: 1, maximum: 3 },
  examples: [
    {
      params: {
        points: [
          [0, 0],
          [5, 4],
          [10, 0],
        ],
      },
    },
    {
      params: {
        by: 'centre',
        points: [
          [0, 0],
          [10, 0],
          [0, 5],
        ],
      },
    },
  ],
  evaluate(inputs, p) {
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
  },
});
