import { z } from 'zod';
import { defineTool, param, slot } from '../recipe/define.ts';

export default defineTool({
  id: 'edge-curve',
  version: 1,
  stage: 'curves',
  group: 'From skins',
  label: 'Edge, isoparm',
  hint: 'Curves that a skin has already: picked edges, all its rims, or lines of constant parameter of a face, cut to its trims',
  synonyms: ['extract', 'border', 'duplicate edge', 'iso line', 'isocurve'],
  ask: 'Pick edges, or choose what to take',
  mistakes: [
    'A picked edge changes its name after a cut upstream: pick it again where the step asks for it.',
    'The line of constant parameter ends early: the face is trimmed there, take another share.',
  ],
  icon: ['M3 17c6-4 12-4 18 0M5 8c5-3 9-3 14 0', 'M3 17 5 8M11 14.100c0-3 0-6 1-8.100'],
  slots: {
    edges: slot({ label: 'Edges', accepts: ['edge'], min: 0, max: 200, when: { key: 'what', is: ['edges'] } }),
    skin: slot({ label: 'Skin', accepts: ['body'], min: 0, max: 1, when: { key: 'what', is: ['rims'] } }),
    face: slot({ label: 'Face', accepts: ['face'], min: 0, max: 1, when: { key: 'what', is: ['isoparm'] } }),
  },
  params: z.object({
    what: param.choice({
      label: 'Take',
      options: [
        { value: 'edges', label: 'Edges' },
        { value: 'rims', label: 'All rims' },
        { value: 'isoparm', label: 'Isoparm' },
      ],
      default: 'edges',
    }),
    direction: param.choice({
      label: 'Runs along',
      options: [
        { value: 'u', label: 'u' },
        { value: 'v', label: 'v' },
      ],
      default: 'u',
      when: { key: 'what', is: ['isoparm'] },
    }),
    at: param.ratio({ label: 'At share', default: 0.5, min: 0, max: 1, step: 0.01, when: { key: 'what', is: ['isoparm'] } }),
    count: param.integer({
      label: 'Number',
      default: 1,
      min: 1,
      max: 100,
      hint: 'More than one: at equal steps over the whole face',
      when: { key: 'what', is: ['isoparm'] },
    }),
  }),
  examples: [],
});
