import { z } from 'zod';
import { SPACE_FORMATS, type SpaceFormat, writableFormats } from '../exchange/formats.ts';
import { defineTool, param, planeSlot, slot } from '../recipe/define.ts';

const TRIANGLES = ['stl', '3mf', 'obj', 'ply', 'gltf'];
const FLAT = ['svg', 'dxf'];

export default defineTool({
  id: 'export',
  version: 1,
  stage: 'output',
  group: 'Files',
  label: 'Export',
  hint: 'Writes pieces as STEP or IGES surfaces, as STL, 3MF, OBJ, PLY or glTF triangles, curves as SVG or DXF; each file is read back and compared',
  synonyms: ['save as', 'step', 'iges', 'stl', '3mf', 'obj', 'ply', 'gltf', 'glb', 'svg', 'dxf', 'write', 'deliver', 'print', 'mesh'],
  ask: 'Pick what is written',
  mistakes: [
    'The triangles are too coarse for a mould: the chord error is the largest distance from the surface, make it a tenth of what matters.',
    'The other program shows another size: it reads another unit. Choose the unit on the card.',
  ],
  icon: ['M12 13V3m0 0L8 7m4-4 4 4', 'M4 15v5h16v-5'],
  writes: true,
  slots: {
    pieces: slot({
      label: 'Pieces',
      accepts: ['piece'],
      min: 1,
      max: 200,
      hint: 'Skins and solids; scans as triangles; curves as IGES',
      when: { key: 'format', is: SPACE_FORMATS },
    }),
    curves: slot({ label: 'Curves', accepts: ['chain'], min: 1, max: 500, when: { key: 'format', is: FLAT } }),
    plane: {
      ...planeSlot,
      active: false,
      label: 'Seen on',
      hint: 'SVG: the curves as seen along the normal of this plane. DXF: in its coordinates; in space when empty',
      when: { key: 'format', is: FLAT },
    },
  },
  params: z.object({
    format: param.choice({
      label: 'Format',
      options: writableFormats('bodies', 'scan', 'curves').map((f) => ({ value: f.id as SpaceFormat | 'svg' | 'dxf', label: f.label })),
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
      hint: 'STL, OBJ and PLY files do not say their unit: tell it to who gets them. glTF always counts in metres',
      when: { key: 'format', is: SPACE_FORMATS.filter((f) => f !== 'gltf') },
    }),
    chord: param.length({
      label: 'Chord error',
      hint: 'How far triangles may lie beside the surface; scans go out as they are',
      default: 0.02,
      min: 1e-4,
      max: 10,
      when: { key: 'format', is: TRIANGLES },
    }),
    apart: param.toggle({ label: 'A file for each piece', default: false, when: { key: 'format', is: SPACE_FORMATS } }),
    grouped: param.toggle({
      label: 'Groups as an assembly',
      hint: 'Pieces of a group stand together in the file, under its name',
      default: true,
      when: { key: 'format', is: ['step', 'iges', '3mf', 'gltf'] },
    }),
    name: param.text({ label: 'File name', default: '', max: 80 }),
  }),
  examples: [
    { params: {} },
    { params: { format: 'iges', unit: 'INCH' } },
    { params: { format: 'stl' } },
    { params: { format: '3mf', chord: 0.1 } },
    { params: { format: 'gltf', apart: true } },
    { params: { format: 'dxf' } },
    { params: { format: 'svg' } },
  ],
});
