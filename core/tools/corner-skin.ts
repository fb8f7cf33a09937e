import { z } from 'zod';
import { defineTool, param, planeSlot, slot } from '../recipe/define.ts';

export default defineTool({
  id: 'corner-skin',
  version: 1,
  stage: 'skins',
  group: 'Begin with',
  label: 'Four points',
  hint: 'A skin through three or four corner points, drawn or picked, in any order: a crossed order is put right, and said so',
  synonyms: ['quad', 'triangle', 'corners', 'three points', 'bilinear'],
  ask: 'Click the corners, or pick points',
  mistakes: [
    'Four corners that are not flat give a twisted skin: that is right, choose three for a flat one.',
    'The corners fall together after a change upstream: pick corners of pieces instead of typing them.',
  ],
  icon: ['M4 8h.01M19 5h.01M21 18h.01M6 19h.01', 'M4 8 19 5l2 13-15 1z'],
  slots: {
    plane: planeSlot,
    corners: slot({ label: 'Points', accepts: ['point'], min: 0, max: 4, ordered: true, hint: 'Picked points come before drawn ones' }),
  },
  params: z.object({
    points: param.points({ label: 'Corners', default: [], minPoints: 0, dims: 3 }),
    turned: param.toggle({ label: 'Turn over', default: false }),
  }),
  draws: { points: 'points', minimum: 3, maximum: 4 },
  examples: [
    {
      params: {
        points: [
          [0, 0],
          [30, 0],
          [30, 20, 8],
          [0, 20],
        ],
      },
    },
    {
      params: {
        points: [
          [0, 0],
          [30, 0],
          [10, 20],
        ],
      },
    },
  ],
});
