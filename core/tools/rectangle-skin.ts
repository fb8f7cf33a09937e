import { z } from 'zod';
import { defineTool, param, planeSlot, slot } from '../recipe/define.ts';

export default defineTool({
  id: 'rectangle-skin',
  version: 1,
  stage: 'skins',
  group: 'Begin with',
  label: 'Rectangle skin',
  hint: 'A flat rectangle: corner to corner, through three points, upright, best fit through points and curves, or cutting through pieces and sized to them',
  synonyms: ['flat sheet', 'plane skin', 'section plane', 'board'],
  ask: 'Click two corners',
  mistakes: ['It cuts beside the pieces: move the plane into them.', 'Only its outline is wanted: use Rectangle.'],
  icon: ['M4 7h.01M20 17h.01', 'M4 7 20 5v12L4 19z'],
  slots: {
    plane: planeSlot,
    fit: slot({
      label: 'Through',
      accepts: ['point', 'chain'],
      min: 1,
      max: 500,
      when: { key: 'by', is: ['fit'] },
      hint: 'Points and curves; the plane with the least distances goes through them',
    }),
    pieces: slot({
      label: 'Sized to',
      accepts: ['piece'],
      min: 1,
      max: 200,
      when: { key: 'by', is: ['cut'] },
      hint: 'Pieces that the plane cuts through',
    }),
  },
  params: z.object({
    by: param.choice({
      label: 'Given by',
      options: [
        { value: 'corner', label: 'Corners' },
        { value: 'three', label: '3 points' },
        { value: 'upright', label: 'Upright' },
        { value: 'fit', label: 'Best fit' },
        { value: 'cut', label: 'Cut' },
      ],
      default: 'corner',
    }),
    points: param.points({
      label: 'Points',
      default: [],
      minPoints: 0,
      hint: 'Two corners; two corners and the height; or the foot line of an upright one',
      when: { key: 'by', is: ['corner', 'three', 'upright'] },
    }),
    height: param.length({ label: 'Height', default: 20, when: { key: 'by', is: ['upright'] } }),
    margin: param.length({ label: 'Margin', default: 2, min: 0, when: { key: 'by', is: ['fit', 'cut'] } }),
    turned: param.toggle({ label: 'Turn over', default: false }),
  }),
  draws: { points: 'points', minimum: 2, maximum: 3 },
  examples: [
    {
      params: {
        points: [
          [0, 0],
          [30, 20],
        ],
      },
    },
    {
      params: {
        by: 'three',
        points: [
          [0, 0],
          [30, 5],
          [20, 30],
        ],
      },
    },
    {
      params: {
        by: 'upright',
        points: [
          [0, 0],
          [30, 20],
        ],
        height: 15,
      },
    },
  ],
});
