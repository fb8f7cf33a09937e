import { z } from 'zod';
import { defineTool, param, planeSlot } from '../recipe/define.ts';

export default defineTool({
  id: 'circle',
  version: 1,
  stage: 'curves',
  group: 'Draw',
  label: 'Circle',
  hint: 'A circle or arc from its centre and size: exact, one smooth span',
  synonyms: ['ring', 'round', 'disc', 'bore'],
  mistakes: [
    'It lies on the wrong plane: pick the plane before you click, or change it on the card.',
    'A circle of four arcs is not smooth for a loft: this one is a single smooth span, keep it so.',
  ],
  icon: ['M12 4a8 8 0 1 0 0 16 8 8 0 0 0 0-16z', 'M12 12h5'],
  slots: { plane: planeSlot },
  params: z.object({
    centre: param.points({ label: 'Centre', default: [[0, 0]], minPoints: 1 }),
    size: param.choice({
      label: 'Given by',
      options: [
        { value: 'radius', label: 'Radius' },
        { value: 'diameter', label: 'Diameter' },
      ],
      default: 'radius',
    }),
    radius: param.length({ label: 'Radius', default: 10, min: 1e-6, when: { key: 'size', is: ['radius'] } }),
    diameter: param.length({ label: 'Diameter', default: 20, min: 2e-6, when: { key: 'size', is: ['diameter'] } }),
    part: param.choice({
      label: 'Extent',
      options: [
        { value: 'full', label: 'Whole' },
        { value: 'arc', label: 'Arc' },
      ],
      default: 'full',
    }),
    start: param.angle({ label: 'Start angle', default: 0, when: { key: 'part', is: ['arc'] } }),
    end: param.angle({ label: 'End angle', default: 90, when: { key: 'part', is: ['arc'] } }),
  }),
  draws: { points: 'centre', minimum: 1, maximum: 1, radius: 'radius' },
  examples: [{ params: {} }, { params: { part: 'arc', start: 30, end: 200 } }],
});
