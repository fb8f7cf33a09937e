import { z } from 'zod';
import { defineTool, param, planeSlot } from '../recipe/define.ts';

export default defineTool({
  id: 'polyline',
  version: 1,
  stage: 'curves',
  group: 'Draw',
  label: 'Polyline',
  hint: 'Straight lines from point to point on a plane',
  synonyms: ['line', 'segments', 'straight', 'path'],
  mistakes: [
    'A skin over it has kinks: a polyline has corners. Use a spline where it must be smooth.',
    'Two clicks fell on one place: remove one of the points.',
  ],
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
});
