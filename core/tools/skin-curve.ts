import { z } from 'zod';
import { defineTool, param, slot } from '../recipe/define.ts';

export default defineTool({
  id: 'skin-curve',
  version: 1,
  stage: 'curves',
  group: 'From skins',
  label: 'Spline on skin',
  hint: 'A spline through points on a face that stays on it, also when the face changes',
  synonyms: ['curve on surface', 'draw on face'],
  ask: 'Pick the face that is drawn on',
  mistakes: [
    'The curve ends at the border of the face: click on the next face in a step of its own, then join them.',
    'It wriggles: too many clicks. Three or four places with a good distance are enough.',
  ],
  icon: ['M3 17c6-6 12-6 18 0', 'M6 14.500c2-3 4 1 6-1.500s4 0 6 1.500'],
  slots: { face: slot({ label: 'On face', accepts: ['face'], min: 1, max: 1 }) },
  params: z.object({
    places: param.places({ label: 'Points', hint: 'Click on the face' }),
    closed: param.toggle({ label: 'Closed', default: false }),
    degree: param.integer({ label: 'Degree', default: 3, min: 1, max: 5 }),
    tolerance: param.length({ label: 'Within', default: 0.000005, min: 1e-8, max: 1 }),
  }),
  examples: [],
});
