import { z } from 'zod';
import { defineTool, param, slot } from '../recipe/define.ts';

export default defineTool({
  id: 'grid-skin',
  version: 1,
  stage: 'skins',
  group: 'From skins',
  label: 'Grid skin',
  hint: 'A skin through a grid of points, typed, pasted or picked in rows, or through the quads of a mesh',
  synonyms: ['points to skin', 'lattice', 'through points', 'mesh to skin', 'quads'],
  ask: 'Pick points in rows, or a mesh of quads',
  mistakes: [
    'Rows have different numbers of points: set “In a row” to what a row really has.',
    'The skin is wavy: many points off by little. Use fewer, or a scan and Skin from a scan.',
  ],
  icon: ['M4 7h.01M12 5h.01M20 7h.01M4 17h.01M12 15h.01M20 17h.01', 'M4 7c5-3 11-3 16 0v10c-5-3-11-3-16 0zM12 5v10'],
  slots: {
    points: slot({
      label: 'Points',
      accepts: ['point'],
      min: 0,
      max: 10_000,
      ordered: true,
      hint: 'Row after row, all rows of the same length',
    }),
    mesh: slot({
      label: 'Mesh',
      accepts: ['scan'],
      min: 0,
      max: 1,
      hint: 'Its quads become one smooth skin where they form a grid, else one flat-sided face each',
    }),
  },
  params: z.object({
    grid: param.points({ label: 'Grid', default: [], minPoints: 0, dims: 3, hint: 'Points row after row; picked points come first' }),
    columns: param.integer({ label: 'In a row', default: 4, min: 2, max: 1000 }),
    degree: param.integer({ label: 'Degree', default: 3, min: 1, max: 7 }),
    turned: param.toggle({ label: 'Turn over', default: false }),
  }),
  examples: [
    {
      params: {
        columns: 3,
        grid: [
          [0, 0, 0],
          [10, 0, 3],
          [20, 0, 0],
          [0, 10, 2],
          [10, 10, 6],
          [20, 10, 2],
          [0, 20, 0],
          [10, 20, 3],
          [20, 20, 0],
        ],
      },
    },
  ],
});
