import { z } from 'zod';
import { defineTool, param, slot } from '../recipe/define.ts';

export default defineTool({
  id: 'replace-face',
  version: 1,
  stage: 'joins',
  group: 'Bring together',
  label: 'Replace faces',
  hint: 'Takes faces out of a skin and knits another skin into the opening',
  synonyms: ['swap', 'exchange', 'substitute'],
  ask: 'Pick the faces, then the skin that takes their place',
  mistakes: [
    'The new skin does not reach the opening: trim it to it first, the distance is told.',
    'Only one face should go: pick that face, not the body.',
  ],
  icon: ['M4 7c5-3 11-3 16 0v10c-5 3-11 3-16 0z', 'M8 12c2-3 6-3 8 0', 'M8 12c2 3 6 3 8 0'],
  slots: {
    faces: slot({ label: 'Faces', accepts: ['face'], min: 1, max: 200, consumes: true }),
    by: slot({ label: 'By', accepts: ['body'], min: 1, max: 1, consumes: true, hint: 'A skin whose rim lies on the rim of the opening' }),
  },
  params: z.object({ tolerance: param.length({ label: 'Within', default: 0.005, min: 1e-7, max: 10 }) }),
  examples: [{ params: {} }],
});
