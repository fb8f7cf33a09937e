import { z } from 'zod';
import { defineTool, param, planeSlot, slot } from '../recipe/define.ts';

export default defineTool({
  id: 'arc',
  version: 1,
  stage: 'curves',
  group: 'Draw',
  label: 'Arc',
  hint: 'An exact arc: through three points, about a centre, or leaving a curve along its tangent',
  synonyms: ['round', 'curve', 'segment'],
  mistakes: [
    'Three points nearly in one line give an enormous arc: move the middle one aside.',
    'The arc should leave another curve smoothly but has a kink: choose “Tangent” and pick that curve.',
  ],
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
});
