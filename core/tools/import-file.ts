import { z } from 'zod';
import { readableEndings } from '../exchange/formats.ts';
import { defineTool, param, planeSlot } from '../recipe/define.ts';

export default defineTool({
  id: 'import',
  version: 2,
  stage: 'references',
  group: 'Bring in',
  label: 'Import',
  hint: 'Brings in STEP and IGES as skins and solids, STL, OBJ, PLY, 3MF and glTF as scans, SVG and DXF curves onto a plane, and reports what came in and what is wrong with it',
  synonyms: ['open', 'load', 'read', 'step', 'iges', 'stl', 'obj', 'bring in'],
  mistakes: [
    'It is a thousand times too large or small: the file has no unit or a wrong one. Set it on the card.',
    'The parts came in as loose skins: knit them, the desk tells where they do not meet.',
  ],
  icon: ['M12 3v10m0 0-4-4m4 4 4-4', 'M4 15v5h16v-5'],
  slots: { plane: { ...planeSlot, hint: 'Curves of SVG and DXF files are laid on it; the world when empty' } },
  params: z.object({
    file: param.asset({ label: 'File', files: readableEndings('bodies', 'scan', 'curves') }),
    unit: param.choice({
      label: 'Without unit',
      options: [
        { value: 'mm', label: 'mm' },
        { value: 'cm', label: 'cm' },
        { value: 'm', label: 'm' },
        { value: 'in', label: 'in' },
      ],
      default: 'mm',
      hint: 'What STL, OBJ and PLY files count in: they do not say',
    }),
    polygons: param.choice({
      label: 'OBJ polygons',
      options: [
        { value: 'scan', label: 'As a scan' },
        { value: 'cage', label: 'As a cage' },
      ],
      default: 'scan',
      hint: 'A cage keeps faces of four and more corners, and creases that a file of ours tells',
      rare: true,
    }),
    scale: param.ratio({ label: 'Scale', default: 1, min: 1e-6, max: 1e6 }),
  }),
  migrations: [({ stlUnit, ...old }) => (stlUnit === undefined ? old : { ...old, unit: stlUnit })],
});
