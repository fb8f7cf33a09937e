import { z } from 'zod';
import { defineTool, param, slot } from '../recipe/define.ts';

export default defineTool({
  id: 'cage-rows',
  version: 1,
  stage: 'cages',
  group: 'Begin with',
  label: 'Rows between lines',
  hint: 'Rows of quads between curves, laid onto a scan: lines drawn on a scan become a cage that lies on it',
  synonyms: ['trace', 'retopology', 'quads from curves', 'fill between lines', 'cage from scan'],
  ask: 'Pick the lines in order',
  mistakes: [
    'The quads are twisted: the lines run different ways. Turn one over with "Lined up", or pick them in their order.',
    'They cut through the scan: give more rows between, or pick the scan under "Onto".',
  ],
  icon: ['M4 18c5-2 11-2 16 0M4 6c5-2 11-2 16 0', 'M4 12c5-2 11-2 16 0', 'M4 6v12M9 5v12M15 5v12M20 6v12'],
  slots: {
    lines: slot({
      label: 'Lines',
      accepts: ['chain'],
      min: 2,
      max: 60,
      ordered: true,
      hint: 'Two or more curves or edges, in their order',
    }),
    onto: slot({ label: 'Onto', accepts: ['scan', 'body'], min: 0, hint: 'What the rows between are laid onto' }),
    joins: slot({
      label: 'Joins',
      accepts: ['cage'],
      min: 0,
      consumes: true,
      hint: 'A cage whose borders the rows take hold of; both become one',
    }),
  },
  params: z.object({
    along: param.integer({ label: 'Quads along', default: 6, min: 1, max: 400, slider: 'even' }),
    between: param.integer({ label: 'Rows between', default: 1, min: 0, max: 100, hint: 'New rows of points between two lines' }),
    around: param.toggle({ label: 'Round to the first', default: false, hint: 'The last line runs on to the first' }),
    lineUp: param.toggle({ label: 'Lined up', default: true, hint: 'Each line is run the way that lies nearest to the one before it' }),
    smooth: param.toggle({
      label: 'Smooth surface through the lines',
      default: false,
      hint: 'The smooth surface, not the cage, runs through the points',
    }),
    within: param.length({ label: 'Meets within', default: 2, min: 1e-6, max: 1000 }),
  }),
  examples: [{ params: {} }, { params: { along: 8, between: 0, smooth: true } }],
});
