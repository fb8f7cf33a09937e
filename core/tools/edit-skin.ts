import { z } from 'zod';
import { defineTool, param, slot } from '../recipe/define.ts';

const shift = z.object({
  u: z.number().int().min(0),
  v: z.number().int().min(0),
  /** How far the movement reaches: this point, or its whole row. */
  scope: z.enum(['point', 'u', 'v']).default('point'),
  to: z.union([z.literal('$point'), z.tuple([z.number(), z.number(), z.number()])]).optional(),
  /** Way along the normal of the skin beside the point, or along `way`. */
  way: z.tuple([z.number(), z.number(), z.number()]).optional(),
  along: z.union([z.literal('$value'), z.number()]).optional(),
});

export default defineTool({
  id: 'edit-skin',
  version: 1,
  stage: 'skins',
  group: 'Shape',
  label: 'Edit skin points',
  hint: 'Moves control points of a skin by dragging: freely, in a plane, along normals or along their rows, singly or by whole rows; rows can be kept flat',
  synonyms: ['control points', 'push pull', 'sculpt', 'move points'],
  ask: 'Pick a skin of one face',
  mistakes: [
    'The border of the skin moves and its seam opens: move rows from the third one inwards, or match the edge again after it.',
    'The skin has several faces: copy the one to be edited, and knit it again.',
  ],
  icon: ['M4 8h.01M12 5h.01M20 8h.01M4 18h.01M20 18h.01', 'M12 15h.01M12 15V9m0 0-2 2m2-2 2 2', 'M4 8c5-4 11-4 16 0v10c-5-4-11-4-16 0z'],
  slots: {
    skin: slot({ label: 'Skin', accepts: ['skin', 'face'], min: 1, max: 1, consumes: true }),
    plane: slot({ label: 'Plane', accepts: ['flat'], min: 0, max: 1, hint: 'For moves in a plane, and for rows kept flat' }),
  },
  params: z.object({
    way: param.choice({
      label: 'Points move',
      options: [
        { value: 'free', label: 'Freely' },
        { value: 'plane', label: 'In plane' },
        { value: 'normal', label: 'Normal' },
        { value: 'row', label: 'Along u' },
        { value: 'column', label: 'Along v' },
      ],
      default: 'free',
    }),
    scope: param.choice({
      label: 'Together',
      options: [
        { value: 'point', label: 'Point' },
        { value: 'u', label: 'Row of u' },
        { value: 'v', label: 'Row of v' },
      ],
      default: 'point',
      hint: 'Row of u: all points with the same place along u',
    }),
    flatU: param.numbers({ label: 'Rows of u kept flat', default: [], hint: 'Numbers of rows, from 1' }),
    flatV: param.numbers({ label: 'Rows of v kept flat', default: [] }),
    axis: param.choice({
      label: 'On axis value',
      options: [
        { value: 'none', label: 'None' },
        { value: 'x', label: 'x' },
        { value: 'y', label: 'y' },
        { value: 'z', label: 'z' },
      ],
      default: 'none',
      hint: 'The listed rows keep this coordinate; with a plane picked they lie in it',
    }),
    value: param.length({ label: 'Value', default: 0, when: { key: 'axis', is: ['x', 'y', 'z'] } }),
    raiseU: param.integer({ label: 'Raise degree u', default: 0, min: 0, max: 6, rare: true }),
    raiseV: param.integer({ label: 'Raise degree v', default: 0, min: 0, max: 6, rare: true }),
    insertU: param.numbers({
      label: 'Knots in u',
      default: [],
      rare: true,
      hint: 'Shares of the parameter where a row is added; the shape stays',
    }),
    insertV: param.numbers({ label: 'Knots in v', default: [], rare: true }),
    shifts: param.hidden(z.array(shift).max(5000).default([]), 'Moved points'),
  }),
  examples: [{ params: {} }, { params: { way: 'normal', scope: 'u', shifts: [{ u: 1, v: 0, scope: 'u', along: 2 }] } }],
});
