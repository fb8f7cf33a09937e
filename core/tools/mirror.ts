import { z } from 'zod';
import { defineTool, param, slot } from '../recipe/define.ts';

export default defineTool({
  id: 'mirror',
  version: 2,
  stage: 'solids',
  group: 'Place',
  label: 'Mirror',
  hint: 'Mirror image of pieces in a plane of the world or of a work plane, in a flat face, or half-way between two points',
  mistakes: [
    'The seam in the middle has a kink: the half was not square to the plane. Use Mirror check first.',
    'There are two halves and no whole: knit them afterwards.',
  ],
  icon: ['M9 6 4 18h5z', 'M15 6l5 12h-5zM12 4v16'],
  slots: {
    pieces: slot({ label: 'Pieces', accepts: ['piece'], min: 1, max: 200, consumes: true }),
    plane: slot({
      label: 'In',
      accepts: ['flat', 'point'],
      min: 0,
      max: 2,
      active: true,
      hint: 'A work plane, a flat face, or two points to mirror half-way between; the world when empty',
    }),
  },
  params: z.object({
    world: param.choice({
      label: 'Across',
      options: [
        { value: 'yz', label: 'Left, right' },
        { value: 'xz', label: 'Front, back' },
        { value: 'xy', label: 'Up, down' },
      ],
      default: 'yz',
      hint: 'In the directions of the picked work plane, or of the world. A face and two points have one plane only',
    }),
    keep: param.toggle({ label: 'Keep the original', default: true }),
    own: param.hidden(z.boolean().default(false), 'A picked work plane itself is the mirror'),
  }),
  // older recipes mirrored in a picked work plane itself
  migrations: [(old) => ({ ...old, own: true })],
  synonyms: ['reflect', 'symmetry', 'flip'],
  ask: 'Pick the pieces to mirror',
  examples: [{ params: {} }, { params: { world: 'xy', keep: false } }],
});
