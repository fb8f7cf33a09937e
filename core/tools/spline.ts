import { z } from 'zod';
import { controlPointCurve } from '../nurbs/index.ts';
import { curveResult, defineTool, drawingFrame, failure, onPlane, param, planeSlot } from '../recipe/index.ts';

export default defineTool({
  id: 'spline',
  version: 1,
  stage: 'curves',
  group: 'Draw',
  label: 'Spline',
  hint: 'A spline led by control points, degree 1 to 7, open or smoothly closed',
  icon: ['M4 18 8 6l8 12 4-12', 'M4 18c3-10 5-6 8 0s5 2 8-12'],
  slots: { plane: planeSlot },
  params: z.object({
    points: param.points({ label: 'Control points', default: [], minPoints: 2, hint: 'x, y on the plane and height above it' }),
    degree: param.integer({ label: 'Degree', default: 3, min: 1, max: 7 }),
    closed: param.toggle({ label: 'Closed', default: false }),
    flat: param.toggle({ label: 'Keep flat', default: true, hint: 'Heights above the plane are left out' }),
    weights: param.numbers({ label: 'Weights', default: [] }),
  }),
  draws: { points: 'points', closed: 'closed', minimum: 2 },
  examples: [
    {
      params: {
        points: [
          [0, 0],
          [10, 20],
          [20, -5],
          [30, 10],
        ],
      },
    },
    {
      params: {
        points: [
          [0, 0],
          [10, 20],
          [20, -5],
          [30, 10],
        ],
        closed: true,
        degree: 4,
      },
    },
  ],
  evaluate(inputs, p) {
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
  },
});
