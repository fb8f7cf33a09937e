import { z } from 'zod';
import { defineTool, param, slot } from '../recipe/define.ts';

export default defineTool({
  id: 'combine',
  version: 1,
  stage: 'solids',
  group: 'Make solid',
  label: 'Combine solids',
  hint: 'Solids joined, taken away from each other, or reduced to what they share; or click the pieces between their faces that stay',
  synonyms: ['union', 'subtract', 'intersect', 'difference', 'add', 'boolean', 'unite', 'common'],
  ask: 'Pick the solid that stays, then the ones that change it',
  mistakes: [
    'Faces lie exactly on each other: let one solid reach a little into the other, or keep them flush on purpose and check the seams.',
    'The wrong one is taken away: the first is what stays, the others are taken from it.',
  ],
  icon: ['M9 4a6 6 0 1 0 0 12 6 6 0 0 0 0-12z', 'M15 8a6 6 0 1 1 0 12 6 6 0 0 1 0-12z'],
  slots: {
    first: slot({ label: 'Solid', accepts: ['solid'], min: 1, max: 1, consumes: true }),
    second: slot({ label: 'With', accepts: ['solid'], min: 1, max: 200, consumes: { key: 'hold', is: [false, undefined] } }),
  },
  params: z.object({
    keep: param.choice({
      label: 'Keep',
      options: [
        { value: 'union', label: 'All' },
        { value: 'subtract', label: 'Less' },
        { value: 'intersect', label: 'Shared' },
        { value: 'picked', label: 'Picked' },
      ],
      default: 'union',
      hint: 'All of them; the first less the others; what they share; or the pieces that are clicked in the view',
    }),
    places: param.places({ label: 'Pieces to keep', hint: 'Click pieces in the view', when: { key: 'keep', is: ['picked'] } }),
    hold: param.toggle({ label: 'Keep the others too', default: false, hint: 'The other solids stay as pieces of their own' }),
  }),
  examples: [{ params: {} }, { params: { keep: 'subtract' } }],
});
