import { z } from 'zod';
import { defineTool, param, planeSlot } from '../recipe/define.ts';

export default defineTool({
  id: 'spline-through',
  version: 1,
  stage: 'curves',
  group: 'Draw',
  label: 'Spline through points',
  hint: 'A smooth curve that runs exactly through its points, with directions at the ends if wanted',
  synonyms: ['interpolate', 'curve', 'freeform', 'points'],
  mistakes: ['It swings between points that stand close together: take one away.', 'Its ends point anywhere: set a direction at each end.'],
  icon: ['M4 17c4-14 7-2 9-3s4-9 7-8', 'M4 17h.01M12.500 14h.01M20 6h.01'],
  slots: { plane: planeSlot },
  params: z.object({
    points: param.points({ label: 'Points', default: [], minPoints: 2 }),
    degree: param.integer({ label: 'Degree', default: 3, min: 1, max: 7 }),
    closed: param.toggle({ label: 'Closed', default: false }),
    flat: param.toggle({ label: 'Keep flat', default: true }),
    ends: param.choice({
      label: 'End directions',
      options: [
        { value: 'free', label: 'Free' },
        { value: 'given', label: 'Given' },
      ],
      default: 'free',
      when: { key: 'closed', is: [false] },
    }),
    startDirection: param.vector({ label: 'Leaves along', default: [1, 0, 0], when: { key: 'ends', is: ['given'] } }),
    endDirection: param.vector({ label: 'Arrives along', default: [1, 0, 0], when: { key: 'ends', is: ['given'] } }),
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
      },
    },
    {
      params: {
        points: [
          [0, 0],
          [10, 20],
          [30, 10],
        ],
        ends: 'given',
        startDirection: [0, 1, 0],
        endDirection: [1, 0, 0],
      },
    },
  ],
});
