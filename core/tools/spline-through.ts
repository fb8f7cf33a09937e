import { z } from 'zod';
import { along, length as norm, type Vec3 } from '../math/index.ts';
import { curveThrough } from '../nurbs/index.ts';
import { curveResult, defineTool, doubled, drawingFrame, failure, onPlane, param, planeSlot } from '../recipe/index.ts';

export default defineTool({
  id: 'spline-through',
  version: 1,
  stage: 'curves',
  group: 'Draw',
  label: 'Spline through points',
  hint: 'A smooth curve that runs exactly through its points, with directions at the ends if wanted',
  icon: ['M4 17c4-14 7-2 9-3s4-9 7-8', 'M4 17h.01M12.500 14h.01M20 6h.01'],
  slots: { plane: planeSlot },
  params: z.object({
    points: param.points({ label: 'Points', default: [], minPoints: 2 }),
    degree: param.integer({ label: 'Degree', default: 3, min: 1, max: 7 }),
    closed: param.toggle({ label: 'Closed', default: false }),
    flat: param.toggle({ label: 'Keep flat', default: true }),
    ends: param.choice({
      label: 'End directions',
      options: [
        { value: 'free', label: 'Free' },
        { value: 'given', label: 'Given' },
      ],
      default: 'free',
      when: { key: 'closed', is: [false] },
    }),
    startDirection: param.vector({ label: 'Leaves along', default: [1, 0, 0], when: { key: 'ends', is: ['given'] } }),
    endDirection: param.vector({ label: 'Arrives along', default: [1, 0, 0], when: { key: 'ends', is: ['given'] } }),
  }),
  draws: { points: 'points', closed: 'closed', minimum: 2 },
  examples: [
    {
      params: {
        points: [
          [0, 0],
          [10, 20],
          [20, -5],
          [30, 10],
        ],
      },
    },
    {
      params: {
        points: [
          [0, 0],
          [10, 20],
          [20, -5],
          [30, 10],
        ],
        closed: true,
      },
    },
    {
      params: {
        points: [
          [0, 0],
          [10, 20],
          [30, 10],
        ],
        ends: 'given',
        startDirection: [0, 1, 0],
        endDirection: [1, 0, 0],
      },
    },
  ],
  evaluate(inputs, p) {
    const frame = drawingFrame(inputs.plane);
    if (!frame) return failure('not-flat', 'The plane picked is not flat');
    const least = p.closed ? 3 : 2;
    if (p.points.length < least) return failure('too-few', `Click at least ${least === 3 ? 'three' : 'two'} points`);
    const pts = onPlane(frame, p.flat ? p.points.map((q) => [q[0], q[1], 0] as const) : p.points);
    const twice = doubled(pts, p.closed);
    if (twice !== undefined)
      return failure('doubled', `Points ${twice + 1} and ${((twice + 1) % pts.length) + 1} fall together: move or remove one`, [
        pts[twice],
      ]);
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
  },
});
