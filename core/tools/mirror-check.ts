import { z } from 'zod';
import { defineTool, param, slot } from '../recipe/define.ts';

export default defineTool({
  id: 'mirror-check',
  version: 1,
  stage: 'joins',
  group: 'Join smoothly',
  label: 'Mirror check',
  hint: 'Tells how halves run into their mirror plane: gap and kink of each rim and curve end against its own image; offers to make them square',
  synonyms: ['symmetry', 'centre line', 'half model', 'ridge', 'mirror seam'],
  ask: 'Pick the halves, then the mirror plane',
  mistakes: [
    'Half meets its plane with G0 only: it is not square to it. Take the offer on the card.',
    'The plane is the wrong one: pick the plane that the half was drawn to.',
  ],
  icon: ['M12 3v18', 'M4 8c4-2 6-2 8-2M20 8c-4-2-6-2-8-2', 'M4 16c4 1 6 1 8 1M20 16c-4 1-6 1-8 1'],
  slots: {
    halves: slot({
      label: 'Halves',
      accepts: ['skin', 'chain'],
      min: 1,
      max: 60,
      grow: [],
      hint: 'Skins and curves that end in the plane',
    }),
    plane: slot({ label: 'Mirror plane', accepts: ['flat'], min: 0, max: 1, hint: 'The plane of the world chosen below when empty' }),
  },
  params: z.object({
    world: param.choice({
      label: 'World plane',
      options: [
        { value: 'yz', label: 'YZ' },
        { value: 'xz', label: 'XZ' },
        { value: 'xy', label: 'XY' },
      ],
      default: 'yz',
      hint: 'Counts when no plane is picked',
    }),
  }),
  examples: [{ params: {} }, { params: { world: 'xy' } }],
});
