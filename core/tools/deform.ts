import { z } from 'zod';
import { defineTool, param, slot } from '../recipe/define.ts';

export default defineTool({
  id: 'deform',
  version: 1,
  stage: 'solids',
  group: 'Place',
  label: 'Bend, twist, taper',
  hint: 'Bends, twists or tapers pieces along the z of a plane, all of them together; trims, names and seams stay',
  mistakes: [
    'The bend is tighter than the pieces are wide: they would run through themselves. Use a smaller angle or a longer part.',
    'Only one of the pieces moves: pick all that belong together, they are bent as one.',
  ],
  icon: ['M5 20V4h5v16z', 'M14 20c0-8 1-12 6-15', 'M18.500 21c0-7 .500-10 3.500-13'],
  slots: {
    pieces: slot({ label: 'Pieces', accepts: ['piece'], min: 1, max: 100, consumes: true }),
    plane: slot({
      label: 'In axes of',
      accepts: ['flat'],
      min: 0,
      max: 1,
      active: true,
      hint: 'Its z is the length, its origin the line that keeps it; the world when empty',
    }),
  },
  params: z.object({
    what: param.choice({
      label: 'What',
      options: [
        { value: 'bend', label: 'Bend' },
        { value: 'twist', label: 'Twist' },
        { value: 'taper', label: 'Taper' },
      ],
      default: 'bend',
    }),
    angle: param.angle({
      label: 'Angle',
      default: 30,
      min: -720,
      max: 720,
      hint: 'From one end to the other',
      when: { key: 'what', is: ['bend', 'twist'] },
    }),
    towards: param.angle({
      label: 'Towards',
      default: 0,
      hint: 'Direction it bends to, from x about z',
      when: { key: 'what', is: ['bend'] },
    }),
    end: param.ratio({ label: 'Width at the end', default: 0.7, min: 0.01, max: 100, when: { key: 'what', is: ['taper'] } }),
    over: param.choice({
      label: 'Over',
      options: [
        { value: 'all', label: 'All' },
        { value: 'part', label: 'A part' },
      ],
      default: 'all',
      hint: 'All: from one end of the pieces to the other. A part: what lies beyond it goes on without change',
    }),
    from: param.length({ label: 'From', default: 0, when: { key: 'over', is: ['part'] } }),
    to: param.length({ label: 'To', default: 20, when: { key: 'over', is: ['part'] } }),
    tolerance: param.length({ label: 'Fit within', default: 0.0001, min: 1e-8, max: 1, slider: 'powers' }),
  }),
  synonyms: ['bend', 'twist', 'taper', 'warp', 'flex', 'curl', 'deform'],
  ask: 'Pick the pieces to bend',
  examples: [{ params: {} }, { params: { what: 'twist', angle: 45 } }, { params: { what: 'taper', end: 0.5 } }],
});
