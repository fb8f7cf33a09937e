import { z } from 'zod';
import { defineTool, param, slot } from '../recipe/define.ts';

export default defineTool({
  id: 'offset-skin',
  version: 1,
  stage: 'skins',
  group: 'From skins',
  label: 'Offset skin',
  hint: 'A skin at a distance from another, on one side or both; the true distance is measured, and places that would run through themselves are shown with the largest distance that works',
  synonyms: ['parallel', 'shift along normals', 'inset', 'outset'],
  ask: 'Pick a skin or faces',
  mistakes: [
    'At this distance the skin would run through itself: it bends tighter than that. The place is shown.',
    'The thickness is wanted, not a second skin: use Thicken.',
  ],
  icon: ['M3 16c5-6 11 2 18-4', 'M3 10c5-6 11 2 18-4M7 13V9M13 13V9'],
  slots: { skin: slot({ label: 'Skin', accepts: ['body', 'face'], min: 1, max: 500 }) },
  params: z.object({
    distance: param.length({ label: 'Distance', default: 2 }),
    side: param.choice({
      label: 'Goes',
      options: [
        { value: 'out', label: 'Outwards' },
        { value: 'in', label: 'Inwards' },
        { value: 'both', label: 'Both' },
      ],
      default: 'out',
    }),
    tolerance: param.length({ label: 'Fit within', default: 0.001, min: 1e-7, max: 1, slider: 'powers' }),
  }),
  examples: [{ params: {} }, { params: { side: 'both', distance: 1 } }],
});
