import { z } from 'zod';
import { defineTool, param, slot } from '../recipe/define.ts';

export default defineTool({
  id: 'cage-from',
  version: 1,
  stage: 'cages',
  group: 'Begin with',
  label: 'Cage from',
  hint: 'A cage from a skin by an even grid of its surface, whose smooth surface runs through it, or from a mesh by its quads',
  synonyms: ['cage from skin', 'cage from mesh', 'quads from surface', 'retopology', 'isoparm grid'],
  ask: 'Pick a skin, a face or a scan',
  mistakes: [
    'The cage of a scan has thousands of faces: trace it with lines and rows instead, and lay that onto the scan.',
    'A trimmed skin comes whole: the cage is that of its surface. Take faces away afterwards.',
  ],
  icon: ['M4 17c4-9 12-9 16 0', 'M4 17l4-6 4-3 4 3 4 6M8 11v6M12 8v9M16 11v6M4 17h16'],
  slots: { of: slot({ label: 'Of', accepts: ['face', 'skin', 'scan'], hint: 'A skin, one of its faces, or a mesh' }) },
  params: z.object({
    along: param.integer({ label: 'Quads along u', default: 6, min: 1, max: 200, slider: 'even' }),
    across: param.integer({ label: 'Quads along v', default: 4, min: 1, max: 200, slider: 'even' }),
    through: param.toggle({
      label: 'Smooth surface through it',
      default: true,
      hint: 'The smooth surface runs through the points of the grid; else the cage has its corners there',
    }),
    flat: param.angle({
      label: 'Quads flat within',
      default: 40,
      min: 1,
      max: 180,
      rare: true,
      hint: 'Two triangles of a mesh become a quad when they fold by less',
    }),
  }),
  examples: [{ params: {} }, { params: { through: false, along: 3 } }],
});
