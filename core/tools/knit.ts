import { z } from 'zod';
import { defineTool, param, slot } from '../recipe/define.ts';

export default defineTool({
  id: 'knit',
  version: 1,
  stage: 'joins',
  group: 'Bring together',
  label: 'Knit',
  hint: 'Joins skins along edges that lie within a tolerance of each other into one skin',
  synonyms: ['sew', 'stitch', 'join skins', 'weld', 'heal'],
  ask: 'Pick the skins that meet',
  mistakes: [
    'Edges stay open: they are farther apart than the tolerance. The desk lists them with their gap; match them, do not raise the tolerance beyond what you can make.',
    'The skin shows its inside: switch on “Turn outside in”.',
  ],
  icon: ['M4 6c4 2 6 2 8 0M12 18c3-2 5-2 8 0', 'M12 6v12M9.500 9h5M9.500 12h5M9.500 15h5'],
  slots: { skins: slot({ label: 'Skins', accepts: ['body'], min: 1, max: 100_000, consumes: true }) },
  params: z.object({
    tolerance: param.length({ label: 'Within', default: 0.005, min: 1e-7, max: 10 }),
    merge: param.toggle({
      label: 'Merge faces of one surface',
      default: false,
      hint: 'Neighbouring faces that lie on one plane or on one and the same surface become one face',
    }),
    turned: param.toggle({ label: 'Turn outside in', default: false }),
  }),
  examples: [{ params: {} }],
});
