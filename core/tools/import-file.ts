import { z } from 'zod';
import { transformBody } from '../brep/index.ts';
import { readStep, readStl } from '../exchange/index.ts';
import { formatNumber, scaling } from '../math/index.ts';
import { bodyPiece, defineTool, failure, type Piece, param, transformPiece } from '../recipe/index.ts';

export default defineTool({
  id: 'import',
  version: 1,
  stage: 'references',
  group: 'Bring in',
  label: 'Import',
  hint: 'Brings in a STEP file as skins and solids, or an STL file as a scan, and reports what came in',
  icon: ['M12 3v10m0 0-4-4m4 4 4-4', 'M4 15v5h16v-5'],
  slots: {},
  params: z.object({
    file: param.asset({ label: 'File' }),
    stlUnit: param.choice({
      label: 'STL counts in',
      options: [
        { value: 'mm', label: 'mm' },
        { value: 'cm', label: 'cm' },
        { value: 'in', label: 'in' },
      ],
      default: 'mm',
      hint: 'STL files carry no unit',
    }),
    scale: param.ratio({ label: 'Scale', default: 1, min: 1e-6, max: 1e6 }),
  }),
  async evaluate(_, p, context) {
    if (!p.file) return failure('no-file', 'Choose a file: drop it on the window or press the button');
    const asset = await context.asset(p.file);
    if (!asset) return failure('file-missing', 'The stored file is missing: choose it again');
    const head = new TextDecoder('latin1').decode(asset.data.subarray(0, 256));
    const stem = asset.name.replace(/\.[^.]*$/, '');
    const outputs: Record<string, Piece> = {};
    if (/\.(stl)$/i.test(asset.name) || (!/ISO-10303/.test(head) && !/\.(step|stp)$/i.test(asset.name))) {
      const r = readStl(asset.data);
      if (!r.ok) return failure('bad-file', `${asset.name}: ${r.message}`);
      const unit = { mm: 1, cm: 10, in: 25.4 }[p.stlUnit] * p.scale;
      outputs.main = transformPiece({ kind: 'scan', mesh: r.mesh, label: stem }, scaling([0, 0, 0], unit));
      return {
        outputs,
        diagnostics: r.notes.map((message) => ({ severity: 'warning' as const, code: 'import', message })),
        facts: [
          { label: 'triangles', value: String(r.mesh.indices.length / 3) },
          { label: 'corners', value: String(r.mesh.positions.length / 3) },
        ],
      };
    }
    const r = await readStep(asset.data, context.kernel, stem, { signal: context.signal, limit: context.limit });
    if (!r.ok) return failure('bad-file', `${asset.name}: ${r.message}`);
    r.parts.forEach((part, i) => {
      const body = p.scale === 1 ? part.body : transformBody(part.body, scaling([0, 0, 0], p.scale));
      outputs[i === 0 ? 'main' : `part${i + 1}`] = bodyPiece(body, part.name);
    });
    return {
      outputs,
      diagnostics: r.report.notes.map((message) => ({ severity: 'warning' as const, code: 'import', message })),
      facts: [
        { label: 'parts', value: String(r.report.parts) },
        { label: 'faces', value: String(r.report.faces) },
        { label: 'file unit', value: r.report.unit },
        { label: 'size', value: `${formatNumber(asset.data.length / 1024, 1)} kB` },
      ],
    };
  },
});
