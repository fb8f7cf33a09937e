import { z } from 'zod';
import { defineTool, param, slot } from '../recipe/define.ts';

export default defineTool({
  id: 'sweep',
  version: 1,
  stage: 'skins',
  group: 'Stretch over curves',
  label: 'Sweep',
  hint: 'Carries one or several sections along a path; tells before building where it would fold and what clears it',
  synonyms: ['carry', 'along a path', 'profile along curve', 'spout', 'moulding'],
  ask: 'Pick the section, then the path',
  mistakes: [
    'It folds where the path bends tighter than the section is wide: the place is shown. Use a smaller section or a larger bend.',
    'It turns about itself: choose how the section is held along the path.',
  ],
  icon: ['M4 19c2-9 8-12 15-12', 'M2 17l4 4M17 5l4 4', 'M6 21c2-7 7-11 15-12M2 17C4 9 9 5 17 5'],
  slots: {
    sections: slot({
      label: 'Sections',
      accepts: ['chain'],
      min: 1,
      max: 60,
      ordered: true,
      hint: 'Stand where they were drawn; several are blended along the path in the order they stand on it',
    }),
    path: slot({ label: 'Path', accepts: ['chain'], min: 1, max: 100, hint: 'One chain; corners are mitred or rounded' }),
    upright: slot({
      label: 'Upright',
      accepts: ['chain', 'flat'],
      min: 0,
      max: 1,
      when: { key: 'carry', is: ['fixed'] },
      hint: 'A straight line or a plane (its normal) that the section stays upright to; the world z when empty',
    }),
    skin: slot({
      label: 'On skin',
      accepts: ['body'],
      min: 1,
      max: 1,
      when: { key: 'carry', is: ['normal'] },
      hint: 'The section follows its normals',
    }),
  },
  params: z.object({
    carry: param.choice({
      label: 'Carried',
      options: [
        { value: 'least', label: 'Least twist' },
        { value: 'fixed', label: 'Upright' },
        { value: 'normal', label: 'On a skin' },
      ],
      default: 'least',
    }),
    place: param.choice({
      label: 'Section',
      options: [
        { value: 'drawn', label: 'As drawn' },
        { value: 'square', label: 'Square on path' },
      ],
      default: 'drawn',
      hint: 'Square on path: set onto the path with its middle, at a right angle',
    }),
    normalEnds: param.toggle({
      label: 'Leave along normals',
      default: false,
      hint: 'The path is bent at its ends so that the skin leaves the first and the last section square to their planes',
    }),
    corner: param.choice({
      label: 'Corners',
      options: [
        { value: 'mitre', label: 'Mitred' },
        { value: 'round', label: 'Rounded' },
      ],
      default: 'mitre',
    }),
    radius: param.length({ label: 'Corner radius', default: 5, min: 0.001, when: { key: 'corner', is: ['round'] } }),
    twist: param.law({ label: 'Twist', quantity: 'angle', default: [], hint: 'Degrees about the path, by share of its length' }),
    size: param.law({
      label: 'Size',
      quantity: 'ratio',
      default: [],
      min: 0.001,
      max: 1000,
      hint: 'Factor on the section, by share of the length',
    }),
    cap: param.toggle({ label: 'Cap flat ends', default: false }),
    tolerance: param.length({
      label: 'Fit within',
      default: 0.0001,
      min: 1e-8,
      max: 1,
      slider: 'powers',
      hint: 'From exact to light: a larger value gives fewer control points',
    }),
    adjust: param.hidden(
      z
        .array(z.object({ section: z.number().int(), start: z.number().min(0).max(1).optional(), flip: z.boolean().optional() }))
        .default([]),
      'Starts and directions set by hand',
    ),
    pins: param.hidden(z.array(z.array(z.number().min(0).max(1))).default([]), 'Matched points'),
  }),
  examples: [
    { params: {} },
    {
      params: {
        twist: [
          [0, 0],
          [1, 40],
        ],
        size: [
          [0, 1],
          [1, 0.6],
        ],
      },
    },
    { params: { place: 'square', cap: true } },
  ],
});
