import { z } from 'zod';
import { defineTool, param, slot } from '../recipe/define.ts';

export default defineTool({
  id: 'unknit',
  version: 1,
  stage: 'joins',
  group: 'Bring together',
  label: 'Unknit',
  hint: 'Lets faces go of each other: the picked ones, or every face of a skin, become skins of their own',
  synonyms: ['explode', 'separate', 'detach', 'loosen', 'unjoin'],
  ask: 'Pick the faces to take apart',
  mistakes: [
    'Edges that were one are two now and may drift apart: match and knit again after editing.',
    'Faces were wanted as a copy: use Copy faces.',
  ],
  icon: ['M4 6c4 2 6 2 8 0M12 18c3-2 5-2 8 0', 'M9 6v12M15 6v12', 'M11 12h2'],
  slots: {
    faces: slot({
      label: 'Faces',
      accepts: ['face', 'body'],
      min: 1,
      max: 500,
      consumes: true,
      hint: 'Faces of one skin, or the whole skin',
    }),
  },
  params: z.object({
    together: param.toggle({ label: 'Keep the picked together', default: false }),
  }),
  examples: [{ params: {} }],
});
