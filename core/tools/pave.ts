import { z } from 'zod';
import { defineTool, param, planeSlot, slot } from '../recipe/define.ts';

export default defineTool({
  id: 'pave',
  version: 1,
  stage: 'cages',
  group: 'Begin with',
  label: 'Pave',
  hint: 'A run of quads laid by clicks on a work plane, over a picture; its ends and sides take hold of the borders of a cage that is there',
  synonyms: ['quad strip', 'draw quads', 'retopology', 'run of quads', 'block out'],
  ask: 'Click along the middle of the run',
  mistakes: [
    'The run does not hang together with the cage: pick that cage under "Joins", and come nearer than "Meets within".',
    'Quads cross where it turns sharply: set the points of a turn farther apart, or make the run narrower.',
  ],
  icon: [
    'M4 18c4 0 5-3 8-6s5-6 8-6',
    'M3 15l3 5M8 12l3 5M11 9l4 4M15 5l2 5',
    'M3 15c3-.500 4-2 6-4s4-5.500 8-6.500M6 20c4-.500 6-3 8-5.500s3.500-4.500 6-5',
  ],
  slots: {
    plane: planeSlot,
    joins: slot({
      label: 'Joins',
      accepts: ['cage'],
      min: 0,
      consumes: true,
      hint: 'A cage whose borders the run takes hold of; both become one',
    }),
  },
  params: z.object({
    points: param.points({ label: 'Middle line', default: [], minPoints: 2 }),
    closed: param.toggle({ label: 'Closed ring', default: false }),
    width: param.length({ label: 'Width', default: 10, min: 1e-3, slider: 'powers', max: 1000 }),
    end: param.length({
      label: 'Width at the end',
      default: 0,
      min: 0,
      hint: 'Zero: the same all along',
      when: { key: 'closed', is: [false] },
    }),
    within: param.length({
      label: 'Meets within',
      default: 4,
      min: 1e-6,
      max: 1000,
      hint: 'Border vertices nearer than this to those of the cage are theirs',
    }),
  }),
  draws: { points: 'points', closed: 'closed', minimum: 2 },
  examples: [
    {
      params: {
        points: [
          [0, 0],
          [14, 2],
          [26, 10],
          [34, 22],
        ],
      },
    },
    {
      params: {
        points: [
          [0, 0],
          [20, 0],
          [20, 20],
          [0, 20],
        ],
        closed: true,
        width: 6,
      },
    },
  ],
});
