import { z } from 'zod';
import { defineTool, param, slot } from '../recipe/define.ts';

export default defineTool({
  id: 'imprint',
  version: 1,
  stage: 'joins',
  group: 'Cut',
  label: 'Imprint',
  hint: 'Draws curves, or the lines in which skins and planes meet it, into faces as edges; nothing is taken apart',
  synonyms: ['scribe', 'divide face', 'split face', 'engrave', 'parting edge', 'edge on face'],
  ask: 'Pick what is divided, then the curves, skins or planes that draw on it',
  mistakes: [
    'The curve stops short of the border and divides nothing: carry it on first.',
    'Something should be cut off: imprint only draws edges, use Trim.',
  ],
  icon: ['M3 8c6-4 12-4 18 0v9c-6 4-12 4-18 0z', 'M10 3c-2 3 2 3 1 6', 'M8 18c-1-4 6-3 7-7s-2-4-1-5'],
  slots: {
    target: slot({ label: 'Into', accepts: ['body'], min: 1, max: 1, consumes: true }),
    lines: slot({ label: 'Lines of', accepts: ['body', 'flat', 'chain'], min: 1, max: 50 }),
    faces: slot({ label: 'Only these faces', accepts: ['face'], min: 0, max: 100, hint: 'Faces of it; all when empty' }),
  },
  params: z.object({
    direction: param.choice({
      label: 'Curves fall along',
      options: [
        { value: 'normal', label: 'Normals' },
        { value: 'plane', label: 'Own plane' },
        { value: 'upright', label: "Work plane's z" },
        { value: 'x', label: 'X' },
        { value: 'y', label: 'Y' },
        { value: 'z', label: 'Z' },
      ],
      default: 'normal',
      hint: 'Normals: where they lie on the skin; along a direction they fall on all faces in their way',
    }),
  }),
  examples: [{ params: {} }, { params: { direction: 'z' } }],
});
