import { conic } from '../curves/index.ts';
import { cross, distance, length, sub } from '../math/index.ts';
import { curveResult, defineEvaluation, drawingFrame, failure, onPlane } from '../recipe/index.ts';
import tool from './conic.ts';

export default defineEvaluation(tool, (inputs, p) => {
  const frame = drawingFrame(inputs.plane);
  if (!frame) return failure('not-flat', 'The plane picked is not flat');
  if (p.points.length < 3) return failure('too-few', 'Click three points: start, corner, end');
  const [a, corner, b] = onPlane(frame, p.points);
  if (length(cross(sub(corner, a), sub(b, a))) < 1e-9 * distance(a, b) ** 2)
    return failure('in-line', 'Start, corner and end lie in one line: the conic would be straight', [a, corner, b]);
  const kind = p.fullness < 0.4999 ? 'ellipse' : p.fullness > 0.5001 ? 'hyperbola' : 'parabola';
  const r = curveResult(conic(a, corner, b, p.fullness));
  return { ...r, facts: [...(r.facts ?? []), { label: 'kind', value: kind }] };
});
