import { z } from 'zod';
import { defineTool, param, slot } from '../recipe/define.ts';

export default defineTool({
  id: 'loft',
  version: 1,
  stage: 'skins',
  group: 'Stretch over curves',
  label: 'Loft',
  hint: 'Stretches a skin through two or more sections, in the order they stand in the list',
  synonyms: ['skin', 'stretch', 'blend sections', 'transition', 'hull'],
  ask: 'Pick two or more sections in order',
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
      ],
      default: 'auto',
      hint: 'Sections with equal points are used exactly; others meet by share of length',
    }),
    tolerance: param.length({
      label: 'Fit within',
      default: 0.000001,
      min: 1e-9,
      max: 1,
      hint: 'A larger value gives fewer control points',
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
