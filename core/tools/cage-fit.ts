import { z } from 'zod';
import { defineTool, param, slot } from '../recipe/define.ts';

export default defineTool({
  id: 'cage-fit',
  version: 1,
  stage: 'cages',
  group: 'Shape',
  label: 'Cage onto scan',
  hint: 'Lays the smooth surface of a cage onto a scan or a skin within a tolerance, its faces evened out meanwhile, and tells how far it stands off',
  synonyms: ['refit', 'shrink wrap', 'relax onto', 'conform', 'project cage', 'fit to scan'],
  ask: 'Pick the cage, then the scan',
  mistakes: [
    'It stays too far off: the cage has too few faces for the bends of the scan. Insert loops where the mark stands, or refine it.',
    'Parts jump to another side of the scan: bring the cage nearer to it by hand first.',
  ],
  icon: ['M3 16c3-9 6-10 9-10s6 1 9 10', 'M4 19l4-9 4-3 4 3 4 9M8 10l1 8M16 10l-1 8', 'M12 20v-5m0 0-2 2m2-2 2 2'],
  slots: {
    cage: slot({ label: 'Cage', accepts: ['cage'], consumes: true }),
    onto: slot({ label: 'Onto', accepts: ['scan', 'body'] }),
  },
  params: z.object({
    tolerance: param.length({ label: 'Within', default: 0.2, min: 1e-5, max: 100 }),
    rounds: param.integer({ label: 'Rounds at most', default: 30, min: 1, max: 200 }),
    even: param.ratio({
      label: 'Evened out',
      default: 0.15,
      min: 0,
      max: 1,
      hint: 'Share by which vertices go to the middle of their neighbours, along the surface, in each round',
    }),
    hold: param.toggle({ label: 'Borders stay', default: true }),
  }),
  examples: [{ params: { tolerance: 20, rounds: 6 } }],
});
