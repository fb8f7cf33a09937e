import { polygonPoints, roundCorners } from '../curves/index.ts';
import { DEG, toWorld } from '../math/index.ts';
import { lineCurve, polylineCurve } from '../nurbs/index.ts';
import { chainResult, curveResult, defineEvaluation, drawingFrame, failure, onPlane } from '../recipe/index.ts';
import tool from './polygon.ts';

export default defineEvaluation(tool, (inputs, p) => {
  const frame = drawingFrame(inputs.plane);
  if (!frame) return failure('not-flat', 'The plane picked is not flat');
  if (!p.centre.length) return failure('too-few', 'Click the middle');
  const radius = p.shape === 'polygon' && p.size === 'side' ? p.radius / Math.cos(Math.PI / p.sides) : p.radius;
  const at = { ...frame, origin: toWorld(frame, p.centre[0]) };
  const c = onPlane(at, polygonPoints(p.sides, radius, p.turn * DEG, p.shape === 'star' ? p.inner : undefined));
  if (!p.round) return curveResult(polylineCurve([...c, c[0]]));
  const n = c.length;
  const r = roundCorners(
    c.map((q, i) => lineCurve(q, c[(i + 1) % n])),
    true,
    frame,
    p.round,
    p.corners.length ? p.corners.map((k) => (Math.round(k) + n - 2) % n) : 'all',
  );
  return r.ok ? chainResult(r.curves) : failure('radius', r.message, [r.place]);
});
