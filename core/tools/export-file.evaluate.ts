import { combineBodies } from '../brep/index.ts';
import { meshesToWrite, type NamedChain, readDxf, readStl, readSvg, writeDxf, writeStep, writeStl, writeSvg } from '../exchange/index.ts';
import { formatNumber } from '../math/index.ts';
import { arcLength } from '../nurbs/index.ts';
import {
  curveFacts,
  defineEvaluation,
  drawingFrame,
  failure,
  type Input,
  inputBody,
  inputCurves,
  inputPlane,
  meshWords,
  type ToolContext,
  type ToolResult,
} from '../recipe/index.ts';
import tool from './export-file.ts';

export default defineEvaluation(tool, async (inputs, p, context) => {
  if (p.format === 'svg' || p.format === 'dxf') return writeCurves(inputs, p, context);
  const parts = inputs.pieces.flatMap((i, k) => {
    const body = inputBody(i);
    return body
      ? [{ name: i.name ?? (inputs.pieces.length > 1 ? `${context.modelName} ${k + 1}` : context.modelName || 'part'), body }]
      : [];
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
    const content = await writeStep(
      parts,
      context.kernel,
      { schema: p.schema, unit: p.unit },
      { signal: context.signal, limit: context.limit },
    );
    const data = new TextEncoder().encode(content);
    return {
      outputs: {},
      facts: [
        ...facts,
        { label: 'read back', value: 'same faces, area, volume' },
        { label: 'size', value: `${formatNumber(data.length / 1024, 1)} kB` },
      ],
      files: [{ name: `${stem}.step`, type: 'model/step', data }],
    };
  }
  const made = await meshesToWrite(parts, p.chord);
  if (!made.ok) return failure('mesh', made.message);
  const { meshes, solids } = made;
  const data = writeStl(meshes, stem);
  const back = readStl(data);
  const triangles = meshes.reduce((s, m) => s + m.indices.length / 3, 0);
  if (!back.ok || Math.abs(back.mesh.indices.length / 3 - triangles) > 0.001 * triangles)
    return failure('read-back', 'The written STL does not read back whole');
  return {
    outputs: {},
    facts: [
      ...facts,
      ...solids.map(({ name, verdict }) => ({ label: solids.length > 1 ? `mesh of ${name}` : 'mesh', value: meshWords(verdict) })),
      { label: 'triangles', value: String(triangles) },
      { label: 'size', value: `${formatNumber(data.length / 1024, 1)} kB` },
    ],
    files: [{ name: `${stem}.stl`, type: 'model/stl', data }],
  };
});

/** Curves as a flat or spatial exchange file; what was written is read again and its length compared. */
function writeCurves(
  inputs: { readonly curves: readonly Input[]; readonly plane: readonly Input[] },
  p: { readonly format: string; readonly name: string },
  context: ToolContext,
): ToolResult {
  const chains = inputs.curves.flatMap((i, k): NamedChain[] => {
    const curves = inputCurves(i);
    return curves.length ? [{ name: i.name || `curve-${k + 1}`, curves }] : [];
  });
  if (!chains.length) return failure('nothing', 'Pick at least one curve or edge');
  const frame = drawingFrame(inputs.plane);
  if (!frame) return failure('not-flat', 'The plane picked is not flat');
  const facts = [{ label: 'chains', value: String(chains.length) }, ...curveFacts(chains.flatMap((c) => c.curves)).slice(0, 4)];
  if (!context.files) return { outputs: {}, facts };
  const svg = p.format === 'svg' ? writeSvg(chains, frame) : undefined;
  const text = svg?.text ?? writeDxf(chains, inputs.plane[0] ? inputPlane(inputs.plane[0]) : undefined);
  const back = svg ? readSvg(text) : readDxf(text);
  if (!back.ok) return failure('read-back', `The written file does not read back: ${back.message}`);
  const length = (list: readonly { readonly curves: NamedChain['curves'] }[]) =>
    list.reduce((s, c) => s + c.curves.reduce((t, k) => t + arcLength(k), 0), 0);
  const [was, is] = [length(chains), length(back.chains)];
  const seen = svg ? undefined : Math.abs(is - was) / was;
  if (seen !== undefined && seen > 1e-6)
    return failure(
      'read-back',
      `The written file reads back with a length of ${formatNumber(is, 4)} mm instead of ${formatNumber(was, 4)} mm`,
    );
  if (back.chains.length < chains.length)
    return failure('read-back', `The written file reads back with ${back.chains.length} of ${chains.length} chains`);
  const stem = p.name.trim() || context.modelName;
  return {
    outputs: {},
    facts: [
      ...facts,
      { label: 'read back', value: `${formatNumber(is, 3)} mm of curves` },
      { label: 'form', value: svg ? (svg.exact ? 'exact arcs and Béziers' : 'arcs, Béziers within 0.001 mm') : 'splines, exactly' },
    ],
    files: [{ name: `${stem}.${p.format}`, type: svg ? 'image/svg+xml' : 'image/vnd.dxf', data: new TextEncoder().encode(text) }],
  };
}
