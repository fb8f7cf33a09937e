import { z } from 'zod';
import { defineTool, param, slot } from '../recipe/define.ts';

export default defineTool({
  id: 'move',
  version: 1,
  stage: 'solids',
  group: 'Place',
  label: 'Move',
  hint: 'Moves, turns or scales pieces, along the axes of a plane',
  mistakes: [
    'It turns about the wrong place: the centre is that of the plane, pick another plane or type the centre.',
    'Scaled pieces no longer fit their fillets: scale first, fillet later.',
  ],
  icon: ['M4 20h7v-7H4z', 'M14 4h6v6h-6z', 'm11 13 4-4'],
  slots: {
    pieces: slot({ label: 'Pieces', accepts: ['piece'], min: 1, max: 200, consumes: true }),
    plane: slot({ label: 'In axes of', accepts: ['flat'], min: 0, max: 1, active: true }),
  },
  params: z.object({
    by: param.vector({ label: 'By', default: [0, 0, 0], quantity: 'length' }),
    turns: param.vector({
      label: 'Turned',
      default: [0, 0, 0],
      quantity: 'angle',
      hint: 'Degrees about x, y, z of the plane, through the centre below',
    }),
    centre: param.vector({ label: 'Centre', default: [0, 0, 0], quantity: 'length' }),
    scale: param.ratio({ label: 'Scale', default: 1, min: 1e-6, max: 1e6 }),
    stretch: param.vector({
      label: 'Each axis',
      default: [1, 1, 1],
      hint: 'Scale along x, y and z of the plane, through the centre; 1 leaves an axis as it is',
    }),
    copy: param.toggle({ label: 'Keep the original', default: false }),
    copies: param.integer({
      label: 'Copies',
      default: 1,
      min: 1,
      max: 500,
      hint: 'Each is moved on from the one before',
      when: { key: 'copy', is: [true] },
    }),
  }),
  synonyms: ['translate', 'rotate', 'scale', 'copy', 'array', 'place', 'transform'],
  ask: 'Pick the pieces to move',
  examples: [{ params: { by: [5, 0, 0], turns: [0, 0, 30] } }, { params: { scale: 2 } }, { params: { stretch: [1, 1, 0.5] } }],
});
