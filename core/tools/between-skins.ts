import { z } from 'zod';
import { defineTool, param, slot } from '../recipe/define.ts';

export default defineTool({
  id: 'between-skins',
  version: 1,
  stage: 'skins',
  group: 'From skins',
  label: 'In-between skins',
  hint: 'The skin halfway between two, at any share of the way, or several in even steps; meshes with equal corners too',
  synonyms: ['tween', 'morph', 'average skin', 'middle skin', 'blend shapes'],
  ask: 'Pick two skins or two scans',
  mistakes: [
    'The skins have different numbers of faces: pick single faces, or make in-betweens of them one by one.',
    'One of them is a scan and the other is a skin: there is nothing between, make a skin from the scan first.',
  ],
  icon: ['M3 19c6-4 12 1 18-2M3 7c6-4 12 1 18-2', 'M3 13c6-4 12 1 18-2'],
  slots: { skins: slot({ label: 'Between', accepts: ['skin', 'face', 'scan', 'cage'], min: 2, max: 2, ordered: true }) },
  params: z.object({
    count: param.integer({ label: 'Number', default: 1, min: 1, max: 50 }),
    at: param.ratio({
      label: 'At share',
      default: 0.5,
      min: -1,
      max: 2,
      step: 0.05,
      slider: 'even',
      when: { key: 'count', is: [1] },
      hint: '0 the first, 1 the second; beyond them it goes on',
    }),
  }),
  examples: [{ params: {} }, { params: { count: 3 } }],
});
