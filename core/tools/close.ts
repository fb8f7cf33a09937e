import { z } from 'zod';
import { defineTool, param, slot } from '../recipe/define.ts';

export default defineTool({
  id: 'close',
  version: 1,
  stage: 'solids',
  group: 'Make solid',
  label: 'Close to solid',
  hint: 'Caps flat rims, patches the others, checks the skin and makes it a solid',
  synonyms: ['make solid', 'seal', 'fill holes', 'cap', 'stitch shut'],
  ask: 'Pick the skin to close',
  mistakes: [
    'A rim is not flat and stays open: give it “Smooth” or “Touching” instead of a flat cap.',
    'An edge with a way of its own belongs to no opening: pick edges of open rims only.',
  ],
  icon: ['M5 8c0-4 14-4 14 0v8c0 4-14 4-14 0z', 'M5 8c0 4 14 4 14 0'],
  slots: {
    skin: slot({ label: 'Skin', accepts: ['body'], min: 1, max: 1, consumes: true }),
    own: slot({
      label: 'Own way',
      accepts: ['edge'],
      min: 0,
      max: 100,
      ordered: true,
      hint: 'An edge of each rim that is to be closed otherwise',
      each: z.object({
        way: param.choice({
          label: 'Close it',
          options: [
            { value: 'flat', label: 'Flat' },
            { value: 'smooth', label: 'Smooth' },
            { value: 'position', label: 'Touching' },
          ],
          default: 'position',
        }),
      }),
    }),
  },
  params: z.object({
    caps: param.toggle({ label: 'Cap flat rims', default: true }),
    flatness: param.length({ label: 'Flat within', default: 0.001, min: 1e-9, max: 1, when: { key: 'caps', is: [true] } }),
    patches: param.choice({
      label: 'Patch the others',
      options: [
        { value: 'smooth', label: 'Smooth' },
        { value: 'position', label: 'Touching' },
        { value: 'none', label: 'No' },
      ],
      default: 'smooth',
      hint: 'Smooth: tangent to neighbours that lean less than 60 degrees from the opening, touching the others',
    }),
  }),
  examples: [{ params: {} }],
});
