import { z } from 'zod';
import { defineTool, param, slot } from '../recipe/define.ts';

export default defineTool({
  id: 'two-views',
  version: 1,
  stage: 'curves',
  group: 'Derive',
  label: 'From two views',
  hint: 'The curve in space that looks like one flat curve from one side and like a second from another',
  synonyms: ['3d curve', 'front and side', 'combine views'],
  ask: 'Pick the two views of one curve',
  mistakes: [
    'The curves do not span the same height: cut both at the same ends.',
    'Both curves lie in planes seen from the same side: draw one of them on a plane that stands across.',
  ],
  icon: ['M3 20c3-3 6-3 9 0M15 4c-3 3-3 6 0 9', 'M12 20c5-2 8-8 6-15'],
  slots: {
    first: slot({ label: 'First view', accepts: ['chain'], min: 1, max: 1 }),
    second: slot({ label: 'Second view', accepts: ['chain'], min: 1, max: 1 }),
    planes: slot({
      label: 'Their planes',
      accepts: ['flat'],
      min: 0,
      max: 2,
      ordered: true,
      hint: 'Needed when a view is a straight line; otherwise the planes of the curves',
    }),
  },
  params: z.object({ tolerance: param.length({ label: 'Within', default: 0.00001, min: 1e-8, max: 1 }) }),
  examples: [],
});
