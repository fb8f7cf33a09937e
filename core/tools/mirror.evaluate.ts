import { distance, type Frame, frameFromNormal, lerp, reflection, sub, WORLD } from '../math/index.ts';
import {
  defineEvaluation,
  failure,
  type Input,
  inputPlane,
  inputPoint,
  type Piece,
  type ToolResult,
  transformPiece,
} from '../recipe/index.ts';
import tool from './mirror.ts';

type Across = 'xy' | 'xz' | 'yz';
/** The plane of a frame that two of its axes span. */
const planeIn = (f: Frame, across: Across): Frame => (across === 'xy' ? f : frameFromNormal(f.origin, across === 'xz' ? f.y : f.x));

function mirrorOf(picks: readonly Input[], p: { world: Across; own: boolean }): Frame | ToolResult {
  if (!picks.length) return planeIn(WORLD, p.world);
  const points = picks.map(inputPoint);
  if (points.some(Boolean)) {
    const [a, b] = points;
    if (!a || !b) return failure('two-points', 'Two points are needed to mirror half-way between them: pick the other one');
    if (distance(a, b) < 1e-9) return failure('one-place', 'The two points lie in one place: there is no half-way', [a]);
    return frameFromNormal(lerp(a, b, 0.5), sub(b, a));
  }
  if (picks.length > 1) return failure('two-planes', 'One plane is enough: take the other one out');
  const frame = inputPlane(picks[0]);
  if (!frame) return failure('not-flat', 'The plane picked is not flat');
  return picks[0].piece.kind === 'plane' && !p.own ? planeIn(frame, p.world) : frame;
}

export default defineEvaluation(tool, (inputs, p) => {
  const frame = mirrorOf(inputs.plane, p);
  if ('outputs' in frame) return frame;
  const outputs: Record<string, Piece> = {};
  inputs.pieces.forEach((i, k) => {
    outputs[k === 0 ? 'main' : `piece${k + 1}`] = transformPiece(i.piece, reflection(frame));
  });
  if (p.keep)
    inputs.pieces.forEach((i, k) => {
      outputs[k === 0 ? 'original' : `original${k + 1}`] = i.piece;
    });
  return {
    outputs,
    facts: [{ label: 'pieces', value: p.keep ? `${inputs.pieces.length} and as many images` : String(inputs.pieces.length) }],
  };
});
