import { z } from 'zod';
import { defineTool, param, planeSlot } from '../recipe/define.ts';

export default defineTool({
  id: 'polygon',
  version: 1,
  stage: 'curves',
  group: 'Draw',
  label: 'Polygon, star',
  hint: 'A regular polygon or a star from its middle and size; its corners may be rounded, all or chosen ones',
  synonyms: ['hexagon', 'triangle', 'star', 'regular'],
  mistakes: [
    'A star with pointed corners gives a kinked skin: round its corners first.',
    'It is turned: pull its handle, or type the turn.',
  ],
  icon: ['M12 12h.01', 'M12 4l8 5.800-3 9.200H7L4 9.800z'],
  slots: { plane: planeSlot },
  params: z.object({
    centre: param.points({ label: 'Middle', default: [[0, 0]], minPoints: 1 }),
    shape: param.choice({
      label: 'Shape',
      options: [
        { value: 'polygon', label: 'Polygon' },
        { value: 'star', label: 'Star' },
      ],
      default: 'polygon',
    }),
    sides: param.integer({ label: 'Sides or points', default: 6, min: 3, max: 200 }),
    size: param.choice({
      label: 'Radius to',
      options: [
        { value: 'corner', label: 'Corners' },
        { value: 'side', label: 'Sides' },
      ],
      default: 'corner',
      when: { key: 'shape', is: ['polygon'] },
    }),
    radius: param.length({ label: 'Radius', default: 10, min: 1e-6 }),
    inner: param.length({ label: 'Inner radius', default: 5, min: 1e-6, when: { key: 'shape', is: ['star'] } }),
    turn: param.angle({ label: 'Turned by', default: 0 }),
    round: param.length({ label: 'Corner radius', default: 0, min: 0 }),
    corners: param.numbers({ label: 'Only corners', default: [], hint: 'Numbers of the corners to round, from 1; all when empty' }),
  }),
  draws: { points: 'centre', minimum: 1, maximum: 1, radius: 'radius' },
  examples: [
    { params: {} },
    { params: { shape: 'star', sides: 5, round: 0.4 } },
    { params: { sides: 8, size: 'side', round: 1, corners: [1, 2] } },
  ],
});
