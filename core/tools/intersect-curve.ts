import { z } from 'zod';
import { defineTool, param, slot } from '../recipe/define.ts';

export default defineTool({
  id: 'intersect-curve',
  version: 1,
  stage: 'curves',
  group: 'From skins',
  label: 'Intersection',
  hint: 'The curves in which a skin meets other skins or planes, as clean chains, also at a number of planes in steps',
  synonyms: ['section', 'slice', 'cut line', 'contour lines'],
  ask: 'Pick a skin or solid, then what meets it',
  mistakes: [
    'They only touch: an intersection of skins that are tangent is not sure. Move one by a little.',
    'It falls into several chains: that is how they meet, join them or pick the one you need.',
  ],
  icon: ['M3 15c6-3 12-3 18 0M8 4c-2 6-2 10 0 16', 'M7.200 8c-.500 3-.500 5-.200 6'],
  slots: {
    skin: slot({ label: 'Skin', accepts: ['body'], min: 1, max: 1 }),
    with: slot({ label: 'With', accepts: ['body', 'flat'], min: 1, max: 50 }),
  },
  params: z.object({
    count: param.integer({
      label: 'Planes',
      default: 1,
      min: 1,
      max: 500,
      hint: 'For planes: so many, each a step further along its normal',
    }),
    spacing: param.length({ label: 'Step', default: 10, min: 1e-6 }),
    tolerance: param.length({ label: 'Within', default: 0.000002, min: 1e-8, max: 1 }),
  }),
  examples: [],
});
