import { z } from 'zod';
import { defineTool, param, slot } from '../recipe/define.ts';

export default defineTool({
  id: 'corners',
  version: 1,
  stage: 'curves',
  group: 'Change',
  label: 'Corners',
  hint: 'Rounds or bevels corners of a flat chain, one, chosen ones or all; arcs are exact and touch both neighbours',
  synonyms: ['fillet curves', 'chamfer curves', 'round corners', 'bevel'],
  ask: 'Pick the chain whose corners are rounded',
  mistakes: [
    'The radius is larger than half of the shortest side: the message says at which corner, make it smaller there.',
    'The chain is not flat: round the edges of a skin with Fillet instead.',
  ],
  icon: ['M4 4v10', 'M4 12c0 5 3 8 8 8h8', 'M4 20h.01'],
  slots: {
    chain: slot({
      label: 'Chain',
      accepts: ['chain'],
      min: 1,
      max: 50,
      consumes: true,
      hint: 'A curve with corners, or curves end to end',
    }),
  },
  params: z.object({
    kind: param.choice({
      label: 'Make',
      options: [
        { value: 'round', label: 'Rounds' },
        { value: 'bevel', label: 'Bevels' },
      ],
      default: 'round',
    }),
    radius: param.length({ label: 'Radius or setback', default: 2, min: 1e-6 }),
    corners: param.numbers({ label: 'Only corners', default: [], hint: 'Their numbers in the view; all when empty' }),
  }),
  examples: [{ params: { radius: 0.5 } }],
});
