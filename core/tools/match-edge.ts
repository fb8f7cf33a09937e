import { z } from 'zod';
import { defineTool, param, slot } from '../recipe/define.ts';

const own = z.object({ grade: param.grade({ label: 'Meets', default: '2' }) });

export default defineTool({
  id: 'match-edge',
  version: 1,
  stage: 'joins',
  group: 'Join smoothly',
  label: 'Match edge',
  hint: 'Brings sides of a skin to edges of other skins, to a curve or square into a mirror plane, with G0 to G3; the far side stays',
  synonyms: ['align surface', 'continuity', 'tangent', 'symmetry', 'close gap', 'snap edge'],
  ask: 'Pick the edge to change, then what it meets',
  mistakes: [
    'The far side of the skin moves too: it has too few rows. Insert one before you match.',
    'The skins run into each other at a slant: G2 cannot be had on such a rim without a kink inside. Look at the stripes.',
  ],
  icon: ['M14 4c3 4 3 11 0 16', 'M21 4v16M14 4h7M14 20h7', 'M3 6c5-1 8 0 11-2M3 18c5 1 8 0 11 2M3 6v12'],
  slots: {
    edge: slot({
      label: 'Edge',
      accepts: ['edge'],
      min: 1,
      max: 1,
      grow: ['chain'],
      consumes: true,
      hint: 'A whole side of a skin of one face, or a part of it by its draggable ends',
      each: own,
    }),
    to: slot({
      label: 'Brought to',
      accepts: ['chain', 'flat'],
      edgesFirst: true,
      min: 1,
      max: 1,
      consumes: { key: 'who', is: ['both'] },
      hint: 'The edge of another skin, a curve (G0) or a mirror plane',
    }),
    more: slot({
      label: 'More edges',
      accepts: ['edge'],
      min: 0,
      max: 3,
      ordered: true,
      consumes: true,
      hint: 'Other sides of the same skin, matched together with the first, corners agreed',
      each: own,
    }),
    moreTo: slot({
      label: 'To more',
      accepts: ['chain', 'flat'],
      edgesFirst: true,
      min: 0,
      max: 3,
      ordered: true,
      hint: 'What they are brought to, in the same order',
    }),
  },
  params: z.object({
    who: param.choice({
      label: 'Who moves',
      options: [
        { value: 'first', label: 'This edge' },
        { value: 'both', label: 'Both halfway' },
      ],
      default: 'first',
      hint: 'Both halfway: the other skin changes too, and comes out as a second piece',
    }),
    along: param.choice({
      label: 'Along',
      options: [
        { value: 'ends', label: 'End to end' },
        { value: 'nearest', label: 'Nearest' },
      ],
      default: 'ends',
      hint: 'Nearest: each place goes to the one nearest to it, for edges that are longer than this one',
    }),
    far: param.choice({
      label: 'Far side keeps',
      options: [
        { value: '1', label: 'G0' },
        { value: '2', label: 'G1' },
        { value: '3', label: 'G2' },
      ],
      default: '1',
      hint: 'What the opposite side of the skin still has afterwards: place, tangents, curvature',
    }),
    giveWay: param.integer({
      label: 'Rows that give way',
      default: 0,
      min: 0,
      max: 100,
      rare: true,
      hint: '0: all rows up to the far side, less and less; fewer keep more of the skin, and bend it more',
    }),
    flip: param.toggle({ label: 'The other way round', default: false, rare: true }),
    other: param.toggle({ label: 'Other face of a seam', default: false, rare: true }),
    tolerance: param.length({
      label: 'Seam within',
      default: 0.0002,
      min: 1e-6,
      max: 0.01,
      slider: 'powers',
      rare: true,
      hint: 'Gap allowed while fitting; kink and curvature step are held in proportion. Larger gives fewer control points',
    }),
  }),
  examples: [{ params: {} }, { params: { who: 'both', far: '2' } }],
});
