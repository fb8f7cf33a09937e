import { z } from 'zod';
import { defineTool, param, slot } from '../recipe/define.ts';

export default defineTool({
  id: 'untrim',
  version: 1,
  stage: 'joins',
  group: 'Cut',
  label: 'Untrim',
  hint: 'Takes trims away again: the whole natural face, only the holes in it, or the surface cut back to its trims',
  synonyms: ['restore', 'remove trims', 'whole surface', 'fill hole'],
  ask: 'Pick the faces to restore',
  mistakes: [
    'The natural face is larger than expected: a trimmed plane may go far. Shrink it instead.',
    'Only one hole should go: choose the holes, and pick its edge.',
  ],
  icon: ['M4 7c5-3 11-3 16 0v10c-5 3-11 3-16 0z', 'M9 10c2-1 4-1 6 0v4c-2 1-4 1-6 0z', 'M12 12m-1 0h2'],
  slots: {
    faces: slot({ label: 'Faces', accepts: ['face', 'body'], min: 1, max: 200, consumes: true, hint: 'Faces, or a whole skin' }),
    holes: slot({
      label: 'Only these holes',
      accepts: ['edge'],
      min: 0,
      max: 100,
      hint: 'An edge of each hole; all open holes when empty',
      when: { key: 'what', is: ['holes'] },
    }),
  },
  params: z.object({
    what: param.choice({
      label: 'What goes',
      options: [
        { value: 'all', label: 'All trims' },
        { value: 'holes', label: 'Holes' },
        { value: 'shrink', label: 'Unused surface' },
      ],
      default: 'all',
    }),
  }),
  examples: [{ params: {} }, { params: { what: 'shrink' } }],
});
