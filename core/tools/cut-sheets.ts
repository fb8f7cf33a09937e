import { z } from 'zod';
import { defineTool, param, slot } from '../recipe/define.ts';
import { PAPER_FORMATS } from '../sheets/formats.ts';

export default defineTool({
  id: 'cut-sheets',
  version: 1,
  stage: 'output',
  group: 'Sheets',
  label: 'Cut sheets',
  hint: 'Cuts bodies into sections and lays them on sheets of material, with names and score lines, for a laser or a knife',
  synonyms: ['slices', 'sections', 'laser', 'cardboard', 'buck', 'nest', 'nesting', 'layers', 'contour model', 'packaging', 'ribs'],
  ask: 'Pick the solids or closed skins to cut',
  mistakes: [
    'A skin is open and its sections do not close: close it first.',
    'The sections stand across the long way of the body and become many: pick a plane, or a curve they follow.',
  ],
  icon: ['M4 6c4-3 12-3 16 0', 'M4 11c4-3 12-3 16 0', 'M4 16h16v4H4z'],
  writes: true,
  slots: {
    pieces: slot({ label: 'Bodies', accepts: ['skin', 'solid'], min: 1, max: 20, hint: 'Solids and closed skins' }),
    plane: slot({
      label: 'Parallel to',
      accepts: ['flat'],
      min: 0,
      hint: 'Sections lie parallel to this plane; level when empty',
      when: { key: 'way', is: ['layers'] },
    }),
    along: slot({
      label: 'Along',
      accepts: ['chain'],
      min: 1,
      hint: 'Sections stand square to this curve, at even lengths',
      when: { key: 'way', is: ['curve'] },
    }),
  },
  params: z.object({
    way: param.choice({
      label: 'Sections',
      options: [
        { value: 'layers', label: 'In layers' },
        { value: 'curve', label: 'Along a curve' },
      ],
      default: 'layers',
    }),
    count: param.integer({ label: 'Number', default: 24, min: 1, max: 400 }),
    thickness: param.length({ label: 'Material', hint: 'Thickness of the sheets: width of slots', default: 3, min: 0.05, max: 100 }),
    width: param.length({ label: 'Sheet width', default: 600, min: 10, max: 5000 }),
    height: param.length({ label: 'Sheet height', default: 400, min: 10, max: 5000 }),
    gap: param.length({ label: 'Clear space', hint: 'Least distance between parts', default: 3, min: 0, max: 100 }),
    margin: param.length({ label: 'Margin', hint: 'Left free along the border of the sheet', default: 8, min: 0, max: 200 }),
    turns: param.choice({
      label: 'Turning',
      hint: 'What the grain of the material lets be turned',
      options: [
        { value: 'none', label: 'Not turned' },
        { value: 'half', label: 'Half turns' },
        { value: 'quarter', label: 'Right angles' },
        { value: 'any', label: 'By 15°' },
      ],
      default: 'quarter',
    }),
    filled: param.toggle({ label: 'Filled', hint: 'Outlines only: a hollow body is cut as if it were full', default: false }),
    labels: param.toggle({ label: 'Names', hint: 'In strokes, inside each part', default: true }),
    scores: param.toggle({
      label: 'Score lines',
      hint: 'Outline of the next section where it lies on this one',
      default: true,
      when: { key: 'way', is: ['layers'] },
    }),
    holes: param.length({ label: 'Holes', hint: 'Diameter of two holes through all sections; 0 for none', default: 0, min: 0, max: 100 }),
    spine: param.toggle({
      label: 'Spine',
      hint: 'A board across the sections, halved into them where they cross',
      default: false,
      when: { key: 'way', is: ['layers'] },
    }),
    format: param.choice({ label: 'Format', options: PAPER_FORMATS, default: 'svg' }),
    name: param.text({ label: 'File name', default: '', max: 80 }),
  }),
  examples: [
    { params: { count: 5, width: 300, height: 200 } },
    { params: { count: 4, spine: true, holes: 2, turns: 'half', format: 'pdf' } },
  ],
});
