import { DEG, rotateAbout, toWorld } from '../math/index.ts';
import { smoothArc } from '../nurbs/index.ts';
import { curveResult, defineEvaluation, drawingFrame, failure } from '../recipe/index.ts';
import tool from './ellipse.ts';

export default defineEvaluation(tool, (inputs, p) => {
  const frame = drawingFrame(inputs.plane);
  if (!frame) return failure('not-flat', 'The plane picked is not flat');
  if (p.centre.length < 1) return failure('too-few', 'Click the centre');
  const a = p.turn * DEG;
  return curveResult(
    smoothArc(
      { ...frame, origin: toWorld(frame, p.centre[0]), x: rotateAbout(frame.x, frame.z, a), y: rotateAbout(frame.y, frame.z, a) },
      p.radiusX,
      p.radiusY,
    ),
  );
});
