import { z } from 'zod';
import { defineTool, param, slot } from '../recipe/define.ts';

export default defineTool({
  id: 'refit-skin',
  version: 1,
  stage: 'skins',
  group: 'Shape',
  label: 'Refit skin',
  hint: 'The same skin with a chosen degree and number of control points each way, or as few as a tolerance needs; the true deviation is measured and shown',
  synonyms: ['rebuild', 'lighten', 'simplify', 'reduce points', 'degree'],
  ask: 'Pick a skin of one face',
  mistakes: [
    'The borders move, and the seams open: match the edges again afterwards.',
    'The deviation is larger than allowed: add points in the direction that bends more.',
  ],
  icon: ['M4 7h.01M12 5h.01M20 7h.01M4 18h.01M12 16h.01M20 18h.01', 'M4 7c5-3 11-3 16 0v11c-5-3-11-3-16 0z'],
  slots: { skin: slot({ label: 'Skin', accepts: ['skin', 'face'], min: 1, max: 1, consumes: true }) },
  params: z.object({
    by: param.choice({
      label: 'By',
      options: [
        { value: 'count', label: 'Points' },
        { value: 'tolerance', label: 'Tolerance' },
      ],
      default: 'count',
    }),
    degreeU: param.integer({ label: 'Degree u', default: 3, min: 1, max: 9, slider: 'even' }),
    degreeV: param.integer({ label: 'Degree v', default: 3, min: 1, max: 9, slider: 'even' }),
    pointsU: param.integer({ label: 'Points u', default: 8, min: 2, max: 120, slider: 'even', when: { key: 'by', is: ['count'] } }),
    pointsV: param.integer({ label: 'Points v', default: 8, min: 2, max: 120, slider: 'even', when: { key: 'by', is: ['count'] } }),
    tolerance: param.length({
      label: 'Within',
      default: 0.01,
      min: 1e-7,
      max: 10,
      slider: 'powers',
      when: { key: 'by', is: ['tolerance'] },
    }),
    allowed: param.length({
      label: 'Warn beyond',
      default: 0.1,
      min: 0,
      max: 100,
      hint: 'A deviation that may be; it is told when it is more',
      when: { key: 'by', is: ['count'] },
    }),
  }),
  examples: [{ params: {} }, { params: { by: 'tolerance', tolerance: 0.001 } }],
});
