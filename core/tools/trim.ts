import { z } from 'zod';
import { defineTool, param, slot } from '../recipe/define.ts';

export default defineTool({
  id: 'trim',
  version: 1,
  stage: 'joins',
  group: 'Cut',
  label: 'Trim',
  synonyms: ['cut', 'split', 'divide', 'slice'],
  ask: 'Pick what is cut, then what cuts it',
  hint: 'Cuts skins by skins, planes or curves; click the pieces to keep',
  mistakes: [
    'The cutter is too short: it is carried on by itself when it can be, else carry it on by hand.',
    'The wrong piece stays: click the pieces to keep in the view.',
  ],
  icon: ['M3 15c6-3 12-3 18 0', 'M12 4v7m0 4v5', 'M3 15c3-1.500 6-2.200 9-2.200'],
  slots: {
    target: slot({ label: 'Cut', accepts: ['body'], min: 1, max: 1, consumes: true }),
    cutters: slot({ label: 'With', accepts: ['body', 'flat', 'chain'], min: 1, max: 50, consumes: { key: 'mode', is: ['both'] } }),
    more: slot({
      label: 'Also cut',
      accepts: ['body'],
      min: 0,
      max: 100,
      consumes: true,
      hint: 'Further pieces cut by the same, as the ribs of a pattern',
    }),
  },
  params: z.object({
    mode: param.choice({
      label: 'Which cuts',
      options: [
        { value: 'one', label: 'One' },
        { value: 'both', label: 'Both' },
        { value: 'split', label: 'Split only' },
      ],
      default: 'one',
      hint: 'Both: target and cutter cut each other and are knitted',
    }),
    keep: param.choice({
      label: 'Keep',
      options: [
        { value: 'picked', label: 'Picked' },
        { value: 'front', label: 'In front' },
        { value: 'behind', label: 'Behind' },
      ],
      default: 'picked',
      hint: 'In front: on the side the cutting plane or skin looks to',
      when: { key: 'mode', is: ['one', 'both'] },
    }),
    places: param.places({
      label: 'Pieces to keep',
      hint: 'Click pieces in the view; the largest when none is clicked',
      when: { key: 'keep', is: ['picked'] },
    }),
    direction: param.choice({
      label: 'Curves cut along',
      options: [
        { value: 'plane', label: 'Own plane' },
        { value: 'upright', label: "Work plane's z" },
        { value: 'normal', label: 'Normals' },
        { value: 'x', label: 'X' },
        { value: 'y', label: 'Y' },
        { value: 'z', label: 'Z' },
      ],
      default: 'plane',
    }),
    extend: param.choice({
      label: 'If too short',
      options: [
        { value: 'natural', label: 'Natural' },
        { value: 'linear', label: 'Straight' },
        { value: 'none', label: 'Stop' },
      ],
      default: 'natural',
      hint: 'A cutter that ends inside is carried on with its own curvature, or straight; you are told by how much',
    }),
  }),
  examples: [{ params: {} }, { params: { mode: 'split' } }],
});
