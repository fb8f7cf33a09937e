import { z } from 'zod';
import { defineTool, param, slot } from '../recipe/define.ts';

export default defineTool({
  id: 'cage-skin',
  version: 1,
  stage: 'cages',
  group: 'Out',
  label: 'To NURBS',
  hint: 'The smooth surface of a cage as NURBS faces: exact large ones, caps around poles, creases as edges; closed, a solid that knits and goes out',
  synonyms: ['convert', 'surface from cage', 'nurbs from subdivision', 'solid from cage', 'patches'],
  ask: 'Pick the cage',
  mistakes: [
    'The caps stand off the smooth surface by more than is wanted: choose "Closer" once, or a higher cap degree.',
    'A kink is left where a crease ends in the middle of the cage: it is told, and goes when the crease is carried on to a border or another crease.',
  ],
  icon: ['M4 8l8-4 8 4v8l-8 4-8-4zM12 4v16M4 8l8 4 8-4', 'M5 15c4-6 10-6 14 0', 'M5 15c4 4 10 4 14 0'],
  slots: { cage: slot({ label: 'Cage', accepts: ['cage'], consumes: true }) },
  params: z.object({
    degree: param.choice({
      label: 'Cap degree',
      options: [
        { value: '7', label: '7' },
        { value: '8', label: '8' },
        { value: '9', label: '9' },
      ],
      default: '8',
      hint: 'Of the faces around poles; higher lies closer to the smooth surface, lower is lighter',
    }),
    closer: param.integer({
      label: 'Closer',
      default: 0,
      min: 0,
      max: 2,
      hint: 'Steps of refinement before the faces are made: each leaves the caps a quarter of their width',
    }),
    merge: param.toggle({
      label: 'Large faces',
      default: true,
      hint: 'Regular faces are put together into as few rectangles as they give',
    }),
    tolerance: param.length({
      label: 'Within',
      default: 0.05,
      min: 1e-6,
      max: 10,
      hint: 'How far the caps may stand off the smooth surface; beyond it the step warns',
    }),
  }),
  examples: [{ params: {} }, { params: { degree: '9', closer: 1, merge: false } }],
});
