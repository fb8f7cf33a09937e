import { z } from 'zod';
import { defineTool, param, slot } from '../recipe/define.ts';

export default defineTool({
  id: 'measure',
  version: 1,
  stage: 'proof',
  group: 'Measure',
  label: 'Measure',
  hint: 'Keeps a length, distance, angle, radius, area, volume or mass in the view; other numbers may use it: measure("Measure").distance',
  synonyms: ['dimension', 'distance', 'length', 'angle', 'radius', 'diameter', 'mass', 'weight', 'volume', 'area', 'bounding box', 'size'],
  ask: 'Pick one thing for its own measures, or two for what lies between them',
  mistakes: [
    'The number does not follow: it was measured on a hidden copy. Pick the piece that is live.',
    'A formula cannot find it: write the measure’s name exactly, in quotes.',
  ],
  icon: ['M4 8v8 M20 8v8 M4 12h16', 'M8 10l-4 2 4 2 M16 10l4 2-4 2'],
  slots: {
    things: slot({
      label: 'What',
      accepts: ['chain', 'face', 'vertex', 'point', 'flat', 'body'],
      min: 1,
      max: 2,
      ordered: true,
      grow: ['chain', 'loop', 'rim'],
      hint: 'A piece, a face, an edge, a curve, a corner or a plane; two for their distance and angle',
    }),
  },
  params: z.object({
    shown: param.choice({
      label: 'In the view',
      options: [
        { value: 'first', label: 'What is first' },
        { value: 'length', label: 'Length' },
        { value: 'distance', label: 'Distance' },
        { value: 'along_x', label: 'Along x' },
        { value: 'along_y', label: 'Along y' },
        { value: 'along_z', label: 'Along z' },
        { value: 'angle', label: 'Angle' },
        { value: 'radius', label: 'Radius' },
        { value: 'diameter', label: 'Diameter' },
        { value: 'area', label: 'Area' },
        { value: 'volume', label: 'Volume' },
        { value: 'mass', label: 'Mass' },
        { value: 'nothing', label: 'Nothing' },
      ],
      default: 'first',
    }),
    density: param.ratio({ label: 'Density, g/cm³', default: 1, min: 1e-4, max: 100, hint: 'For mass and inertia' }),
    box: param.toggle({ label: 'Smallest box', hint: 'The smallest box round the whole piece, turned as it likes', default: false }),
    limit: param.choice({
      label: 'Limit',
      options: [
        { value: 'none', label: 'None' },
        { value: 'least', label: 'At least' },
        { value: 'most', label: 'At most' },
        { value: 'between', label: 'Between' },
      ],
      default: 'none',
      hint: 'Warns when what is shown lies beyond',
    }),
    least: param.ratio({ label: 'At least', default: 0, when: { key: 'limit', is: ['least', 'between'] } }),
    most: param.ratio({ label: 'At most', default: 100, when: { key: 'limit', is: ['most', 'between'] } }),
  }),
  examples: [{ params: {} }, { params: { shown: 'area', density: 7.85 } }],
});
