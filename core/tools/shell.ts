import { z } from 'zod';
import { defineTool, param, slot } from '../recipe/define.ts';

export default defineTool({
  id: 'shell',
  version: 1,
  stage: 'solids',
  group: 'Give a wall',
  label: 'Shell',
  hint: 'Hollows a solid to a wall; picked faces are left open, others may have walls of their own',
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
      hint: 'Faces with a wall of their own, in the order of the list below',
      when: { key: 'side', is: ['in'] },
    }),
  },
  params: z.object({
    wall: param.length({ label: 'Wall', default: 1.2, min: 1e-4 }),
    side: param.choice({
      label: 'Grows',
      options: [
        { value: 'in', label: 'Inwards' },
        { value: 'out', label: 'Outwards' },
      ],
      default: 'in',
    }),
    walls: param.numbers({
      label: 'Their walls',
      default: [],
      hint: 'One for each face above; the last one serves the rest',
      when: { key: 'side', is: ['in'] },
    }),
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
