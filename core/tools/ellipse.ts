import { z } from 'zod';
import { defineTool, param, planeSlot } from '../recipe/define.ts';

export default defineTool({
  id: 'ellipse',
  version: 1,
  stage: 'curves',
  group: 'Draw',
  label: 'Ellipse',
  hint: 'An ellipse from its centre and two radii: exact, one smooth span',
  synonyms: ['oval', 'round'],
  mistakes: [
    'It is turned: pull its handle, or type the turn; the first radius lies along the plane’s x.',
    'A thin ellipse bends sharply at its ends: look at the comb before you sweep it.',
  ],
  icon: ['M12 6c5 0 9 2.700 9 6s-4 6-9 6-9-2.700-9-6 4-6 9-6z', 'M12 12h6'],
  slots: { plane: planeSlot },
  params: z.object({
    centre: param.points({ label: 'Centre', default: [[0, 0]], minPoints: 1 }),
    radiusX: param.length({ label: 'Radius along x', default: 20, min: 1e-6 }),
    radiusY: param.length({ label: 'Radius along y', default: 12, min: 1e-6 }),
    turn: param.angle({ label: 'Turned by', default: 0 }),
  }),
  draws: { points: 'centre', minimum: 1, maximum: 1, radius: 'radiusX' },
  examples: [{ params: {} }, { params: { turn: 20 } }],
});
