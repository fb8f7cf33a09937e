import { z } from 'zod';
import { defineTool, param, slot } from '../recipe/define.ts';

export default defineTool({
  id: 'weave',
  version: 1,
  stage: 'skins',
  group: 'Stretch over curves',
  label: 'Weave',
  hint: 'A skin over curves that cross like threads, any number each way; outer curves may meet the skins beside them, or run square into a mirror plane',
  synonyms: ['network', 'curve mesh', 'gordon', 'between borders', 'coons', 'fill with curves'],
  ask: 'Pick the curves in any order',
  mistakes: [
    'The curves do not meet where they cross: they are off by more than the tolerance, and the largest is told. Move them together.',
    'Curves that run nearly alike cross badly: leave one out.',
  ],
  icon: ['M3 7c6 2 12-2 18 0M3 13c6 2 12-2 18 0M3 19c6 2 12-2 18 0', 'M6 4c1 6-1 11 0 17M12 4c1 6-1 11 0 17M18 4c1 6-1 11 0 17'],
  slots: {
    curves: slot({
      label: 'Curves',
      accepts: ['chain'],
      min: 2,
      max: 80,
      hint: 'Sorted into two families by themselves: those that cross each other belong to different ones',
      each: z.object({
        meets: param.choice({
          label: 'Meets',
          options: [
            { value: 'touch', label: 'Touch' },
            { value: 'G1', label: 'G1' },
            { value: 'G2', label: 'G2' },
            { value: 'G3', label: 'G3' },
            { value: 'mirror', label: 'Mirror' },
          ],
          default: 'touch',
        }),
      }),
    }),
    plane: slot({
      label: 'Mirror plane',
      accepts: ['flat'],
      min: 0,
      max: 1,
      hint: 'For curves that meet a mirror; their own plane when empty',
    }),
  },
  params: z.object({
    gap: param.length({
      label: 'Close gaps up to',
      default: 0.01,
      min: 1e-6,
      max: 100,
      hint: 'Curves that pass each other nearer than this count as crossing; the skin goes halfway between',
    }),
    turned: param.toggle({ label: 'Turn over', default: false }),
    tolerance: param.length({ label: 'Fit within', default: 0.00001, min: 1e-8, max: 1, slider: 'powers' }),
  }),
  examples: [{ params: {} }],
});
