import { z } from 'zod';
import { defineTool, param, slot } from '../recipe/define.ts';

export default defineTool({
  id: 'remove-faces',
  version: 1,
  stage: 'joins',
  group: 'Bring together',
  label: 'Remove faces',
  hint: 'Takes faces out of a skin or solid; the opening stays, or is healed from the faces around it',
  synonyms: ['delete face', 'erase', 'open', 'heal'],
  ask: 'Pick the faces to remove',
  mistakes: [
    'The opening should be closed: choose to heal it from the faces around.',
    'Everything is gone: at least one face must stay, mute the step that made it instead.',
  ],
  icon: ['M4 7c5-3 11-3 16 0v10c-5 3-11 3-16 0z', 'M9 9l6 6M15 9l-6 6'],
  slots: { faces: slot({ label: 'Faces', accepts: ['face'], min: 1, max: 500, consumes: true }) },
  params: z.object({
    heal: param.choice({
      label: 'The opening',
      options: [
        { value: 'open', label: 'Stays' },
        { value: 'smooth', label: 'Heals smooth' },
        { value: 'curved', label: 'Heals curved' },
      ],
      default: 'open',
      hint: 'Healing takes a hole out of the one face around it, caps it flat, or fills it with a patch: smooth is G1, curved is G2',
    }),
  }),
  examples: [{ params: {} }],
});
