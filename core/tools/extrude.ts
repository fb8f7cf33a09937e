import { z } from 'zod';
import { defineTool, param, slot } from '../recipe/define.ts';

export default defineTool({
  id: 'extrude',
  version: 2,
  stage: 'skins',
  group: 'Stretch over curves',
  label: 'Extrude',
  hint: 'Moves curves along a direction: an open sheet, or a capped solid from closed flat loops; inner loops become hollows',
  mistakes: [
    'A straight profile has no direction of its own: pick a line, a plane or two points under “Along”.',
    'The solid stays a sheet: the loop is not closed, join its curves first.',
  ],
  icon: ['M4 18c3-3 6 2 9-1', 'M4 18V9c3-3 6 2 9-1v9M17 16V7m0 0-2 2m2-2 2 2'],
  slots: {
    profile: slot({ label: 'Profile', accepts: ['chain'], min: 1, max: 100 }),
    along: slot({
      label: 'Along',
      accepts: ['chain', 'flat', 'point'],
      min: 0,
      max: 2,
      ordered: true,
      hint: 'A straight line, a plane (its normal) or two points; the profile plane when empty',
    }),
    upTo: slot({ label: 'Up to', accepts: ['body', 'flat'], min: 0, max: 1, when: { key: 'extent', is: ['to'] } }),
  },
  params: z.object({
    extent: param.choice({
      label: 'Extent',
      options: [
        { value: 'one', label: 'One side' },
        { value: 'both', label: 'Two sides' },
        { value: 'symmetric', label: 'Symmetric' },
        { value: 'to', label: 'Up to' },
      ],
      default: 'one',
    }),
    distance: param.length({ label: 'Distance', default: 20, when: { key: 'extent', is: ['one', 'both', 'symmetric'] } }),
    back: param.length({ label: 'Other side', default: 10, when: { key: 'extent', is: ['both'] } }),
    draft: param.angle({
      label: 'Draft',
      default: 0,
      min: -80,
      max: 80,
      hint: 'The material narrows away from the profile; below zero it widens. Corners are mitred',
    }),
    turned: param.toggle({
      label: 'Other way',
      default: false,
      hint: 'Against the side that the work plane of the profile looks to; a click on the arrow does the same',
    }),
    cap: param.toggle({ label: 'Cap the ends', default: true }),
    side: param.hidden(z.enum(['plane', 'positive']).default('plane'), 'Which side counts as forward'),
  }),
  // older recipes went upwards, or towards the positive axes, whatever plane they were drawn on
  migrations: [(old) => ({ ...old, side: 'positive' })],
  synonyms: ['raise', 'pull up', 'wall', 'prism'],
  ask: 'Pick the curves to raise',
  examples: [
    { params: {} },
    { params: { extent: 'symmetric', cap: false } },
    { params: { extent: 'both', back: 5 } },
    { params: { draft: 5, extent: 'symmetric' } },
  ],
});
