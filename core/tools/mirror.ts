import { z } from 'zod';
import { defineTool, param, slot } from '../recipe/define.ts';

export default defineTool({
  id: 'mirror',
  version: 1,
  stage: 'solids',
  group: 'Place',
  label: 'Mirror',
  hint: 'Mirror image of pieces in a plane, with or without the original',
  icon: ['M9 6 4 18h5z', 'M15 6l5 12h-5zM12 4v16'],
  slots: {
    pieces: slot({ label: 'Pieces', accepts: ['piece'], min: 1, max: 200, consumes: true }),
    plane: slot({ label: 'In plane', accepts: ['flat'], min: 0, max: 1, active: true }),
  },
  params: z.object({
    world: param.choice({
      label: 'World plane',
      options: [
        { value: 'yz', label: 'Left and right' },
        { value: 'xz', label: 'Front and back' },
        { value: 'xy', label: 'Up and down' },
      ],
      default: 'yz',
    }),
    keep: param.toggle({ label: 'Keep the original', default: true }),
  }),
  examples: [{ params: {} }, { params: { world: 'xy', keep: false } }],
});
