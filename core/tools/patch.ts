import { z } from 'zod';
import { defineTool, param, slot } from '../recipe/define.ts';

export default defineTool({
  id: 'patch',
  version: 1,
  stage: 'joins',
  group: 'Join smoothly',
  label: 'Patch',
  hint: 'Fills an opening of three to twelve sides, flat or steep, with continuity side by side; or all openings of a skin at once',
  synonyms: ['fill', 'n-sided', 'hole', 'opening', 'cap smooth', 'surface from edges', 'crown'],
  ask: 'Pick the edges round the opening, or a skin with openings',
  mistakes: [
    'The patch bulges: raise its tautness, or ask for less continuity where the faces around it disagree.',
    'One side of the opening is missing: pick every edge round it, in any order.',
  ],
  icon: ['M12 3l8 6-3 10H7L4 9z', 'M12 8v5M12 13l-4 4M12 13l4 4', 'M8 9c2-1.500 6-1.500 8 0'],
  slots: {
    rim: slot({
      label: 'Edges',
      accepts: ['chain'],
      edgesFirst: true,
      min: 0,
      max: 60,
      grow: ['rim', 'loop', 'chain'],
      consumes: { key: 'join', is: [true] },
      hint: 'Round the opening, in any order; a free curve (a wire) counts as a side met with G0',
      each: z.object({
        grade: param.choice({
          label: 'Meets',
          options: [
            { value: '0', label: 'G0' },
            { value: '1', label: 'G1' },
            { value: '2', label: 'G2' },
          ],
          default: '2',
        }),
      }),
    }),
    skin: slot({
      label: 'All openings of',
      accepts: ['body'],
      min: 0,
      max: 1,
      consumes: { key: 'join', is: [true] },
      hint: 'Every closed rim of the skin is filled, but for the longest one, unless the outer one is wanted too',
    }),
    through: slot({ label: 'Passes through', accepts: ['chain', 'point'], min: 0, max: 40, hint: 'Points and curves inside the opening' }),
  },
  tryOff: ['rim'],
  params: z.object({
    grade: param.choice({
      label: 'Openings meet',
      options: [
        { value: '0', label: 'G0' },
        { value: '1', label: 'G1' },
        { value: '2', label: 'G2' },
      ],
      default: '2',
      hint: 'For all openings of a skin',
    }),
    outer: param.toggle({ label: 'Outer rim too', default: false, hint: 'Fills the longest rim of the skin as well' }),
    taut: param.ratio({
      label: 'Stiffness',
      default: 1,
      min: 0,
      max: 8,
      step: 0.1,
      slider: 'even',
      hint: '1 is neutral; more keeps a crown low, less lets it rise',
    }),
    start: param.choice({
      label: 'Built over',
      options: [
        { value: 'auto', label: 'Best' },
        { value: 'plane', label: 'Plane' },
        { value: 'ball', label: 'Ball' },
        { value: 'spline', label: 'Drawn skin' },
      ],
      default: 'auto',
      rare: true,
      hint: 'The shape it starts from: seen square on a plane is right, for steep openings a ball or a skin drawn into them',
    }),
    faces: param.choice({
      label: 'Comes as',
      options: [
        { value: 'one', label: 'One face' },
        { value: 'four', label: 'Four-sided' },
      ],
      default: 'one',
      hint: 'Four-sided faces have no trims; for other than four sides they meet in the middle',
    }),
    points: param.integer({
      label: 'Points',
      default: 0,
      min: 0,
      max: 60,
      rare: true,
      hint: 'Control points in each direction; 0: as many as the seams need',
    }),
    join: param.toggle({ label: 'Join to the skin', default: false, hint: 'The result is the skin with its openings filled' }),
  }),
  examples: [{ params: {} }, { params: { taut: 3, join: true } }],
});
