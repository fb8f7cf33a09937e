import { z } from 'zod';
import { defineTool, param, slot } from '../recipe/define.ts';

export default defineTool({
  id: 'between-curves',
  version: 1,
  stage: 'curves',
  group: 'Derive',
  label: 'In-between',
  hint: 'The mean curve of two, or several curves in even steps between them, matched by parameter, by length or after a common refit',
  synonyms: ['middle curve', 'average', 'tween', 'interpolate'],
  ask: 'Pick two curves',
  mistakes: [
    'The in-between curve twists: one of the curves runs the other way, reverse it, or match by length.',
    'The curves have corners in different places: match them after each other’s knots, or join and refit them first.',
  ],
  icon: ['M4 18c4-4 12-4 16 0M4 6c4-3 12-3 16 0', 'M4 12c4-3.500 12-3.500 16 0'],
  slots: { curves: slot({ label: 'Between', accepts: ['chain'], min: 2, max: 2, ordered: true }) },
  params: z.object({
    count: param.integer({ label: 'Number', default: 1, min: 1, max: 200 }),
    at: param.ratio({
      label: 'At share',
      default: 0.5,
      min: -1,
      max: 2,
      step: 0.05,
      hint: 'For one curve: 0 the first, 1 the second; beyond them it goes on',
      when: { key: 'count', is: [1] },
    }),
    match: param.choice({
      label: 'Match by',
      options: [
        { value: 'length', label: 'Length' },
        { value: 'parameter', label: 'Parameter' },
        { value: 'refit', label: 'Refit' },
      ],
      default: 'length',
    }),
    points: param.integer({ label: 'Control points', default: 8, min: 4, max: 100, when: { key: 'match', is: ['refit'] } }),
    tolerance: param.length({ label: 'Within', default: 0.0001, min: 1e-8, max: 1, when: { key: 'match', is: ['length'] } }),
  }),
  examples: [],
});
