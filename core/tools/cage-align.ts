import { z } from 'zod';
import { defineTool, param, slot } from '../recipe/define.ts';

export default defineTool({
  id: 'cage-align',
  version: 1,
  stage: 'cages',
  group: 'Shape',
  label: 'Border to edge',
  hint: 'Brings an open border of a cage to a curve, or to the edge of a skin without a kink; the rows behind follow, gap and kink are measured',
  synonyms: ['align border', 'attach', 'snap border', 'tangent to skin', 'match cage', 'continuity of a cage'],
  ask: 'Pick the cage, then the curve or edges',
  mistakes: [
    'The gap stays too large: the border has too few vertices for the bends of the edge. Insert loops across it, or refine the cage.',
    'A kink is left where a single face has its corner on the border: its sides give the tangent plane. Connect it once more there.',
  ],
  icon: [
    'M3 20h18',
    'M4 4h16v7c-5 3-11 3-16 0z',
    'M12 4v9',
    'M8 20v-5m0 0-1.500 1.500M8 15l1.500 1.500M16 20v-5m0 0-1.500 1.500M16 15l1.500 1.500',
  ],
  slots: {
    cage: slot({ label: 'Cage', accepts: ['cage'], consumes: true }),
    to: slot({
      label: 'To',
      accepts: ['chain'],
      edgesFirst: true,
      min: 1,
      max: 60,
      grow: ['rim', 'loop', 'chain'],
      hint: 'A curve, or edges of a skin, in any order; the nearest border of the cage is brought there',
    }),
  },
  tryOff: ['to'],
  params: z.object({
    grade: param.choice({
      label: 'Meets',
      options: [
        { value: '0', label: 'G0' },
        { value: '1', label: 'G1' },
      ],
      default: '1',
      hint: 'G1: the smooth surface goes on from the skin without a kink',
    }),
    along: param.choice({
      label: 'Along',
      options: [
        { value: 'length', label: 'As now' },
        { value: 'even', label: 'Evenly' },
        { value: 'nearest', label: 'Nearest' },
      ],
      default: 'length',
      hint: 'Where the vertices go on the edge: in their distances of now, in equal ones, or each to the place nearest to it',
    }),
    rows: param.integer({
      label: 'Rows that follow',
      default: 2,
      min: 0,
      max: 50,
      hint: 'Rows of vertices behind the border that move along, less and less',
    }),
    flip: param.toggle({ label: 'The other way round', default: false, rare: true }),
    other: param.toggle({ label: 'Other face of a seam', default: false, rare: true }),
    border: param.integer({
      label: 'Border',
      default: 1,
      min: 1,
      max: 1000,
      rare: true,
      hint: '1 is the open border nearest to the edge, 2 the next',
    }),
    tolerance: param.length({ label: 'Gap within', default: 0.01, min: 1e-6, max: 10, rare: true }),
    kink: param.angle({ label: 'Kink within', default: 0.1, min: 1e-4, max: 10, rare: true }),
  }),
  examples: [{ params: {} }, { params: { grade: '0', along: 'even', rows: 1 } }],
});
