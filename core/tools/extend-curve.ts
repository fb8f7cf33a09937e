import { z } from 'zod';
import { defineTool, param, slot } from '../recipe/define.ts';

export default defineTool({
  id: 'extend-curve',
  version: 1,
  stage: 'curves',
  group: 'Change',
  label: 'Extend',
  hint: 'Makes a curve longer at an end: straight, as an arc, with its own curvature, by a length or up to a curve or plane',
  synonyms: ['lengthen', 'prolong', 'continue'],
  ask: 'Pick the curve to lengthen',
  mistakes: [
    'The curve is closed and has no end: cut it first.',
    'It does not meet what it should reach: carried on straight it passes beside it. Try it with its own curvature.',
  ],
  icon: ['M3 18c3-7 6-9 10-10', 'M13 8c2-.500 5-.500 8 .500'],
  slots: {
    curve: slot({ label: 'Curve', accepts: ['chain'], min: 1, max: 1, consumes: true }),
    upTo: slot({ label: 'Up to', accepts: ['chain', 'flat'], min: 0, max: 1, hint: 'A curve or a plane that the longer curve meets' }),
  },
  params: z.object({
    end: param.choice({
      label: 'At',
      options: [
        { value: 'end', label: 'End' },
        { value: 'start', label: 'Start' },
        { value: 'both', label: 'Both' },
      ],
      default: 'end',
    }),
    how: param.choice({
      label: 'Goes on',
      options: [
        { value: 'natural', label: 'Naturally' },
        { value: 'line', label: 'Straight' },
        { value: 'arc', label: 'As an arc' },
      ],
      default: 'natural',
    }),
    by: param.length({ label: 'By', default: 10, min: 1e-6, hint: 'Not used when there is something to reach' }),
  }),
  examples: [{ params: {} }, { params: { how: 'line', end: 'both' } }, { params: { how: 'arc', by: 3 } }],
});
