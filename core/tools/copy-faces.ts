import { z } from 'zod';
import { defineTool, param, slot } from '../recipe/define.ts';

export default defineTool({
  id: 'copy-faces',
  version: 1,
  stage: 'skins',
  group: 'From skins',
  label: 'Copy faces',
  hint: 'A copy of chosen faces as a skin of their own, with their trims or whole; the body they belong to stays as it is',
  synonyms: ['duplicate face', 'extract face', 'lift off'],
  ask: 'Pick faces',
  mistakes: [
    'The copy is changed, and the body is not: that is what a copy is for. To change the body use Unknit.',
    'Copies lie exactly on their faces and flicker: hide the body.',
  ],
  icon: ['M4 9l7-4 7 3-7 4z', 'M7 16l7-4 7 3-7 4z'],
  slots: { faces: slot({ label: 'Faces', accepts: ['face', 'body'], min: 1, max: 1000 }) },
  params: z.object({
    whole: param.toggle({ label: 'Without trims', default: false, hint: 'Each face as its whole natural surface' }),
  }),
  examples: [{ params: {} }, { params: { whole: true } }],
});
