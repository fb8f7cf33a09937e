import { z } from 'zod';
import { defineTool, param, slot } from '../recipe/define.ts';

export default defineTool({
  id: 'refit-curve',
  version: 1,
  stage: 'curves',
  group: 'Change',
  label: 'Refit curve',
  hint: 'The curve anew with a chosen degree and number of points, or within a tolerance; its true deviation and place are told',
  synonyms: ['rebuild', 'simplify', 'fair', 'smooth', 'reduce points'],
  ask: 'Pick the curve to simplify',
  mistakes: [
    'Few points are smooth and far off: look at the deviation, it is told with its place.',
    'Many points are near and wavy: look at the comb, take fewer.',
  ],
  icon: ['M3 17c3-9 5-2 7-6s4 5 6-1 3-2 5-4', 'M3 17c6-12 12-2 18-11'],
  slots: { curve: slot({ label: 'Curve', accepts: ['chain'], min: 1, max: 1, consumes: true }) },
  params: z.object({
    by: param.choice({
      label: 'By',
      options: [
        { value: 'count', label: 'Points' },
        { value: 'tolerance', label: 'Tolerance' },
        { value: 'degree', label: 'Same points' },
      ],
      default: 'count',
      hint: 'Same points: the control points stay and only the degree changes, to see what it does',
    }),
    degree: param.integer({ label: 'Degree', default: 3, min: 1, max: 7 }),
    points: param.integer({ label: 'Control points', default: 6, min: 2, max: 200, when: { key: 'by', is: ['count'] } }),
    tolerance: param.length({ label: 'Within', default: 0.01, min: 1e-7, max: 10, when: { key: 'by', is: ['tolerance'] } }),
    ends: param.choice({
      label: 'Ends keep',
      options: [
        { value: '0', label: 'Place' },
        { value: '1', label: 'Tangent' },
        { value: '2', label: 'Curvature' },
      ],
      default: '0',
      when: { key: 'by', is: ['count'] },
    }),
  }),
  examples: [{ params: { points: 9, degree: 4 } }, { params: { by: 'tolerance', degree: 5 } }, { params: { by: 'degree', degree: 2 } }],
});
