import { z } from 'zod';
import { defineTool, param, slot } from '../recipe/define.ts';

export default defineTool({
  id: 'flat-skin',
  version: 1,
  stage: 'skins',
  group: 'Fill',
  label: 'Flat skin',
  hint: 'Fills closed flat loops; inner loops become holes by themselves, several regions at once',
  synonyms: ['planar', 'cap', 'face', 'fill', 'region', 'plate'],
  ask: 'Pick closed flat curves',
  mistakes: [
    'The loops are a little out of one plane: raise the flatness if that is meant, else project them onto a plane.',
    'A hole is filled: its loop is not picked, pick outer and inner loops together.',
  ],
  icon: ['M4 6h16v12H4z', 'M12 9a3 3 0 1 0 0 6 3 3 0 0 0 0-6z'],
  slots: { loops: slot({ label: 'Loops', accepts: ['chain'], min: 1, max: 500 }) },
  params: z.object({
    flatness: param.length({ label: 'Flat within', default: 0.001, min: 1e-9 }),
    turned: param.toggle({ label: 'Turn over', default: false }),
  }),
  examples: [{ params: {} }],
});
