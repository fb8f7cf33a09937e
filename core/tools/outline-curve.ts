import { z } from 'zod';
import { defineTool, param, slot } from '../recipe/define.ts';

export default defineTool({
  id: 'outline-curve',
  version: 1,
  stage: 'curves',
  group: 'From skins',
  label: 'Outline',
  hint: 'The parting line for a pull direction: where faces turn away from it, and sharp edges between sides; complete around the part',
  synonyms: ['silhouette', 'parting line', 'contour', 'horizon'],
  ask: 'Pick a skin or solid',
  mistakes: [
    'The line is not complete: the part has edges on it that are sharp. They belong to it, keep them on.',
    'It is the line for another pull: pick the direction in which the mould opens.',
  ],
  icon: ['M12 3v4m0-4-2 2m2-2 2 2', 'M4 14c0-4 16-4 16 0s-16 4-16 0z', 'M4 14c0 3 3 6 8 6s8-3 8-6'],
  slots: {
    skin: slot({ label: 'Skin or solid', accepts: ['body'], min: 1, max: 1 }),
    pull: slot({
      label: 'Pull',
      accepts: ['flat', 'chain'],
      min: 0,
      max: 1,
      hint: 'A plane whose normal is the pull direction, or a line',
      when: { key: 'direction', is: ['picked'] },
    }),
  },
  params: z.object({
    direction: param.choice({
      label: 'Pull along',
      options: [
        { value: 'x', label: 'x' },
        { value: 'y', label: 'y' },
        { value: 'z', label: 'z' },
        { value: 'picked', label: 'Picked' },
      ],
      default: 'z',
    }),
    tilt: param.vector({ label: 'Tilted by', default: [0, 0, 0], quantity: 'angle', hint: 'Degrees about x, then y, then z' }),
    rims: param.toggle({ label: 'Rims too', default: true, hint: 'Open borders belong to the outline of a skin' }),
    only: param.choice({
      label: 'Give',
      options: [
        { value: 'all', label: 'All' },
        { value: 'longest', label: 'Longest' },
      ],
      default: 'all',
      hint: 'Longest: the one chain around the part, for cutting',
    }),
    tolerance: param.length({ label: 'Within', default: 0.000002, min: 1e-8, max: 1 }),
  }),
  examples: [],
});
