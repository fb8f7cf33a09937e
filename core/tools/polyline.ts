import { z } from 'zod';
import { polylineCurve } from '../nurbs/index.ts';
import { curveResult, defineTool, doubled, drawingFrame, failure, onPlane, param, planeSlot } from '../recipe/index.ts';

export default defineTool({
  id: 'polyline',
  version: 1,
  stage: 'curves',
  group: 'Draw',
  label: 'Polyline',
  hint: 'Straight lines from point to point on a plane',
  icon: ['M4 18 9 7l6 7 5-9'],
  slots: { plane: planeSlot },
  params: z.object({
    points: param.points({ label: 'Points', default: [], minPoints: 2 }),
    closed: param.toggle({ label: 'Closed', default: false }),
  }),
  draws: { points: 'points', closed: 'closed', minimum: 2 },
  examples: [
    {
      params: {
        points: [
          [0, 0],
          [10, 0],
          [10, 5],
        ],
      },
    },
    {
      params: {
        points: [
          [0, 0],
          [10, 0],
          [10, 5],
        ],
        closed: true,
      },
    },
  ],
  evaluate(inputs, p) {
    const frame = drawingFrame(inputs.plane);
    if (!frame) return failure('not-flat', 'The plane picked is not flat');
    if (p.points.length < (p.closed ? 3 : 2)) return failure('too-few', `Click at least ${p.closed ? 'three' : 'two'} points`);
    const pts = onPlane(frame, p.points);
    const twice = doubled(pts, p.closed);
    if (twice !== undefined)
      return failure('doubled', `Points ${twice + 1} and ${((twice + 1) % pts.length) + 1} fall together: move or remove one`, [
        pts[twice],
      ]);
    return curveResult(polylineCurve(p.closed ? [...pts, pts[0]] : pts));
  },
});
