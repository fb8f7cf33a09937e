import { z } from 'zod';
import { defineTool, param, slot } from '../recipe/define.ts';

export default defineTool({
  id: 'split-loop',
  version: 1,
  stage: 'solids',
  group: 'Cut',
  label: 'Split along a loop',
  hint: 'Parts a hollow solid along a chain round it, through the wall along its normals; each part becomes a solid, with a lip and a gap if wanted',
  synonyms: ['parting line', 'halves', 'shell halves', 'lip', 'groove', 'open', 'lid', 'two parts'],
  ask: 'Pick the hollow solid, then the loop on its outside',
  mistakes: [
    'The chain is open: it must run once round the part and end where it begins.',
    'The parts do not open: the loop runs back under itself seen along the pull. Use Outline to find a line that opens.',
  ],
  icon: ['M4 9c0-7 16-7 16 0', 'M4 9c3 3 5-2 8 0s5 3 8 0', 'M4 14c3 3 5-2 8 0s5 3 8 0', 'M4 14c0 8 16 8 16 0'],
  slots: {
    solid: slot({ label: 'Solid', accepts: ['solid'], min: 1, max: 1, consumes: true }),
    loop: slot({
      label: 'Loop',
      accepts: ['chain'],
      min: 1,
      max: 200,
      hint: 'Curves or edges on its outside, end to end; each side may have its own',
    }),
    opening: slot({
      label: 'Opens along',
      accepts: ['chain', 'flat'],
      min: 0,
      max: 1,
      hint: 'A straight line or a plane (its normal); what the loop looks along when empty',
    }),
  },
  params: z.object({
    lip: param.choice({
      label: 'Lip',
      options: [
        { value: 'none', label: 'None' },
        { value: 'lower', label: 'Lower part' },
        { value: 'upper', label: 'Upper part' },
      ],
      default: 'none',
      hint: 'A step in the wall that leads one part into the other, along the opening',
    }),
    side: param.choice({
      label: 'Lip stands',
      options: [
        { value: 'inside', label: 'Inside' },
        { value: 'outside', label: 'Outside' },
      ],
      default: 'inside',
      when: { key: 'lip', is: ['lower', 'upper'] },
    }),
    height: param.length({ label: 'Lip height', default: 1.5, min: 1e-3, when: { key: 'lip', is: ['lower', 'upper'] } }),
    share: param.ratio({
      label: 'Lip of the wall',
      default: 0.5,
      min: 0.05,
      max: 0.9,
      hint: 'Share of the thinnest wall under the loop',
      when: { key: 'lip', is: ['lower', 'upper'] },
    }),
    play: param.length({ label: 'Play', default: 0, min: 0, hint: 'Room across the lip', when: { key: 'lip', is: ['lower', 'upper'] } }),
    gap: param.length({ label: 'Gap', default: 0, min: 0, hint: 'Way between both parts, along the opening' }),
    depth: param.length({ label: 'Depth', default: 0, min: 0, hint: 'How deep the cut goes; 0: just through the wall, as it is measured' }),
    turned: param.toggle({ label: 'Turn upside down', default: false, hint: 'The lower part becomes the upper one' }),
  }),
  examples: [{ params: {} }, { params: { lip: 'lower', gap: 0.1, play: 0.05 } }],
});
