import { z } from 'zod';
import { defineTool, param, slot } from '../recipe/define.ts';

export default defineTool({
  id: 'thicken',
  version: 1,
  stage: 'solids',
  group: 'Give a wall',
  label: 'Thicken',
  hint: 'Turns an open skin into a solid with a wall, inwards, outwards or both',
  synonyms: ['wall', 'thickness', 'offset solid', 'sheet'],
  ask: 'Pick the skin that gets a wall',
  mistakes: [
    'The wall runs through itself inside: the skin bends tighter than the wall is thick.',
    'It grew on the wrong side: choose inwards, outwards or both.',
  ],
  icon: ['M4 15c5-8 11-8 16 0', 'M4 19c5-8 11-8 16 0v-4M4 15v4'],
  slots: { skin: slot({ label: 'Skin', accepts: ['body'], min: 1, max: 1, consumes: true }) },
  params: z.object({
    wall: param.length({ label: 'Wall', default: 1.2, min: 1e-4 }),
    side: param.choice({
      label: 'Grows',
      options: [
        { value: 'in', label: 'Inwards' },
        { value: 'out', label: 'Outwards' },
        { value: 'both', label: 'Both' },
      ],
      default: 'in',
    }),
    corner: param.choice({
      label: 'Corners',
      options: [
        { value: 'sharp', label: 'Sharp' },
        { value: 'round', label: 'Round' },
      ],
      default: 'sharp',
    }),
  }),
  examples: [{ params: {} }],
});
