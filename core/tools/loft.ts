import { z } from 'zod';
import { defineTool, param, slot } from '../recipe/define.ts';

const endChoice = (label: string) =>
  param.choice({
    label,
    options: [
      { value: 'free', label: 'Free' },
      { value: 'G1', label: 'G1' },
      { value: 'G2', label: 'G2' },
      { value: 'G3', label: 'G3' },
      { value: 'square', label: 'Square' },
      { value: 'along', label: 'Direction' },
      { value: 'round', label: 'Round' },
    ],
    default: 'free',
    hint: 'G1 to G3: meets the skin whose edge is picked; Square: leaves a flat section along its normal; Round: a point becomes a dome',
  });
const reach = (label: string, key: string) =>
  param.ratio({
    label,
    default: 1,
    min: 0.05,
    max: 5,
    step: 0.05,
    slider: 'even',
    hint: 'Length of the handle, as a share of the way to the next section',
    when: { key, is: ['G1', 'G2', 'G3', 'square', 'along', 'round'] },
  });

export default defineTool({
  id: 'loft',
  version: 1,
  stage: 'skins',
  group: 'Stretch over curves',
  label: 'Loft',
  hint: 'Stretches a skin through two or more sections, in the order they stand in the list',
  synonyms: ['skin', 'stretch', 'blend sections', 'transition', 'hull'],
  ask: 'Pick two or more sections in order',
  mistakes: [
    'The skin twists: the sections begin at different places or run different ways. Pin their points.',
    'It bulges between sections: they are unevenly spaced. Add one, or choose a lower degree.',
  ],
  icon: ['M5 19c3 1.500 11 1.500 14 0M7 5c2 1 8 1 10 0', 'M5 19C3 13 6 9 7 5M19 19c2-6-1-10-2-14M12 20V6'],
  slots: {
    sections: slot({
      label: 'Sections',
      accepts: ['chain', 'point'],
      min: 2,
      max: 200,
      ordered: true,
      hint: 'Curves or edges, open ones or closed ones; points only at the ends',
    }),
    guides: slot({
      label: 'Guides',
      accepts: ['chain'],
      min: 0,
      max: 40,
      hint: 'Curves across the sections that the skin runs along; each has to pass every section',
    }),
    centre: slot({
      label: 'Centre line',
      accepts: ['chain'],
      min: 0,
      max: 20,
      hint: 'The shape is carried along this curve between the sections; corners in it are mitred',
    }),
    along: slot({
      label: 'Direction',
      accepts: ['chain', 'flat'],
      min: 0,
      max: 1,
      hint: 'A straight line or a plane (its normal), for ends that leave along a direction',
    }),
  },
  params: z.object({
    degree: param.integer({ label: 'Degree across', default: 3, min: 1, max: 7 }),
    fit: param.choice({
      label: 'Runs',
      options: [
        { value: 'through', label: 'Through' },
        { value: 'near', label: 'Near' },
      ],
      default: 'through',
      hint: 'Near: the sections pull like control points',
    }),
    match: param.choice({
      label: 'Match',
      options: [
        { value: 'auto', label: 'Best' },
        { value: 'length', label: 'Length' },
        { value: 'points', label: 'Points' },
        { value: 'parameter', label: 'Parameter' },
      ],
      default: 'auto',
      hint: 'Sections with equal points are used exactly; others meet by share of length',
    }),
    start: endChoice('Start'),
    startReach: reach('Start reach', 'start'),
    end: endChoice('End'),
    endReach: reach('End reach', 'end'),
    tolerance: param.length({
      label: 'Fit within',
      default: 0.000001,
      min: 1e-9,
      max: 1,
      slider: 'powers',
      hint: 'From exact to light: a larger value gives fewer control points. Points and deviation are shown below',
    }),
    ring: param.toggle({ label: 'Closed ring', default: false }),
    cap: param.toggle({ label: 'Cap flat ends', default: false }),
    perInterval: param.toggle({ label: 'One face per interval', default: false }),
    adjust: param.hidden(
      z
        .array(z.object({ section: z.number().int(), start: z.number().min(0).max(1).optional(), flip: z.boolean().optional() }))
        .default([]),
      'Starts and directions set by hand',
    ),
    pins: param.hidden(z.array(z.array(z.number().min(0).max(1))).default([]), 'Matched points'),
  }),
  examples: [{ params: {} }, { params: { degree: 1, cap: true } }],
});
