import { along, length as norm, type Vec3 } from '../math/index.ts';
import { curveThrough } from '../nurbs/index.ts';
import { curveResult, defineEvaluation, doubled, drawingFrame, failure, onPlane } from '../recipe/index.ts';
import tool from './spline-through.ts';

export default defineEvaluation(tool, (inputs, p) => {
  const frame = drawingFrame(inputs.plane);
  if (!frame) return failure('not-flat', 'The plane picked is not flat');
  const least = p.closed ? 3 : 2;
  if (p.points.length < least) return failure('too-few', `Click at least ${least === 3 ? 'three' : 'two'} points`);
  const pts = onPlane(frame, p.flat ? p.points.map((q) => [q[0], q[1], 0] as const) : p.points);
  const twice = doubled(pts, p.closed);
  if (twice !== undefined)
    return failure('doubled', `Points ${twice + 1} and ${((twice + 1) % pts.length) + 1} fall together: move or remove one`, [pts[twice]]);
  const world = (d: Vec3): Vec3 => along(along(along([0, 0, 0], frame.x, d[0]), frame.y, d[1]), frame.z, d[2]);
  const given = p.ends === 'given' && !p.closed;
  if (given && (norm(p.startDirection) === 0 || norm(p.endDirection) === 0))
    return failure('no-direction', 'An end direction is zero: type a direction such as 0, 1, 0');
  return curveResult(
    curveThrough(pts, {
      degree: p.degree,
      closed: p.closed,
      startTangent: given ? world(p.startDirection) : undefined,
      endTangent: given ? world(p.endDirection) : undefined,
    }),
  );
});
