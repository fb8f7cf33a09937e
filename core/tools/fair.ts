import { z } from 'zod';
import { defineTool, param, slot } from '../recipe/define.ts';

const keep = (label: string) =>
  param.choice({
    label,
    options: [
      { value: 'G0', label: 'G0' },
      { value: 'G1', label: 'G1' },
      { value: 'G2', label: 'G2' },
    ],
    default: 'G1',
    hint: 'What stays at this end: the point, the tangent too, the curvature too',
  });
export default defineTool({
  id: 'fair',
  version: 1,
  stage: 'curves',
  group: 'Change',
  label: 'Fair',
  hint: 'Calms the comb of a curve, or of the control rows of a skin, by the smallest movement of its control points; before and after are shown together',
  synonyms: ['smooth', 'calm', 'relax comb', 'even curvature', 'wobble'],
  ask: 'Pick a curve or a skin of one face',
  mistakes: [
    'The curve does not calm: its limit is smaller than its waves, allow more.',
    'The ends move off what they met: keep them at G1 or G2 on the card.',
  ],
  icon: ['M3 15l3-5 3 4 4-6 3 5 5-6', 'M3 17c5-5 11-3 18-9'],
  slots: {
    curve: slot({ label: 'Curve or skin', accepts: ['chain', 'skin', 'face'], min: 1, max: 1, consumes: true }),
  },
  params: z.object({
    limit: param.length({ label: 'Move at most', default: 0.2, min: 1e-6, max: 1000, slider: 'powers' }),
    start: keep('Keep start'),
    end: keep('Keep end'),
    rows: param.choice({
      label: 'Rows of a skin',
      options: [
        { value: 'u', label: 'Along u' },
        { value: 'v', label: 'Along v' },
        { value: 'both', label: 'Both' },
      ],
      default: 'both',
    }),
    fixed: param.numbers({
      label: 'Keep points',
      default: [],
      hint: 'Numbers of control points that stay, from 1; click the dots in the view',
    }),
    scale: param.ratio({ label: 'Comb', default: 1, min: 0.01, max: 100, rare: true, slider: 'powers' }),
  }),
  examples: [],
});
