import { z } from 'zod';
import { compose, DEG, IDENTITY, rotation, scaling, toWorld, translation, WORLD } from '../math/index.ts';
import { defineTool, failure, inputPlane, type Piece, param, slot, transformPiece } from '../recipe/index.ts';

export default defineTool({
  id: 'move',
  version: 1,
  stage: 'solids',
  group: 'Place',
  label: 'Move',
  hint: 'Moves, turns or scales pieces, along the axes of a plane',
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
    copy: param.toggle({ label: 'Keep the original', default: false }),
  }),
  examples: [{ params: { by: [5, 0, 0], turns: [0, 0, 30] } }, { params: { scale: 2 } }],
  evaluate(inputs, p) {
    const frame = inputs.plane[0] ? inputPlane(inputs.plane[0]) : WORLD;
    if (!frame) return failure('not-flat', 'The plane picked is not flat');
    const centre = toWorld(frame, p.centre);
    let map = IDENTITY;
    if (p.scale !== 1) map = compose(scaling(centre, p.scale), map);
    for (const [k, axis] of [
      [0, frame.x],
      [1, frame.y],
      [2, frame.z],
    ] as const)
      if (p.turns[k]) map = compose(rotation(centre, axis, p.turns[k] * DEG), map);
    const by = toWorld({ ...frame, origin: [0, 0, 0] }, p.by);
    map = compose(translation(by), map);
    const outputs: Record<string, Piece> = {};
    inputs.pieces.forEach((i, k) => {
      outputs[k === 0 ? 'main' : `piece${k + 1}`] = transformPiece(i.piece, map);
    });
    if (p.copy)
      inputs.pieces.forEach((i, k) => {
        outputs[k === 0 ? 'original' : `original${k + 1}`] = i.piece;
      });
    return { outputs };
  },
});
