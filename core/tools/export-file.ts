import { z } from 'zod';
import { combineBodies, meshBody } from '../brep/index.ts';
import { readStl, writeStep, writeStl } from '../exchange/index.ts';
import { formatNumber } from '../math/index.ts';
import { defineTool, failure, inputBody, param, slot } from '../recipe/index.ts';

export default defineTool({
  id: 'export',
  version: 1,
  stage: 'output',
  group: 'Files',
  label: 'Export',
  hint: 'Writes pieces as a STEP exchange file or an STL print mesh; each file is read back and compared',
  icon: ['M12 13V3m0 0L8 7m4-4 4 4', 'M4 15v5h16v-5'],
  slots: { pieces: slot({ label: 'Pieces', accepts: ['body'], min: 1, max: 200 }) },
  params: z.object({
    format: param.choice({
      label: 'Format',
      options: [
        { value: 'step', label: 'STEP' },
        { value: 'stl', label: 'STL' },
      ],
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
  examples: [{ params: {} }, { params: { format: 'stl' } }],
  async evaluate(inputs, p, context) {
    const parts = inputs.pieces.flatMap((i) => {
      const body = inputBody(i);
      return body ? [{ name: (i.piece.label ?? context.modelName) || 'part', body }] : [];
    });
    if (!parts.length) return failure('nothing', 'Pick at least one skin or solid');
    const whole = combineBodies(parts.map((x) => x.body));
    const facts = [
      { label: 'faces', value: String(whole.faces.length) },
      { label: 'solids', value: String(whole.solids.length) },
    ];
    if (!context.files) return { outputs: {}, facts };
    const stem = p.name.trim() || context.modelName;
    if (p.format === 'step') {
      const content = await writeStep(parts, context.kernel, { schema: p.schema, unit: p.unit }, { signal: context.signal, limit: context.limit });
      const data = new TextEncoder().encode(content);
      return {
        outputs: {},
        facts: [...facts, { label: 'read back', value: 'same faces, area, volume' }, { label: 'size', value: `${formatNumber(data.length / 1024, 1)} kB` }],
        files: [{ name: `${stem}.step`, type: 'model/step', data }],
      };
    }
    const meshes = parts.map((x) => meshBody(x.body, { chord: p.chord }));
    const failed = meshes.flatMap((m, k) => m.failed.map((f) => parts[k].body.faces[f].name));
    if (failed.length) return failure('mesh', `Faces cannot be meshed: ${failed.join(', ')}`);
    const data = writeStl(meshes, stem);
    const back = readStl(data);
    const triangles = meshes.reduce((s, m) => s + m.indices.length / 3, 0);
    if (!back.ok || Math.abs(back.mesh.indices.length / 3 - triangles) > 0.001 * triangles) return failure('read-back', 'The written STL does not read back whole');
    return {
      outputs: {},
      facts: [...facts, { label: 'triangles', value: String(triangles) }, { label: 'size', value: `${formatNumber(data.length / 1024, 1)} kB` }],
      files: [{ name: `${stem}.stl`, type: 'model/stl', data }],
    };
  },
});
