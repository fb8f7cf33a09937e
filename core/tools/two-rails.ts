import { z } from 'zod';
import { defineTool, param, slot } from '../recipe/define.ts';

export default defineTool({
  id: 'two-rails',
  version: 1,
  stage: 'skins',
  group: 'Stretch over curves',
  label: 'Two rails',
  hint: 'Sections are carried between two rails and touch both exactly; rails that are edges carry tangent or curvature on. Groups of rails give a family at once',
  synonyms: ['rail sweep', 'double rail', 'ribs', 'bi-rail'],
  ask: 'Pick the first rail, the second rail, then the sections',
  mistakes: [
    'The sections leave the rails between: they are too few where the rails part. Add one.',
    'Rails of different direction twist it: reverse one.',
  ],
  icon: ['M4 4c2 6-1 11 1 16M19 4c-2 6 1 11-1 16', 'M5 17c4-5 10-5 13 0', 'M4 7c4-5 11-5 15 0M4 12c4-5 10-5 14 0'],
  slots: {
    first: slot({
      label: 'First rail',
      accepts: ['chain'],
      min: 1,
      max: 200,
      ordered: true,
      hint: 'Several: the first of these belongs to the first of the others, and so on',
    }),
    second: slot({ label: 'Second rail', accepts: ['chain'], min: 1, max: 200, ordered: true }),
    sections: slot({
      label: 'Sections',
      accepts: ['chain'],
      min: 1,
      max: 100,
      hint: 'From rail to rail, anywhere along; in a group, pairs without a section take the one of the first',
    }),
  },
  params: z.object({
    height: param.choice({
      label: 'Height',
      options: [
        { value: 'kept', label: 'Kept' },
        { value: 'width', label: 'As the width' },
      ],
      default: 'kept',
      hint: 'As the width: sections grow and shrink evenly with the way between the rails',
    }),
    firstMeets: param.grade({ label: 'First meets', default: '0', hint: 'Continuity to the skin whose edge is the first rail' }),
    secondMeets: param.grade({ label: 'Second meets', default: '0' }),
    turned: param.toggle({ label: 'Other side', default: false, hint: 'In a group: sections stand on the other side of their rails' }),
    tolerance: param.length({
      label: 'Fit within',
      default: 0.0001,
      min: 1e-8,
      max: 1,
      slider: 'powers',
      hint: 'From exact to light: a larger value gives fewer control points',
    }),
  }),
  examples: [{ params: {} }, { params: { height: 'width' } }],
});
