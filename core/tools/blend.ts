import { z } from 'zod';
import { defineTool, param, slot } from '../recipe/define.ts';

const reach = (label: string, key: string) =>
  param.ratio({
    label,
    default: 1,
    min: 0.05,
    max: 4,
    step: 0.05,
    slider: 'even',
    hint: 'How far the condition pulls into the blend; 1 is neutral',
    when: { key, is: ['1', '2', '3'] },
  });

export default defineTool({
  id: 'blend',
  version: 1,
  stage: 'joins',
  group: 'Join smoothly',
  label: 'Blend',
  hint: 'A strip between two edges or chains that meets both skins with the continuity asked for; the true seams are measured afterwards',
  synonyms: ['bridge skins', 'transition', 'connect edges', 'blend surface', 'shoulder', 'continuity strip'],
  ask: 'Pick the first edge, then the second',
  icon: ['M3 5c4-1 6 0 8 2M13 17c2 2 4 3 8 2', 'M3 5v7M21 12v7', 'M3 12c5-1 6 1 8 4s4 5 8 3M11 7c1 2 2 5 8 5'],
  slots: {
    first: slot({
      label: 'First edge',
      accepts: ['chain'],
      min: 1,
      max: 60,
      hint: 'An edge, a chain or parts of one; several picks are put end to end',
    }),
    second: slot({ label: 'Second edge', accepts: ['chain'], min: 1, max: 60, hint: 'Run the way that gives the shortest strip' }),
    shape: slot({
      label: 'Passes through',
      accepts: ['chain', 'point'],
      min: 0,
      max: 40,
      hint: 'Curves and points between the edges; the seams stay as they are',
    }),
    ends: slot({
      label: 'Ends follow',
      accepts: ['edge'],
      min: 0,
      max: 4,
      grow: [],
      hint: 'Edges at the corners that the ends of the blend run on from, tangent',
    }),
    mirror: slot({
      label: 'Mirror plane',
      accepts: ['flat'],
      min: 0,
      max: 1,
      hint: 'An end of the blend in this plane runs square into it, so that its mirror image goes on smoothly',
    }),
  },
  params: z.object({
    gradeFirst: param.grade({ label: 'First meets', default: '2' }),
    reachFirst: reach('First reach', 'gradeFirst'),
    gradeSecond: param.grade({ label: 'Second meets', default: '2' }),
    reachSecond: reach('Second reach', 'gradeSecond'),
    alongFirst: param.law({
      label: 'First reach along',
      quantity: 'ratio',
      default: [],
      min: 0.05,
      max: 4,
      rare: true,
      hint: 'Factor on the first reach, by share along the blend',
    }),
    alongSecond: param.law({
      label: 'Second reach along',
      quantity: 'ratio',
      default: [],
      min: 0.05,
      max: 4,
      rare: true,
      hint: 'Factor on the second reach, by share along the blend',
    }),
    across: param.choice({
      label: 'Leaves',
      options: [
        { value: 'best', label: 'Best' },
        { value: 'lines', label: 'Along lines' },
        { value: 'square', label: 'Square' },
      ],
      default: 'best',
      rare: true,
      hint: 'Along lines: carries on the surface’s own lines where its border is one, exactly; square: at a right angle to the edge',
    }),
    otherFirst: param.toggle({
      label: 'First: other face',
      default: false,
      rare: true,
      hint: 'For a seam, the face on its other side counts',
    }),
    otherSecond: param.toggle({
      label: 'Second: other face',
      default: false,
      rare: true,
      hint: 'For a seam, the face on its other side counts',
    }),
    tolerance: param.length({
      label: 'Seams within',
      default: 0.0002,
      min: 1e-6,
      max: 0.01,
      slider: 'powers',
      rare: true,
      hint: 'Gap allowed along trimmed edges while fitting; kink and curvature step are held in proportion. Larger gives fewer control points',
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
    { params: { gradeFirst: '1', gradeSecond: '3', reachFirst: 0.7 } },
    { params: { gradeFirst: '0', gradeSecond: '0' } },
  ],
});
