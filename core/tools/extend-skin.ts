import { z } from 'zod';
import { defineTool, param, slot } from '../recipe/define.ts';

export default defineTool({
  id: 'extend-skin',
  version: 1,
  stage: 'joins',
  group: 'Change',
  label: 'Extend skin',
  hint: 'Carries a skin on beyond its rim: with its own surface, straight, or with its curvature; by a distance, up to something, or until two skins meet',
  synonyms: ['lengthen', 'prolong', 'grow edge', 'untrimmed', 'until they meet', 'extrapolate'],
  ask: 'Pick the open edges to carry on',
  mistakes: [
    'Carried on far, a curved skin winds up: carry it on straight, or by less.',
    'The edge belongs to a knitted neighbour: only open edges can be carried on.',
  ],
  icon: ['M3 15c4-4 7-5 11-5v6c-4 0-7 1-11 5z', 'M14 10h2M14 16h2', 'M16 10c2 0 3 0 5-.500v6c-2 .500-3 .500-5 .500z'],
  slots: {
    rim: slot({
      label: 'Edges',
      accepts: ['chain'],
      min: 1,
      max: 100,
      consumes: true,
      hint: 'Open edges of one skin; a chain may be shortened at both ends',
    }),
    upTo: slot({ label: 'Up to', accepts: ['body', 'flat'], min: 1, max: 1, when: { key: 'extent', is: ['to'] } }),
    other: slot({
      label: 'Other edges',
      accepts: ['chain'],
      min: 1,
      max: 100,
      consumes: true,
      hint: 'Open edges of the other skin: both go on until they meet and are knitted',
      when: { key: 'extent', is: ['meet'] },
    }),
  },
  params: z.object({
    way: param.choice({
      label: 'Goes on',
      options: [
        { value: 'natural', label: 'Naturally' },
        { value: 'linear', label: 'Straight' },
        { value: 'arc', label: 'As an arc' },
      ],
      default: 'natural',
      hint: 'Naturally: the surface itself, all its curvature kept; as an arc: with the curvature it has at the edge',
    }),
    extent: param.choice({
      label: 'Extent',
      options: [
        { value: 'by', label: 'Distance' },
        { value: 'to', label: 'Up to' },
        { value: 'meet', label: 'Until met' },
      ],
      default: 'by',
    }),
    by: param.length({ label: 'By', default: 5, min: 1e-4, when: { key: 'extent', is: ['by'] } }),
  }),
  examples: [{ params: {} }, { params: { way: 'linear', by: 2 } }, { params: { way: 'arc', by: 3 } }],
});
