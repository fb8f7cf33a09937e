import { z } from 'zod';
import { FORMATS, readableEndings } from '../exchange/formats.ts';
import { defineTool, param, planeSlot } from '../recipe/define.ts';

const share = z.tuple([z.number(), z.number()]);

export default defineTool({
  id: 'picture',
  version: 1,
  stage: 'references',
  group: 'Bring in',
  label: 'Picture',
  hint: 'A photo or drawing laid on a plane to trace, scaled by two places on it and the distance between them',
  synonyms: ['image', 'photo', 'backdrop', 'reference', 'trace'],
  mistakes: [
    'It is the wrong size: place A and B on two points whose distance you know, and type it.',
    'It hides the model: lower its opacity, or hide it in the list of pieces.',
  ],
  icon: ['M4 5h16v14H4z', 'M4 16l5-5 4 4 3-3 4 4'],
  slots: { plane: { ...planeSlot, label: 'Lies on' } },
  params: z.object({
    file: param.asset({
      label: 'Picture',
      files: readableEndings('picture'),
      megabytes: FORMATS.find((f) => f.kind === 'picture')?.megabytes,
    }),
    size: param.choice({
      label: 'Size by',
      options: [
        { value: 'width', label: 'Its width' },
        { value: 'places', label: 'A to B' },
      ],
      default: 'width',
      hint: 'Drag A and B onto two places whose distance you know, type it, then choose A to B',
    }),
    width: param.length({ label: 'Width', default: 200, min: 1e-3, when: { key: 'size', is: ['width'] } }),
    between: param.length({ label: 'From A to B', default: 100, min: 1e-6, hint: 'The true distance between the two places' }),
    along: param.choice({
      label: 'A to B runs',
      options: [
        { value: 'free', label: 'As it is' },
        { value: 'x', label: 'Along x' },
        { value: 'y', label: 'Along y' },
      ],
      default: 'free',
      when: { key: 'size', is: ['places'] },
    }),
    anchor: param.choice({
      label: 'Placed by',
      options: [
        { value: 'middle', label: 'Its middle' },
        { value: 'corner', label: 'Its lower left' },
        { value: 'a', label: 'Place A' },
      ],
      default: 'middle',
    }),
    at: param.vector({ label: 'At', default: [0, 0, 0], quantity: 'length', hint: 'In the plane; z lifts it off' }),
    turn: param.angle({ label: 'Turned', default: 0 }),
    flipped: param.toggle({ label: 'Mirrored', default: false, hint: 'Left and right changed' }),
    opacity: param.ratio({ label: 'Opacity', default: 0.6, min: 0.02, max: 1, step: 0.02 }),
    a: param.hidden(share.default([0.2, 0.5]), 'Place A, in shares of width and height'),
    b: param.hidden(share.default([0.8, 0.5]), 'Place B, in shares of width and height'),
  }),
});
