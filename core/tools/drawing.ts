import { z } from 'zod';
import { defineTool, param, slot } from '../recipe/define.ts';
import { PAPER_FORMATS } from '../sheets/formats.ts';

const SIZES = { a4: [297, 210], a3: [420, 297], a2: [594, 420], a1: [841, 594] } as const;
export const PAPER_SIZES: Readonly<Record<string, readonly [number, number]>> = SIZES;
export default defineTool({
  id: 'drawing',
  version: 1,
  stage: 'output',
  group: 'Sheets',
  label: 'Line drawing',
  hint: 'Draws visible and hidden lines of several views on a sheet, with sizes and kept measures, computed from the exact surfaces',
  synonyms: ['hidden lines', 'views', 'blueprint', 'orthographic', 'technical drawing', 'projection', 'section view', 'pdf', 'dxf', 'svg'],
  ask: 'Pick the skins or solids to draw',
  mistakes: [
    'Lines that should be hidden are seen: the body is open and one sees through it. Close it first.',
    'The views do not fit: take a larger paper or let the scale be found.',
  ],
  icon: ['M3 4h18v16H3z', 'M6 8h5v5H6z M14 8h4v5h-4z', 'M6 16h8'],
  writes: true,
  takesMeasures: true,
  slots: {
    pieces: slot({ label: 'Pieces', accepts: ['skin', 'solid'], min: 1, max: 50 }),
    section: slot({ label: 'Section by', accepts: ['flat'], min: 0, hint: 'A plane whose cut is drawn hatched, as a view of its own' }),
  },
  params: z.object({
    front: param.toggle({ label: 'Front', default: true }),
    top: param.toggle({ label: 'Top', default: true }),
    side: param.toggle({ label: 'Right', default: true }),
    seen: param.choice({
      label: 'Free view',
      options: [
        { value: 'no', label: 'None' },
        { value: 'as-seen', label: 'As seen' },
      ],
      default: 'no',
    }),
    eye: param.vector({ label: 'Towards the eye', default: [1, -1, 0.8], when: { key: 'seen', is: ['as-seen'] } }),
    up: param.vector({ label: 'Up', default: [0, 0, 1], when: { key: 'seen', is: ['as-seen'] } }),
    order: param.choice({
      label: 'Top view stands',
      options: [
        { value: 'above', label: 'Above' },
        { value: 'below', label: 'Below' },
      ],
      default: 'above',
    }),
    hidden: param.toggle({ label: 'Hidden lines', default: true }),
    smooth: param.toggle({ label: 'Smooth seams', hint: 'Seams without a kink, thin', default: true }),
    sizes: param.toggle({ label: 'Sizes', hint: 'Overall sizes, and diameters of round edges seen straight on', default: true }),
    measures: param.toggle({
      label: 'Kept measures',
      hint: 'Draws what Measure steps before this one keep, where a view shows it in its true length',
      default: true,
    }),
    paper: param.choice({
      label: 'Paper',
      options: [
        { value: 'a4', label: 'A4' },
        { value: 'a3', label: 'A3' },
        { value: 'a2', label: 'A2' },
        { value: 'a1', label: 'A1' },
      ],
      default: 'a3',
    }),
    scale: param.choice({
      label: 'Scale',
      options: [
        { value: 'fit', label: 'To fit' },
        ...['10:1', '5:1', '2:1', '1:1', '1:2', '1:5', '1:10', '1:20', '1:50', '1:100'].map((s) => ({ value: s, label: s })),
      ],
      default: 'fit',
    }),
    format: param.choice({ label: 'Format', options: PAPER_FORMATS, default: 'pdf' }),
    name: param.text({ label: 'File name', default: '', max: 80 }),
  }),
  asSeen: { label: 'Take the present view', when: { key: 'seen', is: ['as-seen'] }, eye: 'eye', up: 'up' },
  examples: [{ params: {} }, { params: { top: false, side: false, paper: 'a4', format: 'svg', scale: '1:1' } }],
});
