import { z } from 'zod';
import { defineTool, param, slot } from '../recipe/define.ts';

export default defineTool({
  id: 'cage-mesh',
  version: 1,
  stage: 'cages',
  group: 'Out',
  label: 'Mesh of a cage',
  hint: 'A mesh of the smooth surface of a cage at a chosen fineness, or of the cage itself: for files of triangles, for sections and for tracing anew',
  synonyms: ['triangulate', 'bake', 'export mesh', 'tessellate', 'freeze'],
  ask: 'Pick the cage',
  mistakes: [
    'The mesh is coarse: each step of refinement has four times as many triangles, choose one more.',
    'It cannot be pulled any more: it is a mesh. Go back to the cage, the mesh follows.',
  ],
  icon: ['M4 8l8-4 8 4v8l-8 4-8-4z', 'M4 8l8 4 8-4M12 12v8M4 8l8 12M20 8l-8 12M4 16l8-4 8 4'],
  slots: { cage: slot({ label: 'Cage', accepts: ['cage'] }) },
  params: z.object({
    steps: param.integer({
      label: 'Steps of refinement',
      default: 3,
      min: 0,
      max: 6,
      slider: 'even',
      hint: 'None: the faces of the cage themselves',
    }),
  }),
  examples: [{ params: {} }, { params: { steps: 0 } }],
});
