import { z } from 'zod';
import { defineTool, param, slot } from '../recipe/define.ts';

export default defineTool({
  id: 'trim-curve',
  version: 1,
  stage: 'curves',
  group: 'Change',
  label: 'Cut curve',
  hint: 'Cuts a curve by other curves, planes, points or at shares of its length; click the pieces to keep, or split it',
  synonyms: ['cut', 'split', 'shorten', 'break', 'divide'],
  ask: 'Pick the curve, then what cuts it',
  mistakes: [
    'The cutter only seems to meet it: it passes over it. Raise the reach, or project it first.',
    'The wrong piece stays: click the ones to keep.',
  ],
  icon: ['M4 16c5-8 11-8 16 0', 'M12 4v6m0 4v6'],
  slots: {
    curve: slot({ label: 'Curve', accepts: ['chain'], min: 1, max: 1, consumes: true }),
    cutters: slot({
      label: 'By',
      accepts: ['chain', 'flat', 'point'],
      min: 0,
      max: 50,
      hint: 'Curves that cross it, planes, points near it',
    }),
  },
  params: z.object({
    at: param.numbers({ label: 'At shares', default: [], hint: 'Shares of the length from 0 to 1, besides the cutters' }),
    mode: param.choice({
      label: 'Do',
      options: [
        { value: 'keep', label: 'Keep picked' },
        { value: 'split', label: 'Split only' },
        { value: 'spans', label: 'Break at knots' },
      ],
      default: 'keep',
    }),
    places: param.places({ label: 'Pieces to keep', hint: 'The longest when none is clicked', when: { key: 'mode', is: ['keep'] } }),
    reach: param.length({
      label: 'Counts as meeting',
      default: 0.001,
      min: 1e-6,
      max: 10,
      hint: 'Curves that pass each other within this distance meet',
    }),
  }),
  examples: [{ params: { at: [0.3], mode: 'split' } }, { params: { at: [0.25, 0.75] } }],
});
