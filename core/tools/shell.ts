import { z } from 'zod';
import { defineTool, param, slot } from '../recipe/define.ts';

export default defineTool({
  id: 'shell',
  version: 1,
  stage: 'solids',
  group: 'Give a wall',
  label: 'Shell',
  hint: 'Hollows a solid to a wall; picked faces are left open, others may have walls of their own',
  synonyms: ['hollow', 'wall', 'thickness', 'empty'],
  ask: 'Pick the solid to hollow',
  mistakes: [
    'The wall is thicker than the smallest radius inside: the place is shown. Make the wall thinner or the rounding larger.',
    'No face is open, and nothing is seen: pick the faces that shall be open.',
  ],
  icon: ['M5 7v11c0 2 14 2 14 0V7', 'M5 7c0-3 14-3 14 0M8 8v8c0 1.500 8 1.500 8 0V8'],
  slots: {
    solid: slot({ label: 'Solid', accepts: ['solid'], min: 1, max: 1, consumes: true }),
    open: slot({ label: 'Open faces', accepts: ['face'], min: 0, max: 100, hint: 'None: a closed hollow' }),
    special: slot({
      label: 'Own walls',
      accepts: ['face'],
      min: 0,
      max: 100,
      ordered: true,
      hint: 'Each with its own wall',
      each: z.object({ wall: param.length({ label: 'Wall', default: 2, min: 1e-4 }) }),
    }),
  },
  params: z.object({
    wall: param.length({ label: 'Wall', default: 1.2, min: 1e-4 }),
    side: param.choice({
      label: 'Grows',
      options: [
        { value: 'in', label: 'Inwards' },
        { value: 'out', label: 'Outwards' },
        { value: 'both', label: 'Both' },
      ],
      default: 'in',
    }),
    walls: param.hidden(z.array(z.number()).default([]), 'Walls in the order of the picks, as older recipes give them'),
    corner: param.choice({
      label: 'Corners',
      options: [
        { value: 'sharp', label: 'Sharp' },
        { value: 'round', label: 'Round' },
      ],
      default: 'sharp',
    }),
  }),
  examples: [{ params: {} }],
});
