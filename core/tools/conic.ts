import { z } from 'zod';
import { conic } from '../curves/index.ts';
import { cross, distance, length, sub } from '../math/index.ts';
import { curveResult, defineTool, drawingFrame, failure, onPlane, param, planeSlot } from '../recipe/index.ts';

export default defineTool({
  id: 'conic',
  version: 1,
  stage: 'curves',
  group: 'Draw',
  label: 'Conic',
  hint: 'An exact conic from its two ends and the corner where their tangents meet, with a fullness',
  icon: ['M4 19 9 5l11 14', 'M4 19C8 9 12 9 20 19'],
  slots: { plane: planeSlot },
  params: z.object({
    points: param.points({ label: 'Start, corner, end', default: [], minPoints: 3 }),
    fullness: param.ratio({
      label: 'Fullness',
      default: 0.5,
      min: 0.01,
      max: 0.99,
      hint: 'Below 0.5 part of an ellipse, 0.5 a parabola, above it a hyperbola',
    }),
  }),
  draws: { points: 'points', minimum: 3, maximum: 3 },
  examples: [
    {
      params: {
        points: [
          [0, 0],
          [5, 8],
          [12, 0],
        ],
        fullness: 0.6,
      },
    },
  ],
  evaluate(inputs, p) {
    const frame = drawingFrame(inputs.plane);
    if (!frame) return failure('not-flat', 'The plane picked is not flat');
    if (p.points.length < 3) return failure('too-few', 'Click three points: start, corner, end');
    const [a, corner, b] = onPlane(frame, p.points);
    if (length(cross(sub(corner, a), sub(b, a))) < 1e-9 * distance(a, b) ** 2)
      return failure('in-line', 'Start, corner and end lie in one line: the conic would be straight', [a, corner, b]);
    const kind = p.fullness < 0.4999 ? 'ellipse' : p.fullness > 0.5001 ? 'hyperbola' : 'parabola';
    const r = curveResult(conic(a, corner, b, p.fullness));
    return { ...r, facts: [...(r.facts ?? []), { label: 'kind', value: kind }] };
  },
});
