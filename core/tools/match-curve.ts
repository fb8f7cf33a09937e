import { z } from 'zod';
import { defineTool, param, slot } from '../recipe/define.ts';

export default defineTool({
  id: 'match-curve',
  version: 1,
  stage: 'curves',
  group: 'Change',
  label: 'Match end',
  hint: 'Makes an end of a curve meet another curve, an edge or a symmetry plane with G0 to G3, keeping degree and point count',
  synonyms: ['align', 'continuity', 'tangent', 'smooth join'],
  ask: 'Pick the curve to change, then what it meets',
  mistakes: [
    'The curve has too few points for what is asked: let it have room, or raise the degree first.',
    'The wrong end moves: set the end on the card.',
  ],
  icon: ['M3 18c3-8 6-9 9-9', 'M12 9c3 0 6 1 9 6'],
  slots: {
    curve: slot({ label: 'Curve', accepts: ['chain'], min: 1, max: 1, consumes: true }),
    to: slot({
      label: 'Meets',
      accepts: ['chain', 'flat'],
      min: 1,
      max: 1,
      hint: 'A curve or edge (its nearest end), or the plane across which it is mirrored',
    }),
  },
  params: z.object({
    end: param.choice({
      label: 'At its',
      options: [
        { value: 'auto', label: 'Nearer end' },
        { value: 'start', label: 'Start' },
        { value: 'end', label: 'End' },
      ],
      default: 'auto',
    }),
    grade: param.grade({ label: 'With', default: '2' }),
    place: param.choice({
      label: 'Where',
      options: [
        { value: 'end', label: 'At an end' },
        { value: 'foot', label: 'Nearest place' },
      ],
      default: 'end',
      hint: 'Nearest place: the curve branches off where the other is nearest, along it',
    }),
    room: param.toggle({
      label: 'Insert what is missing',
      default: false,
      hint: 'Raises the degree and inserts knots when the points at hand do not suffice',
    }),
    equal: param.toggle({ label: 'Equal legs', default: false, hint: 'For degree 2 with three points: arc-like, may turn through flat' }),
  }),
  examples: [],
});
