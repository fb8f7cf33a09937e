import { compose, DEG, IDENTITY, rotation, scaling, toWorld, translation, WORLD } from '../math/index.ts';
import { defineEvaluation, failure, inputPlane, type Piece, transformPiece } from '../recipe/index.ts';
import tool from './move.ts';

export default defineEvaluation(tool, (inputs, p) => {
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
});
