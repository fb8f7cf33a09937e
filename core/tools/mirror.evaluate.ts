import { frameFromNormal, reflection, WORLD } from '../math/index.ts';
import { defineEvaluation, failure, inputPlane, type Piece, transformPiece } from '../recipe/index.ts';
import tool from './mirror.ts';

export default defineEvaluation(tool, (inputs, p) => {
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
});
