import { z } from 'zod';
import { defineTool, param, slot } from '../recipe/define.ts';

const size = (label: string, rule: string, hint: string) =>
  param.length({ label, default: 4, min: 0.01, max: 500, slider: 'powers', hint, when: { key: 'rule', is: [rule] } });

export default defineTool({
  id: 'fillet',
  version: 1,
  stage: 'joins',
  group: 'Join smoothly',
  label: 'Fillet',
  hint: 'Rounds edges of a skin or solid, or where two skins cross, or cuts them flat: by a ball’s radius, at one width all along, or at a distance from the edge',
  synonyms: ['round', 'rolling ball', 'chamfer', 'bevel', 'equal width', 'face to face', 'edge radius', 'soften', 'break edge'],
  ask: 'Pick the edges to fillet',
  mistakes: [
    'The radius does not fit where faces are narrow: the message shows the place, make it smaller or pick fewer edges.',
    'Edges that meet in a corner are picked one by one in steps: pick them all in one step, then the corner is built too.',
  ],
  icon: ['M4 4v7c0 5 4 9 9 9h7', 'M4 4h3M20 17v3', 'M11 5c0 4 4 8 8 8'],
  slots: {
    edges: slot({
      label: 'Edges',
      accepts: ['edge'],
      min: 1,
      max: 60,
      consumes: true,
      grow: ['chain', 'loop'],
      hint: 'Edges between two faces of one skin or solid; several may meet in a corner',
      when: { key: 'between', is: ['edges'] },
    }),
    skins: slot({
      label: 'Skins',
      accepts: ['skin'],
      min: 2,
      max: 2,
      consumes: true,
      hint: 'Two skins that cross: each is cut by the other, and what is kept of both is joined by the fillet',
      when: { key: 'between', is: ['skins'] },
    }),
  },
  params: z.object({
    between: param.choice({
      label: 'Rounds',
      options: [
        { value: 'edges', label: 'Edges' },
        { value: 'skins', label: 'Two skins' },
      ],
      default: 'edges',
    }),
    places: param.places({
      label: 'Pieces to keep',
      hint: 'Click a piece of each skin in the view; the largest when none is clicked',
      when: { key: 'between', is: ['skins'] },
    }),
    rule: param.choice({
      label: 'Set by',
      options: [
        { value: 'ball', label: 'Radius' },
        { value: 'width', label: 'Width' },
        { value: 'tube', label: 'Distance' },
      ],
      default: 'ball',
      hint: 'Radius: a ball that rolls along both faces; width: the rails stay this far apart; distance: the rails stay this far from the edge',
    }),
    radius: size('Radius', 'ball', 'Of the ball that touches both faces'),
    width: size('Width', 'width', 'From rail to rail, straight across'),
    distance: size('Distance', 'tube', 'From the edge to each rail'),
    along: param.law({
      label: 'Size along',
      quantity: 'ratio',
      default: [],
      min: 0.05,
      max: 20,
      rare: true,
      hint: 'Factor on the size, by share of the length of the edge',
    }),
    section: param.choice({
      label: 'Section',
      options: [
        { value: 'round', label: 'Round' },
        { value: '1', label: 'G1' },
        { value: '2', label: 'G2' },
        { value: '3', label: 'G3' },
        { value: 'flat', label: 'Flat' },
      ],
      default: 'round',
      hint: 'Round: an arc of the ball, tangent to both faces; G1 to G3: a blend of that continuity between the rails; flat: straight across',
    }),
    reach: param.ratio({
      label: 'Fullness',
      default: 1,
      min: 0.05,
      max: 4,
      step: 0.05,
      slider: 'even',
      hint: 'How far the condition pulls into the fillet; 1 is neutral',
      when: { key: 'section', is: ['1', '2', '3'] },
    }),
    follow: param.toggle({
      label: 'Follow smooth edges',
      default: true,
      rare: true,
      hint: 'Each edge with those that run on smoothly from it',
    }),
  }),
  examples: [
    { params: {} },
    { params: { rule: 'width', width: 3, section: '2' } },
    { params: { rule: 'tube', distance: 2, section: 'flat' } },
  ],
});
