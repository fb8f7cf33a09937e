import { z } from 'zod';
import { writableFormats } from '../exchange/formats.ts';
import { defineTool, param, planeSlot, slot } from '../recipe/define.ts';

export default defineTool({
  id: 'export',
  version: 1,
  stage: 'output',
  group: 'Files',
  label: 'Export',
  hint: 'Writes pieces as a STEP exchange file or an STL print mesh, curves as SVG or DXF; each file is read back and compared',
  synonyms: ['save as', 'step', 'stl', 'svg', 'dxf', 'write', 'deliver'],
  ask: 'Pick what is written',
  icon: ['M12 13V3m0 0L8 7m4-4 4 4', 'M4 15v5h16v-5'],
  writes: true,
  slots: {
    pieces: slot({ label: 'Pieces', accepts: ['body'], min: 1, max: 200, when: { key: 'format', is: ['step', 'stl'] } }),
    curves: slot({ label: 'Curves', accepts: ['chain'], min: 1, max: 500, when: { key: 'format', is: ['svg', 'dxf'] } }),
    plane: {
      ...planeSlot,
      active: false,
      label: 'Seen on',
      hint: 'SVG: the curves as seen along the normal of this plane. DXF: in its coordinates; in space when empty',
      when: { key: 'format', is: ['svg', 'dxf'] },
    },
  },
  params: z.object({
    format: param.choice({
      label: 'Format',
      options: writableFormats('bodies', 'scan', 'curves').map((f) => ({ value: f.id as 'step' | 'stl' | 'svg' | 'dxf', label: f.label })),
      default: 'step',
    }),
    schema: param.choice({
      label: 'STEP schema',
      options: [
        { value: 'AP214', label: 'AP214' },
        { value: 'AP242', label: 'AP242' },
      ],
      default: 'AP214',
      when: { key: 'format', is: ['step'] },
    }),
    unit: param.choice({
      label: 'Unit',
      options: [
        { value: 'MM', label: 'mm' },
        { value: 'INCH', label: 'inch' },
        { value: 'M', label: 'm' },
      ],
      default: 'MM',
      when: { key: 'format', is: ['step'] },
    }),
    chord: param.length({ label: 'Chord error', default: 0.02, min: 1e-4, max: 10, when: { key: 'format', is: ['stl'] } }),
    name: param.text({ label: 'File name', default: '', max: 80 }),
  }),
  examples: [{ params: {} }, { params: { format: 'stl' } }, { params: { format: 'dxf' } }, { params: { format: 'svg' } }],
});
