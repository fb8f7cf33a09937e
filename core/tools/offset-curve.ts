import { z } from 'zod';
import { defineTool, param, slot } from '../recipe/define.ts';

export default defineTool({
  id: 'offset-curve',
  version: 1,
  stage: 'curves',
  group: 'Change',
  label: 'Offset curve',
  hint: 'Curves beside a chain at a distance, flat or on a face, to one side or both; corners round, sharp or smooth; crossings are cut away',
  synonyms: ['parallel', 'inset', 'outset', 'copy at distance'],
  ask: 'Pick the curve to offset',
  mistakes: [
    'Corners run into each other: the distance is larger than the smallest radius. The message says where.',
    'The offset of a curve on a skin leaves the skin: use a smaller distance, or the other side.',
  ],
  icon: ['M4 17c4-8 12-8 16 0', 'M8 19c2-5 6-5 8 0'],
  slots: {
    chain: slot({ label: 'Chain', accepts: ['chain'], min: 1, max: 50 }),
    face: slot({
      label: 'On face',
      accepts: ['face'],
      min: 0,
      max: 1,
      hint: 'For a chain lying on a curved face: the distance is measured on it, corners are round',
    }),
    plane: slot({
      label: 'In plane',
      accepts: ['flat'],
      min: 0,
      max: 1,
      hint: 'Needed for a straight line; otherwise the plane of the chain',
    }),
  },
  params: z.object({
    distance: param.length({ label: 'Distance', default: 2, hint: 'Below zero: to the other side' }),
    both: param.toggle({ label: 'Both sides', default: false }),
    corner: param.choice({
      label: 'Corners',
      options: [
        { value: 'round', label: 'Round' },
        { value: 'sharp', label: 'Sharp' },
        { value: 'smooth', label: 'Smooth' },
      ],
      default: 'round',
    }),
    tolerance: param.length({ label: 'Within', default: 0.001, min: 1e-6, max: 1 }),
  }),
  examples: [{ params: {} }, { params: { both: true, distance: 1 } }],
});
