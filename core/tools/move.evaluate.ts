import { bodyBox } from '../brep/index.ts';
import {
  type Affine,
  applyPoint,
  applyVector,
  type Box,
  boxCentre,
  boxOf,
  boxUnion,
  compose,
  DEG,
  type Frame,
  IDENTITY,
  rotation,
  scaling,
  toWorld,
  translation,
  type Vec3,
  WORLD,
} from '../math/index.ts';
import { controlPoints } from '../nurbs/index.ts';
import { defineEvaluation, failure, inputPlane, type Mark, type Piece, transformPiece } from '../recipe/index.ts';
import tool from './move.ts';

/** Box of a piece, roughly: enough for the place of its handles. */
function boxOfPiece(p: Piece): Box {
  if (p.kind === 'curve') return boxOf(p.curves.flatMap((c) => controlPoints(c).flat()));
  if (p.kind === 'skin' || p.kind === 'solid') return bodyBox(p.body);
  if (p.kind === 'scan') return boxOf(p.mesh.positions);
  if (p.kind === 'cage') return boxOf(p.cage.points);
  const at = p.kind === 'point' ? p.point : p.frame.origin;
  return { min: at, max: at };
}

/** Scaling by a factor along each axis of a frame, about a place. */
function axisScaling(f: Frame, centre: Vec3, by: Vec3): Affine {
  const m = [0, 1, 2].map((r) =>
    [0, 1, 2].map((c) => by[0] * f.x[r] * f.x[c] + by[1] * f.y[r] * f.y[c] + by[2] * f.z[r] * f.z[c]),
  ) as unknown as Affine['m'];
  const moved = applyVector({ m, t: [0, 0, 0] }, centre);
  return { m, t: [centre[0] - moved[0], centre[1] - moved[1], centre[2] - moved[2]] };
}

export default defineEvaluation(tool, (inputs, p) => {
  const frame = inputs.plane[0] ? inputPlane(inputs.plane[0]) : WORLD;
  if (!frame) return failure('not-flat', 'The plane picked is not flat');
  const centre = toWorld(frame, p.centre);
  let map = IDENTITY;
  if (p.scale !== 1) map = compose(scaling(centre, p.scale), map);
  if (p.stretch.some((x) => !(Math.abs(x) > 1e-6)))
    return failure(
      'flattened',
      'A scale of zero along an axis would flatten the pieces: give a number other than zero, or project curves instead',
    );
  if (p.stretch.some((x) => x !== 1)) map = compose(axisScaling(frame, centre, p.stretch), map);
  for (const [k, axis] of [
    [0, frame.x],
    [1, frame.y],
    [2, frame.z],
  ] as const)
    if (p.turns[k]) map = compose(rotation(centre, axis, p.turns[k] * DEG), map);
  const by = toWorld({ ...frame, origin: [0, 0, 0] }, p.by);
  map = compose(translation(by), map);
  const outputs: Record<string, Piece> = {};
  const copies = p.copy ? p.copies : 1;
  let step: Affine = IDENTITY;
  for (let n = 1; n <= copies; n++) {
    step = compose(map, step);
    inputs.pieces.forEach((i, k) => {
      outputs[n === 1 ? (k === 0 ? 'main' : `piece${k + 1}`) : `copy${n}-${k + 1}`] = transformPiece(i.piece, step);
    });
  }
  if (p.copy)
    inputs.pieces.forEach((i, k) => {
      outputs[k === 0 ? 'original' : `original${k + 1}`] = i.piece;
    });
  const middle = boxCentre(inputs.pieces.map((i) => boxOfPiece(i.piece)).reduce(boxUnion));
  const mover: Mark = {
    kind: 'mover',
    frame: { ...frame, origin: applyPoint(map, middle) },
    by: { param: 'by', value: p.by },
    turns: { param: 'turns', value: p.turns },
  };
  const fact = {
    label: 'pieces',
    value: p.copy
      ? `${inputs.pieces.length} and ${copies * inputs.pieces.length} ${copies * inputs.pieces.length === 1 ? 'copy' : 'copies'}`
      : String(inputs.pieces.length),
  };
  return { outputs, marks: [mover], facts: [fact] };
});
