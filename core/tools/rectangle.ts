import { z } from 'zod';
import { roundCorners } from '../curves/index.ts';
import { cross, dot, length, scale, sub, unit, type Vec3 } from '../math/index.ts';
import { lineCurve, polylineCurve } from '../nurbs/index.ts';
import { chainResult, curveResult, defineTool, drawingFrame, failure, onPlane, param, planeSlot } from '../recipe/index.ts';

export default defineTool({
  id: 'rectangle',
  version: 1,
  stage: 'curves',
  group: 'Draw',
  label: 'Rectangle',
  hint: 'A rectangle from a corner, from its middle or through three points; its corners may be rounded, all or chosen ones',
  icon: ['M4 6h.01M20 18h.01', 'M4 6h16v12H4z'],
  slots: { plane: planeSlot },
  params: z.object({
    by: param.choice({
      label: 'Given by',
      options: [
        { value: 'corner', label: 'Corner' },
        { value: 'centre', label: 'Middle' },
        { value: 'three', label: '3 points' },
      ],
      default: 'corner',
    }),
    points: param.points({
      label: 'Points',
      default: [],
      minPoints: 1,
      hint: 'A corner or the middle, and the opposite corner; or two corners and the height',
    }),
    width: param.length({ label: 'Width', default: 0, min: 0, hint: 'Zero: as drawn', when: { key: 'by', is: ['corner', 'centre'] } }),
    height: param.length({ label: 'Height', default: 0, min: 0, hint: 'Zero: as drawn', when: { key: 'by', is: ['corner', 'centre'] } }),
    radius: param.length({ label: 'Corner radius', default: 0, min: 0 }),
    corners: param.numbers({ label: 'Only corners', default: [], hint: 'Numbers of the corners to round, from 1; all when empty' }),
  }),
  draws: { points: 'points', minimum: 1, maximum: 3 },
  examples: [
    {
      params: {
        points: [
          [0, 0],
          [20, 10],
        ],
      },
    },
    { params: { by: 'centre', points: [[5, 5]], width: 30, height: 12, radius: 2 } },
    {
      params: {
        by: 'three',
        points: [
          [0, 0],
          [10, 10],
          [0, 14],
        ],
        radius: 1,
        corners: [1, 3],
      },
    },
  ],
  evaluate(inputs, p) {
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
  },
});
