import { z } from 'zod';
import { defineTool, param, slot } from '../recipe/define.ts';

export default defineTool({
  id: 'align-edge',
  version: 1,
  stage: 'skins',
  group: 'Shape',
  label: 'Align edge',
  hint: 'Lays the border of a skin exactly into a plane or onto an axis value; rows behind it may follow, the far edge stays',
  synonyms: ['flush', 'square up', 'straighten border'],
  ask: 'Pick the edge to bring into a plane',
  mistakes: [
    'The edge is not a whole side of its surface, because the face is trimmed there: untrim the face first.',
    'The skin has several faces: let go of the one with Unknit, align it, and knit again.',
  ],
  icon: ['M5 5c5-2 9 2 14 0', 'M5 5v13M19 5v13', 'M4 18h16'],
  slots: {
    edge: slot({ label: 'Edge', accepts: ['edge'], min: 1, max: 1, consumes: true, hint: 'A whole side of a skin of one untrimmed face' }),
    plane: slot({ label: 'Into plane', accepts: ['flat'], min: 0, max: 1, hint: 'The axis value below counts when empty' }),
  },
  params: z.object({
    axis: param.choice({
      label: 'On axis value',
      options: [
        { value: 'x', label: 'x' },
        { value: 'y', label: 'y' },
        { value: 'z', label: 'z' },
      ],
      default: 'z',
    }),
    value: param.length({ label: 'Value', default: 0 }),
    follow: param.integer({
      label: 'Rows that follow',
      default: 0,
      min: 0,
      max: 100,
      hint: 'Control rows behind the edge that move along, less and less',
    }),
  }),
  examples: [],
});
