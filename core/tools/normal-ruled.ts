import { z } from 'zod';
import { defineTool, param, slot } from '../recipe/define.ts';

export default defineTool({
  id: 'normal-ruled',
  version: 1,
  stage: 'skins',
  group: 'From skins',
  label: 'Normal ruled',
  hint: 'A wall of straight lines out of a chain on a skin: along the normals, leaned, or at an angle to a pull direction; inwards, outwards or both',
  synonyms: ['wall on a skin', 'parting wall', 'flange', 'normal extrude', 'fence', 'cutter'],
  ask: 'Pick edges, or curves on a skin and the skin',
  mistakes: [
    'The wall folds: the chain bends tighter than the wall is long. Make it shorter, or lean it.',
    'It stands on the wrong side: choose outwards or inwards.',
  ],
  icon: ['M3 17c5-4 12-5 18-3', 'M3 17V9M9 14V6M15 13V5M21 14V6', 'M3 9c5-4 12-5 18-3v8c-6-2-13-1-18 3z'],
  slots: {
    chain: slot({ label: 'Chain', accepts: ['chain'], min: 1, max: 200, hint: 'Edges know their skin; curves need it picked below' }),
    skin: slot({ label: 'On skin', accepts: ['body'], min: 0, max: 1, hint: 'The skin whose normals count, for free curves' }),
    pull: slot({
      label: 'Pull',
      accepts: ['chain', 'flat'],
      min: 0,
      max: 1,
      when: { key: 'along', is: ['pull'] },
      hint: 'A straight line or a plane (its normal); the world z when empty',
    }),
  },
  params: z.object({
    along: param.choice({
      label: 'Along',
      options: [
        { value: 'normal', label: 'Normals' },
        { value: 'pull', label: 'Pull' },
      ],
      default: 'normal',
    }),
    side: param.choice({
      label: 'Goes',
      options: [
        { value: 'out', label: 'Outwards' },
        { value: 'in', label: 'Inwards' },
        { value: 'both', label: 'Both' },
      ],
      default: 'out',
    }),
    distance: param.length({ label: 'Distance', default: 5, min: 1e-6 }),
    back: param.length({ label: 'Inwards', default: 5, min: 1e-6, when: { key: 'side', is: ['both'] } }),
    angle: param.angle({ label: 'Angle', default: 0, min: -90, max: 90, hint: 'Lean across the curve; with a pull: the angle to it' }),
    faces: param.choice({
      label: 'Normals of',
      options: [
        { value: 'first', label: 'First face' },
        { value: 'second', label: 'Second' },
        { value: 'both', label: 'Halfway' },
      ],
      default: 'both',
      hint: 'For edges that two faces share',
    }),
    tolerance: param.length({ label: 'Fit within', default: 0.0001, min: 1e-8, max: 1, slider: 'powers' }),
  }),
  examples: [{ params: {} }, { params: { side: 'both', angle: 20 } }, { params: { along: 'pull', angle: 5, side: 'in' } }],
});
