import { z } from 'zod';
import { defineTool, param, slot } from '../recipe/define.ts';

export default defineTool({
  id: 'align',
  version: 1,
  stage: 'solids',
  group: 'Place',
  label: 'Align',
  hint: 'Brings pieces to others: a face onto a face, an axis onto an axis, or points onto points',
  mistakes: [
    'The lists are of different lengths: pick as many points on one side as on the other, in the same order.',
    'The piece comes to lie upside down: turn it over with the switch instead of picking other points.',
  ],
  icon: ['M4 4h6v6H4z', 'M12 20V4', 'M14 13h6v6h-6z'],
  slots: {
    pieces: slot({ label: 'Pieces', accepts: ['piece'], min: 1, max: 200, consumes: true }),
    from: slot({
      label: 'From',
      accepts: ['flat', 'chain', 'point'],
      min: 1,
      max: 3,
      ordered: true,
      hint: 'On the pieces: a face, an edge, or up to three points',
    }),
    to: slot({ label: 'To', accepts: ['flat', 'chain', 'point'], min: 1, max: 3, ordered: true, hint: 'Where it goes: the same kind' }),
  },
  params: z.object({
    match: param.choice({
      label: 'Brings',
      options: [
        { value: 'face', label: 'Face' },
        { value: 'axis', label: 'Axis' },
        { value: 'points', label: 'Points' },
      ],
      default: 'face',
      hint: 'Face: onto a face. Axis: a straight or round edge onto another. Points: the first onto the first, the others as near as they go',
    }),
    turned: param.toggle({
      label: 'Other way',
      default: false,
      hint: 'Faces look the same way instead of at each other; axes run against each other',
      when: { key: 'match', is: ['face', 'axis'] },
    }),
    away: param.length({
      label: 'Apart',
      default: 0,
      hint: 'Way along the normal or the axis',
      when: { key: 'match', is: ['face', 'axis'] },
    }),
    spin: param.angle({
      label: 'Turned by',
      default: 0,
      hint: 'About the normal or the axis',
      when: { key: 'match', is: ['face', 'axis'] },
    }),
  }),
  synonyms: ['mate', 'place', 'snap to', 'orient', 'three points', 'coincident'],
  ask: 'Pick the pieces, then what goes where',
  examples: [],
});
