import { z } from 'zod';
import { defineTool, param, slot } from '../recipe/define.ts';

const when = (...is: string[]) => ({ key: 'layout', is });
export default defineTool({
  id: 'array',
  version: 1,
  stage: 'solids',
  group: 'Place',
  label: 'Repeat',
  hint: 'Repeats pieces in rows, round an axis, or along a curve; every copy is a piece that later steps can pick',
  mistakes: [
    'All copies lie in one place: the step or the angle is zero.',
    'A later step uses only the first piece: each copy is a piece of its own, pick the ones you mean.',
  ],
  icon: ['M3 14h5v5H3z', 'M3 5h5v5H3z', 'M10 14h5v5h-5zM10 5h5v5h-5zM17 14h4v5h-4zM17 5h4v5h-4z'],
  slots: {
    pieces: slot({ label: 'Pieces', accepts: ['piece'], min: 1, max: 100, consumes: true }),
    plane: slot({
      label: 'In axes of',
      accepts: ['flat'],
      min: 0,
      max: 1,
      active: true,
      hint: 'Rows run along its axes, rounds about its z; the world when empty',
      when: when('rows', 'round'),
    }),
    path: slot({ label: 'Along', accepts: ['chain'], min: 1, max: 1, when: when('path') }),
  },
  params: z.object({
    layout: param.choice({
      label: 'Layout',
      options: [
        { value: 'rows', label: 'Rows' },
        { value: 'round', label: 'Round' },
        { value: 'path', label: 'Along' },
      ],
      default: 'rows',
    }),
    count: param.integer({ label: 'Count', default: 3, min: 1, max: 1000, hint: 'With the original' }),
    by: param.vector({ label: 'Step', default: [20, 0, 0], quantity: 'length', hint: 'From one to the next', when: when('rows') }),
    rows: param.integer({ label: 'Rows', default: 1, min: 1, max: 1000, when: when('rows') }),
    rowBy: param.vector({ label: 'Row step', default: [0, 20, 0], quantity: 'length', when: when('rows') }),
    angle: param.angle({
      label: 'Over',
      default: 360,
      hint: 'From the first to the last; a full turn is shared out evenly',
      when: when('round'),
    }),
    rise: param.length({ label: 'Rise', default: 0, hint: 'From one to the next, along the axis', when: when('round') }),
    turn: param.toggle({ label: 'Turn along', default: true, hint: 'Copies turn with their place', when: when('round', 'path') }),
    spacing: param.length({
      label: 'Spacing',
      default: 0,
      min: 0,
      hint: 'Length of the curve from one to the next; 0: evenly over all of it',
      when: when('path'),
    }),
  }),
  synonyms: ['array', 'pattern', 'copies', 'grid', 'polar', 'circular', 'row', 'duplicate'],
  ask: 'Pick the pieces to repeat',
  examples: [{ params: { by: [25, 0, 0] } }, { params: { layout: 'round', count: 6 } }, { params: { layout: 'path', count: 4 } }],
});
