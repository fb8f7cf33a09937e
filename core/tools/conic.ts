import { z } from 'zod';
import { defineTool, param, planeSlot } from '../recipe/define.ts';

export default defineTool({
  id: 'conic',
  version: 1,
  stage: 'curves',
  group: 'Draw',
  label: 'Conic',
  hint: 'An exact conic from its two ends and the corner where their tangents meet, with a fullness',
  synonyms: ['parabola', 'hyperbola', 'ellipse part'],
  mistakes: [
    'Start, corner and end in one line give a straight line: pull the corner aside.',
    'For a rounding that runs out smoothly, put the corner where both tangents meet: snap to it.',
  ],
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
});
