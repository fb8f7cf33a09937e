import { roundCorners } from '../curves/index.ts';
import { cross, dot, length, scale, sub, unit, type Vec3 } from '../math/index.ts';
import { lineCurve, polylineCurve } from '../nurbs/index.ts';
import { chainResult, curveResult, defineEvaluation, drawingFrame, failure, onPlane } from '../recipe/index.ts';
import tool from './rectangle.ts';

export default defineEvaluation(tool, (inputs, p) => {
  const frame = drawingFrame(inputs.plane);
  if (!frame) return failure('not-flat', 'The plane picked is not flat');
  const pts = p.points;
  if (!pts.length) return failure('too-few', p.by === 'three' ? 'Click two corners and a point for the height' : 'Click the first point');
  let flat: Vec3[];
  if (p.by === 'three') {
    if (pts.length < 3) return failure('too-few', 'Click two corners and a point for the height');
    const along = sub(pts[1], pts[0]);
    const up = sub(pts[2], pts[0]);
    const l = length(along);
    if (l < 1e-9) return failure('no-size', 'The first two points fall together', [onPlane(frame, pts)[0]]);
    const n = unit(cross([0, 0, 1], along));
    const h = scale(n, dot(up, n));
    flat = [pts[0], pts[1], [pts[1][0] + h[0], pts[1][1] + h[1], 0], [pts[0][0] + h[0], pts[0][1] + h[1], 0]];
  } else {
    const other = pts[1] ?? pts[0];
    const k = p.by === 'centre' ? 2 : 1;
    const sign = (x: number) => (x < 0 ? -1 : 1);
    const w = (p.width || Math.abs(other[0] - pts[0][0]) * k) * sign(other[0] - pts[0][0]);
    const h = (p.height || Math.abs(other[1] - pts[0][1]) * k) * sign(other[1] - pts[0][1]);
    const [x0, y0] = p.by === 'centre' ? [pts[0][0] - w / 2, pts[0][1] - h / 2] : [pts[0][0], pts[0][1]];
    flat = [
      [x0, y0, 0],
      [x0 + w, y0, 0],
      [x0 + w, y0 + h, 0],
      [x0, y0 + h, 0],
    ];
  }
  const size = [sub(flat[1], flat[0]), sub(flat[3], flat[0])].map(length);
  if (size.some((x) => x < 1e-9))
    return failure(
      'no-size',
      'The rectangle has no size yet: click the opposite corner, or type width and height',
      onPlane(frame, [flat[0]]),
    );
  const c = onPlane(frame, flat);
  const facts = [{ label: 'size', value: size.map((x) => Number(x.toFixed(4))).join(' × ') }];
  if (!p.radius) {
    const r = curveResult(polylineCurve([...c, c[0]]));
    return { ...r, facts: [...(r.facts ?? []), ...facts] };
  }
  // corner 1 is the first one clicked; the chain's first corner is the second of the rectangle
  const which = p.corners.length ? p.corners.map((n) => (Math.round(n) + 2) % 4) : 'all';
  const r = roundCorners(
    c.map((q, i) => lineCurve(q, c[(i + 1) % 4])),
    true,
    frame,
    p.radius,
    which,
  );
  return r.ok ? chainResult(r.curves, { facts }) : failure('radius', r.message, [r.place]);
});
