import { z } from 'zod';
import { defineTool, param, slot } from '../recipe/define.ts';

export default defineTool({
  id: 'tube',
  version: 1,
  stage: 'skins',
  group: 'Stretch over curves',
  label: 'Tube',
  hint: 'A round tube about a path: constant or varying diameter, solid or with a wall, flat, round or open ends',
  synonyms: ['pipe', 'hose', 'rod', 'wire', 'cable'],
  ask: 'Pick the path',
  mistakes: [
    'Several curves meet in one place: a tube follows one path. Make one for each branch and unite them.',
    'It is thicker than the bend is round: make the diameter smaller.',
  ],
  icon: ['M5 18c4-12 10 2 14-11', 'M2 16c4-12 10 1 14-12M8 20c4-12 10 1 14-12'],
  slots: {
    path: slot({ label: 'Path', accepts: ['chain'], min: 1, max: 100, hint: 'One chain without branches' }),
  },
  params: z.object({
    diameter: param.length({ label: 'Diameter', default: 10, min: 0.001 }),
    varies: param.law({
      label: 'Varies',
      quantity: 'ratio',
      default: [],
      min: 0.001,
      max: 1000,
      hint: 'Factor on the diameter, by share of the length',
    }),
    make: param.choice({
      label: 'Make',
      options: [
        { value: 'skin', label: 'Skin' },
        { value: 'rod', label: 'Rod' },
        { value: 'pipe', label: 'Pipe' },
      ],
      default: 'rod',
    }),
    wall: param.length({ label: 'Wall', default: 1, min: 0.001, when: { key: 'make', is: ['pipe'] } }),
    ends: param.choice({
      label: 'Ends',
      options: [
        { value: 'flat', label: 'Flat' },
        { value: 'round', label: 'Round' },
      ],
      default: 'flat',
      when: { key: 'make', is: ['rod', 'pipe'] },
    }),
    corner: param.choice({
      label: 'Corners',
      options: [
        { value: 'round', label: 'Rounded' },
        { value: 'mitre', label: 'Mitred' },
      ],
      default: 'round',
    }),
    radius: param.length({
      label: 'Corner radius',
      default: 10,
      min: 0.001,
      hint: 'Of the path; at least half the diameter',
      when: { key: 'corner', is: ['round'] },
    }),
    tolerance: param.length({ label: 'Fit within', default: 0.0001, min: 1e-8, max: 1, slider: 'powers' }),
  }),
  examples: [{ params: {} }, { params: { make: 'skin' } }],
});
