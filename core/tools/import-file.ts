import { z } from 'zod';
import { transformBody } from '../brep/index.ts';
import { readDxf, readStep, readStl, readSvg } from '../exchange/index.ts';
import { betweenFrames, compose, formatNumber, scaling, WORLD } from '../math/index.ts';
import { transformCurve } from '../nurbs/index.ts';
import { bodyPiece, curveFacts, defineTool, drawingFrame, failure, type Piece, param, planeSlot, transformPiece } from '../recipe/index.ts';

const MOST_CHAINS = 2000;

export default defineTool({
  id: 'import',
  version: 1,
  stage: 'references',
  group: 'Bring in',
  label: 'Import',
  hint: 'Brings in a STEP file as skins and solids, an STL file as a scan, SVG and DXF curves onto a plane, and reports what came in',
  icon: ['M12 3v10m0 0-4-4m4 4 4-4', 'M4 15v5h16v-5'],
  slots: { plane: { ...planeSlot, hint: 'Curves of SVG and DXF files are laid on it; the world when empty' } },
  params: z.object({
    file: param.asset({ label: 'File', files: ['.step', '.stp', '.stl', '.svg', '.dxf'] }),
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
  async evaluate(inputs, p, context) {
    if (!p.file) return failure('no-file', 'Choose a file: drop it on the window or press the button');
    const asset = await context.asset(p.file);
    if (!asset) return failure('file-missing', 'The stored file is missing: choose it again');
    const head = new TextDecoder('latin1').decode(asset.data.subarray(0, 256));
    const stem = asset.name.replace(/\.[^.]*$/, '');
    const outputs: Record<string, Piece> = {};
    const flat = /\.svg$/i.test(asset.name) ? readSvg : /\.dxf$/i.test(asset.name) ? readDxf : undefined;
    if (flat) {
      const frame = drawingFrame(inputs.plane);
      if (!frame) return failure('not-flat', 'The plane picked is not flat');
      const r = flat(new TextDecoder().decode(asset.data));
      if (!r.ok) return failure('bad-file', `${asset.name}: ${r.message}`);
      const place = compose(betweenFrames(WORLD, frame), scaling([0, 0, 0], p.scale));
      r.chains.slice(0, MOST_CHAINS).forEach((c, i) => {
        outputs[i === 0 ? 'main' : `part${i + 1}`] = { kind: 'curve', curves: c.curves.map((k) => transformCurve(k, place)), label: c.label };
      });
      const notes = r.chains.length > MOST_CHAINS ? [...r.notes, `${r.chains.length - MOST_CHAINS} of ${r.chains.length} chains were left out: import a smaller part`] : r.notes;
      return {
        outputs,
        diagnostics: notes.map((message) => ({ severity: 'warning' as const, code: 'import', message })),
        facts: [{ label: 'chains', value: String(r.chains.length) }, { label: 'file unit', value: r.unit }, ...curveFacts(r.chains.flatMap((c) => c.curves)).slice(1, 4)],
      };
    }
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
