import { z } from 'zod';
import { defineTool, param, slot } from '../recipe/define.ts';

const shift = z.object({
  point: z.number().int().min(0),
  to: z.union([z.literal('$point'), z.tuple([z.number(), z.number(), z.number()])]),
});

export default defineTool({
  id: 'edit-curve',
  version: 1,
  stage: 'curves',
  group: 'Change',
  label: 'Edit points',
  hint: 'Moves control points of any curve by dragging, keeps chosen ones flat in a plane or on an axis value, inserts and removes knots, raises the degree',
  synonyms: ['move points', 'knots', 'weights', 'raise degree', 'reverse'],
  ask: 'Pick the curve to edit',
  mistakes: [
    'Inserting a knot changes nothing to be seen: it gives a point more to move. Move it then.',
    'Moving one point of an arc makes it no arc any more: fair it afterwards, or refit it first.',
  ],
  icon: ['M3 18c3-12 8-12 9-4s5 6 9-6', 'M7 5h.01M13 18h.01'],
  slots: {
    curve: slot({ label: 'Curve', accepts: ['chain'], min: 1, max: 1, consumes: true }),
    plane: slot({
      label: 'Keep flat in',
      accepts: ['flat'],
      min: 0,
      max: 1,
      hint: 'A plane in which the points listed below stay, whatever else is moved',
    }),
  },
  params: z.object({
    raise: param.integer({ label: 'Raise degree by', default: 0, min: 0, max: 8 }),
    insert: param.numbers({
      label: 'Knots at shares',
      default: [],
      hint: 'Shares of the length where a knot is inserted; the shape stays',
    }),
    remove: param.numbers({ label: 'Remove knots', default: [], hint: 'Numbers of inner knots, from 1; how far the curve moves is told' }),
    start: param.ratio({ label: 'Start at share', default: 0, min: 0, max: 1, hint: 'For closed curves' }),
    reverse: param.toggle({ label: 'Reversed', default: false }),
    flat: param.numbers({
      label: 'Points kept flat',
      default: [],
      hint: 'Numbers of control points, from 1; all when a plane is picked and nothing is listed',
    }),
    axis: param.choice({
      label: 'On axis value',
      options: [
        { value: 'none', label: 'None' },
        { value: 'x', label: 'x' },
        { value: 'y', label: 'y' },
        { value: 'z', label: 'z' },
      ],
      default: 'none',
      hint: 'The listed points keep this coordinate',
    }),
    value: param.length({ label: 'Value', default: 0, when: { key: 'axis', is: ['x', 'y', 'z'] } }),
    weights: param.numbers({ label: 'Weights', default: [], hint: 'One for each control point; unchanged when empty' }),
    shifts: param.hidden(z.array(shift).max(2000).default([]), 'Moved points'),
  }),
  examples: [{ params: {} }, { params: { raise: 1, insert: [0.5], axis: 'z', value: 2, flat: [1, 2] } }],
});
