import { z } from 'zod';
import { defineTool, param, planeSlot } from '../recipe/define.ts';

export default defineTool({
  id: 'spline',
  version: 1,
  stage: 'curves',
  group: 'Draw',
  label: 'Spline',
  hint: 'A spline led by control points, degree 1 to 7, open or smoothly closed',
  synonyms: ['control points', 'curve', 'bezier', 'freeform'],
  mistakes: [
    'It does not run through its points: they lead it. Use Spline through points if it must.',
    'More points make it less smooth: begin with four or five, insert one where it must bend.',
  ],
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
});
