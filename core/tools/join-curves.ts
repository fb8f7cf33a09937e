import { z } from 'zod';
import { defineTool, param, slot } from '../recipe/define.ts';

export default defineTool({
  id: 'join-curves',
  version: 1,
  stage: 'curves',
  group: 'Change',
  label: 'Join',
  hint: 'Puts curves end to end into one chain, tells every gap and kink, and closes gaps within a tolerance',
  synonyms: ['chain', 'merge', 'connect'],
  ask: 'Pick curves that meet',
  mistakes: [
    'A gap is larger than the tolerance: match the ends instead of raising it.',
    'The chain has kinks that are told: blend or match there before you build a skin on it.',
  ],
  icon: ['M4 16c3-6 6-6 8-3', 'M12 13c2 3 5 3 8-5', 'M12 13h.01'],
  slots: { curves: slot({ label: 'Curves', accepts: ['chain'], min: 1, max: 200, consumes: true }) },
  params: z.object({
    tolerance: param.length({ label: 'Close gaps to', default: 0.01, min: 0, max: 5 }),
    kink: param.angle({ label: 'Tell kinks over', default: 0.1, min: 0, max: 180 }),
    one: param.toggle({
      label: 'Make one curve',
      default: false,
      hint: 'One spline with full knots at the joints; otherwise a chain whose parts keep their form',
    }),
  }),
  examples: [{ params: {} }],
});
