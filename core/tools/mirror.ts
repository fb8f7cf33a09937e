import { z } from 'zod';
import { frameFromNormal, reflection, WORLD } from '../math/index.ts';
import { defineTool, failure, inputPlane, type Piece, param, slot, transformPiece } from '../recipe/index.ts';

export default defineTool({
  id: 'mirror',
  version: 1,
  stage: 'solids',
  group: 'Place',
  label: 'Mirror',
  hint: 'Mirror image of pieces in a plane, with or without the original',
  icon: ['M9 6 4 18h5z', 'M15 6l5 12h-5zM12 4v16'],
  slots: {
    pieces: slot({ label: 'Pieces', accepts: ['piece'], min: 1, max: 200, consumes: true }),
    plane: slot({ label: 'In plane', accepts: ['flat'], min: 0, max: 1, active: true }),
  },
  params: z.object({
    world: param.choice({
      label: 'World plane',
      options: [
        { value: 'yz', label: 'Left and right' },
        { value: 'xz', label: 'Front and back' },
        { value: 'xy', label: 'Up and down' },
      ],
      default: 'yz',
    }),
    keep: param.toggle({ label: 'Keep the original', default: true }),
  }),
  examples: [{ params: {} }, { params: { world: 'xy', keep: false } }],
  evaluate(inputs, p) {
    const worlds = { xy: WORLD, xz: frameFromNormal([0, 0, 0], [0, 1, 0]), yz: frameFromNormal([0, 0, 0], [1, 0, 0]) };
    const frame = inputs.plane[0] ? inputPlane(inputs.plane[0]) : worlds[p.world];
    if (!frame) return failure('not-flat', 'The plane picked is not flat');
    const outputs: Record<string, Piece> = {};
    inputs.pieces.forEach((i, k) => {
      outputs[k === 0 ? 'main' : `piece${k + 1}`] = transformPiece(i.piece, reflection(frame));
    });
    if (p.keep)
      inputs.pieces.forEach((i, k) => {
        outputs[k === 0 ? 'original' : `original${k + 1}`] = i.piece;
      });
    return { outputs };
  },
});
