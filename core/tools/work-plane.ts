import { z } from 'zod';
import { DEG, frameFromNormal, frameFromPoints, placeFrame, type Vec3, WORLD } from '../math/index.ts';
import { defineTool, failure, inputPlane, inputPoint, param, slot } from '../recipe/index.ts';

export default defineTool({
  id: 'work-plane',
  version: 1,
  stage: 'references',
  group: 'Planes',
  label: 'Work plane',
  hint: 'A plane to draw on: a base plane moved and turned by typed values, or three points',
  icon: ['M3 16 9 8h12l-6 8z', 'M12 12V4'],
  slots: {
    base: slot({ label: 'Base', accepts: ['flat'], min: 0, hint: 'Another work plane or a flat face; the world when empty', when: { key: 'method', is: ['placed'] } }),
    points: slot({ label: 'Points', accepts: ['point'], min: 0, max: 3, ordered: true, hint: 'Origin, a point along x, a point on the y side', when: { key: 'method', is: ['points'] } }),
  },
  params: z.object({
    method: param.choice({
      label: 'Made by',
      options: [
        { value: 'placed', label: 'Offset and turns' },
        { value: 'points', label: 'Three points' },
      ],
      default: 'placed',
    }),
    base: param.choice({
      label: 'World plane',
      options: [
        { value: 'xy', label: 'Top' },
        { value: 'xz', label: 'Front' },
        { value: 'yz', label: 'Side' },
      ],
      default: 'xy',
      when: { key: 'method', is: ['placed'] },
    }),
    offset: param.vector({ label: 'Offset', default: [0, 0, 0], quantity: 'length', when: { key: 'method', is: ['placed'] } }),
    turns: param.vector({ label: 'Turns', default: [0, 0, 0], quantity: 'angle', hint: 'Degrees about x, then y, then z', when: { key: 'method', is: ['placed'] } }),
    a: param.vector({ label: 'Origin', default: [0, 0, 0], quantity: 'length', when: { key: 'method', is: ['points'] } }),
    b: param.vector({ label: 'Towards x', default: [1, 0, 0], quantity: 'length', when: { key: 'method', is: ['points'] } }),
    c: param.vector({ label: 'On the y side', default: [0, 1, 0], quantity: 'length', when: { key: 'method', is: ['points'] } }),
    size: param.length({ label: 'Shown size', default: 100, min: 1e-3 }),
  }),
  examples: [{ params: { offset: [0, 0, 20], turns: [30, 0, 0] } }, { params: { method: 'points', a: [0, 0, 0], b: [0, 1, 0], c: [0, 0, 1] } }],
  evaluate(inputs, p) {
    if (p.method === 'points') {
      const typed: Vec3[] = [p.a, p.b, p.c];
      const pts = typed.map((t, i) => (inputs.points[i] ? (inputPoint(inputs.points[i]) ?? t) : t));
      const frame = frameFromPoints(pts[0], pts[1], pts[2]);
      if (!frame) return failure('in-line', 'The three points lie in one line and give no plane: move one of them aside', pts);
      return { outputs: { main: { kind: 'plane', frame, size: p.size } } };
    }
    const worlds = { xy: WORLD, xz: frameFromNormal([0, 0, 0], [0, -1, 0], [1, 0, 0]), yz: frameFromNormal([0, 0, 0], [1, 0, 0], [0, 1, 0]) };
    const base = inputs.base[0] ? inputPlane(inputs.base[0]) : worlds[p.base];
    if (!base) return failure('not-flat', 'The base is not flat: pick a work plane or a flat face');
    return { outputs: { main: { kind: 'plane', frame: placeFrame(base, p.offset, [p.turns[0] * DEG, p.turns[1] * DEG, p.turns[2] * DEG]), size: p.size } } };
  },
});
