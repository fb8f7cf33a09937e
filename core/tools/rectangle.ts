import { z } from 'zod';
import { defineTool, param, planeSlot } from '../recipe/define.ts';

export default defineTool({
  id: 'rectangle',
  version: 1,
  stage: 'curves',
  group: 'Draw',
  label: 'Rectangle',
  hint: 'A rectangle from a corner, from its middle or through three points; its corners may be rounded, all or chosen ones',
  synonyms: ['square', 'box', 'frame', 'rounded'],
  mistakes: [
    'The corner radius is larger than half of the shorter side: make it smaller.',
    'It follows the plane’s axes, not the view’s: turn the plane, or choose three points.',
  ],
  icon: ['M4 6h.01M20 18h.01', 'M4 6h16v12H4z'],
  slots: { plane: planeSlot },
  params: z.object({
    by: param.choice({
      label: 'Given by',
      options: [
        { value: 'corner', label: 'Corner' },
        { value: 'centre', label: 'Middle' },
        { value: 'three', label: '3 points' },
      ],
      default: 'corner',
    }),
    points: param.points({
      label: 'Points',
      default: [],
      minPoints: 1,
      hint: 'A corner or the middle, and the opposite corner; or two corners and the height',
    }),
    width: param.length({ label: 'Width', default: 0, min: 0, hint: 'Zero: as drawn', when: { key: 'by', is: ['corner', 'centre'] } }),
    height: param.length({ label: 'Height', default: 0, min: 0, hint: 'Zero: as drawn', when: { key: 'by', is: ['corner', 'centre'] } }),
    radius: param.length({ label: 'Corner radius', default: 0, min: 0 }),
    corners: param.numbers({ label: 'Only corners', default: [], hint: 'Numbers of the corners to round, from 1; all when empty' }),
  }),
  draws: { points: 'points', minimum: 1, maximum: 3 },
  examples: [
    {
      params: {
        points: [
          [0, 0],
          [20, 10],
        ],
      },
    },
    { params: { by: 'centre', points: [[5, 5]], width: 30, height: 12, radius: 2 } },
    {
      params: {
        by: 'three',
        points: [
          [0, 0],
          [10, 10],
          [0, 14],
        ],
        radius: 1,
        corners: [1, 3],
      },
    },
  ],
});
