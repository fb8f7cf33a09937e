import { z } from 'zod';
import { defineTool, param, planeSlot, slot } from '../recipe/define.ts';

export default defineTool({
  id: 'sketch',
  version: 1,
  stage: 'curves',
  group: 'Draw',
  label: 'Sketch',
  hint: 'A dimensioned profile on a plane: lines, arcs, circles, ellipses and splines with rules and dimensions that dials can drive',
  synonyms: ['profile', 'constraints', 'dimensions', 'rules', 'draw'],
  mistakes: [
    'It jumps when a dimension is typed: it is not yet held. Fix one point, and give directions to the long lines.',
    'A rule contradicts another: it is shown in red, take one of them away.',
  ],
  icon: ['M4 20h16M4 20V9', 'M4 9h9a7 7 0 0 1 7 7v4'],
  slots: {
    plane: planeSlot,
    refers: slot({
      label: 'Refers to',
      accepts: ['chain', 'point', 'vertex'],
      min: 0,
      max: 40,
      ordered: true,
      hint: 'Edges and points of pieces upstream: points of the sketch may follow them',
    }),
  },
  params: z.object({
    sketch: param.sketch({ label: 'Sketch' }),
    chain: param.toggle({
      label: 'One chain',
      default: true,
      hint: 'Curves that meet become chains; otherwise each is a piece of its own',
    }),
  }),
  examples: [
    {
      params: {
        sketch: {
          points: [
            { id: 'a', x: 0, y: 0 },
            { id: 'b', x: 9, y: 1 },
            { id: 'c', x: 10, y: 6 },
          ],
          curves: [
            { id: 'k', type: 'line', a: 'a', b: 'b' },
            { id: 'l', type: 'line', a: 'b', b: 'c' },
          ],
          rules: [
            { id: 'r1', type: 'fixed', point: 'a' },
            { id: 'r2', type: 'horizontal', a: 'a', b: 'b' },
            { id: 'r3', type: 'distance', a: 'a', b: 'b', value: '10 mm' },
            { id: 'r4', type: 'perpendicular', a: 'k', b: 'l' },
            { id: 'r5', type: 'distance', a: 'b', b: 'c', value: 5 },
          ],
        },
      },
    },
  ],
});
