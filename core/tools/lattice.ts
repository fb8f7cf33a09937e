import { z } from 'zod';
import { defineTool, param, slot } from '../recipe/define.ts';

export default defineTool({
  id: 'lattice',
  version: 1,
  stage: 'solids',
  group: 'Place',
  label: 'Lattice',
  hint: 'A box of control points round pieces, as many each way as wanted: pulled in the view, space goes with them; cages, scans, skins and solids alike',
  synonyms: ['free form', 'box deform', 'bend freely', 'warp', 'control box'],
  ask: 'Pick the pieces, then drag the points',
  mistakes: [
    'It is refused because space is turned inside out: a point was pulled past its neighbours. Pull it back, or pull the neighbours along.',
    'Skins come out heavier: they are refitted within the tolerance. Allow a larger one, or bend the cage before it becomes NURBS.',
  ],
  icon: ['M5 7l7-3 7 3v10l-7 3-7-3z', 'M5 7l7 3 7-3M12 10v10M5 12l7 3 7-3', 'M8 17c1-5 6-5 8-9'],
  slots: {
    pieces: slot({ label: 'Pieces', accepts: ['piece'], min: 1, max: 100, consumes: true }),
    plane: slot({
      label: 'In axes of',
      accepts: ['flat'],
      min: 0,
      max: 1,
      active: true,
      hint: 'The box lies along the axes of this plane; the world when empty',
    }),
  },
  params: z.object({
    across: param.integer({ label: 'Points along x', default: 2, min: 2, max: 6 }),
    along: param.integer({ label: 'Points along y', default: 2, min: 2, max: 6 }),
    up: param.integer({ label: 'Points along z', default: 3, min: 2, max: 6 }),
    around: param.length({ label: 'Box larger by', default: 0, min: 0, max: 1000 }),
    shifts: param.hidden(
      z
        .array(
          z.object({
            point: z.tuple([z.number().int(), z.number().int(), z.number().int()]),
            to: z.tuple([z.number(), z.number(), z.number()]),
          }),
        )
        .max(216)
        .default([]),
      'Points moved',
    ),
    tolerance: param.length({ label: 'Skins within', default: 0.005, min: 1e-5, max: 1 }),
  }),
  examples: [{ params: {} }, { params: { shifts: [{ point: [1, 1, 2], to: [14, 9, 36] }] } }],
});
