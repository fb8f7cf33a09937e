import { z } from 'zod';
import { defineTool, param, slot } from '../recipe/define.ts';

export default defineTool({
  id: 'revolve',
  version: 1,
  stage: 'skins',
  group: 'Stretch over curves',
  label: 'Revolve',
  hint: 'Turns curves about a line: exact circles at every height, or stretched to follow a guide curve round the axis',
  mistakes: [
    'The profile crosses the axis: cut it there, or move it to one side.',
    'It turns about the wrong line: pick a straight line under “Axis”, or choose an axis of the world.',
  ],
  icon: ['M12 3v18', 'M12 5c6 0 6 4 4 7s-1 5 2 7M12 5c-6 0-6 4-4 7s1 5-2 7c3 1.500 9 1.500 12 0'],
  synonyms: ['turn', 'lathe', 'spin', 'rotate'],
  ask: 'Pick the profile, then its axis',
  slots: {
    profile: slot({ label: 'Profile', accepts: ['chain'], min: 1, max: 50 }),
    axis: slot({
      label: 'Axis',
      accepts: ['chain', 'flat', 'point'],
      min: 0,
      max: 2,
      ordered: true,
      hint: 'A straight line, two points, or a plane (its normal through its origin); a world axis when empty',
    }),
    guide: slot({
      label: 'Guide',
      accepts: ['chain'],
      min: 0,
      max: 20,
      hint: 'A curve round the axis that the profile is stretched to follow; it should pass through the profile',
    }),
  },
  params: z.object({
    world: param.choice({
      label: 'World axis',
      options: [
        { value: 'x', label: 'X' },
        { value: 'y', label: 'Y' },
        { value: 'z', label: 'Z' },
      ],
      default: 'z',
    }),
    extent: param.choice({
      label: 'Extent',
      options: [
        { value: 'full', label: 'Full turn' },
        { value: 'angles', label: 'Angles' },
        { value: 'symmetric', label: 'Symmetric' },
      ],
      default: 'full',
    }),
    start: param.angle({ label: 'Start', default: 0, when: { key: 'extent', is: ['angles'] } }),
    end: param.angle({ label: 'End', default: 180, when: { key: 'extent', is: ['angles'] } }),
    angle: param.angle({ label: 'Angle', default: 180, min: 1e-6, max: 360, when: { key: 'extent', is: ['symmetric'] } }),
    cap: param.toggle({
      label: 'Cap to a solid',
      default: false,
      hint: 'Flat ends are closed; a profile that ends off the axis gets flat discs',
    }),
  }),
  examples: [{ params: {} }, { params: { extent: 'angles', start: 0, end: 120 } }],
});
