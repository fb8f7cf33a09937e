import { z } from 'zod';
import { defineTool, param, slot } from '../recipe/define.ts';

export default defineTool({
  id: 'scan-line',
  version: 1,
  stage: 'curves',
  group: 'From skins',
  label: 'Line on a scan',
  hint: 'A smooth curve through points that are clicked on a scan or a skin, kept to it within a tolerance: for tracing rows of quads, cuts and sections by eye',
  synonyms: ['trace', 'draw on mesh', 'sketch on scan', 'curve on mesh'],
  ask: 'Click along the line on the scan',
  mistakes: [
    'The line cuts through a bulge between two clicks: add a point there.',
    'It jumps to the back: turn the view so that the whole line is seen, and click again.',
  ],
  icon: ['M4 17l5-9 5 4 6-5M4 17l7 1 9-2M9 8l2 10M14 12l6 4', 'M5 14c4 2 8-4 14-3'],
  slots: { onto: slot({ label: 'On', accepts: ['scan', 'body'], hint: 'The scan or skin it lies on' }) },
  params: z.object({
    points: param.points({ label: 'Points', default: [], minPoints: 2, dims: 3 }),
    closed: param.toggle({ label: 'Closed', default: false }),
    tolerance: param.length({
      label: 'Within',
      default: 0.2,
      min: 1e-4,
      max: 100,
      hint: 'How far the curve may stand off between its points',
    }),
  }),
  draws: { points: 'points', closed: 'closed', minimum: 2, onto: true },
  examples: [
    {
      params: {
        points: [
          [-9, 0, 4],
          [0, -9, 9],
          [9, 0, 14],
        ],
        tolerance: 5,
      },
    },
  ],
});
