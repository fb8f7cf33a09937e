import { z } from 'zod';
import { defineTool, param, slot } from '../recipe/define.ts';

export default defineTool({
  id: 'cage-edit',
  version: 1,
  stage: 'cages',
  group: 'Shape',
  label: 'Edit cage',
  hint: 'Vertices, edges and faces of a cage pulled, extruded, looped, bridged, creased: one list of operations that is replayed when its start changes',
  synonyms: ['extrude', 'loop', 'crease', 'vertices', 'push', 'pull', 'sculpt', 'bridge', 'weld', 'dissolve', 'flatten', 'symmetry'],
  ask: 'Pick the cage to edit',
  mistakes: [
    'An operation is passed over after the start changed: what it acted on has another name. Open the list, it says which.',
    'The mirror refuses: its plane cuts through faces. Put a loop of edges into the plane first.',
  ],
  icon: ['M4 7l8-3 8 3v9l-8 4-8-4z', 'M4 7l8 4 8-4M12 11v9', 'M12 11v-6M9.500 7.500 12 5l2.500 2.500'],
  slots: {
    cage: slot({ label: 'Cage', accepts: ['cage'], consumes: true }),
    mirror: slot({
      label: 'Mirrored in',
      accepts: ['flat'],
      min: 0,
      hint: 'What is done on one side of this plane is done on the other; the seam lies in it exactly',
    }),
  },
  params: z.object({
    operations: param.operations({ label: 'Operations' }),
    other: param.toggle({
      label: 'Keep the other side',
      default: false,
      hint: 'The half behind the mirror plane is the one that is edited',
      rare: true,
    }),
    within: param.length({
      label: 'Seam within',
      default: 0.01,
      min: 1e-6,
      max: 10,
      hint: 'Border vertices as near to the mirror plane as this are put in it',
      rare: true,
    }),
  }),
  examples: [
    { params: {} },
    {
      params: {
        operations: [
          { id: 'k1', op: 'insert-loop', edge: 'v 0 0 0~v 1/2 0 0', shares: [0.5] },
          { id: 'k2', op: 'move', vertices: ['v 1/2 1/2 1'], by: [0, 0, '8 mm'], radius: 30 },
          { id: 'k3', op: 'crease', edges: ['v 0 0 0~v 1/2 0 0', 'gone~too'], sharpness: 11 },
        ],
      },
    },
  ],
});
