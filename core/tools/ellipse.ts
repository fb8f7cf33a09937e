import { z } from 'zod';
import { DEG, rotateAbout, toWorld } from '../math/index.ts';
import { smoothArc } from '../nurbs/index.ts';
import { curveResult, defineTool, drawingFrame, failure, param, planeSlot } from '../recipe/index.ts';

export default defineTool({
  id: 'ellipse',
  version: 1,
  stage: 'curves',
  group: 'Draw',
  label: 'Ellipse',
  hint: 'An ellipse from its centre and two radii: exact, one smooth span',
  icon: ['M12 6c5 0 9 2.700 9 6s-4 6-9 6-9-2.700-9-6 4-6 9-6z', 'M12 12h6'],
  slots: { plane: planeSlot },
  params: z.object({
    centre: param.points({ label: 'Centre', default: [[0, 0]], minPoints: 1 }),
    radiusX: param.length({ label: 'Radius along x', default: 20, min: 1e-6 }),
    radiusY: param.length({ label: 'Radius along y', default: 12, min: 1e-6 }),
    turn: param.angle({ label: 'Turned by', default: 0 }),
  }),
  draws: { points: 'centre', minimum: 1, maximum: 1, radius: 'radiusX' },
  examples: [{ params: {} }, { params: { turn: 20 } }],
  evaluate(inputs, p) {
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
  },
});
