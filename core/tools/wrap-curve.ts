import { z } from 'zod';
import { defineTool, param, slot } from '../recipe/define.ts';

export default defineTool({
  id: 'wrap-curve',
  version: 1,
  stage: 'curves',
  group: 'From skins',
  label: 'Wrap',
  hint: 'Lays flat curves onto a cylinder, a cone or any developable face so that lengths and angles stay; others are refused with the amount',
  synonyms: ['unroll', 'roll on', 'label', 'emboss', 'flow'],
  ask: 'Pick flat curves, then the face they go round',
  mistakes: [
    'The face bends both ways and cannot be wrapped without stretching: the amount is told. Project the curve instead.',
    'It lies on the far side: turn it round the face.',
  ],
  icon: ['M6 5v14M18 5v14M6 5c3 2 9 2 12 0M6 19c3 2 9 2 12 0', 'M6 15c4 1 8-3 12-5'],
  slots: {
    curves: slot({ label: 'Curves', accepts: ['chain'], min: 1, max: 100 }),
    face: slot({ label: 'Onto face', accepts: ['face'], min: 1, max: 1 }),
    plane: slot({
      label: 'Flat in',
      accepts: ['flat'],
      min: 0,
      max: 1,
      hint: 'The plane that touches the face: its origin stays where it is. The plane of the curves when empty',
    }),
  },
  params: z.object({
    turn: param.angle({ label: 'Turned by', default: 0, hint: 'About the place where the plane touches' }),
    tolerance: param.length({ label: 'Within', default: 0.000002, min: 1e-8, max: 1 }),
  }),
  examples: [],
});
