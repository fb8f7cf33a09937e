import { combineBodies } from '../brep/index.ts';
import { type Cage, sameFaces, smoothTriangles } from '../cage/index.ts';
import {
  type Compared,
  type Delivered,
  deliver,
  fileStem,
  isExact,
  type NamedChain,
  type OutPart,
  outMeshes,
  readCageObj,
  readDxf,
  readSvg,
  type SpaceFormat,
  triangleCount,
  unfit,
  writeCageObj,
  writeDxf,
  writeSvg,
} from '../exchange/index.ts';
import { formatNumber } from '../math/index.ts';
import { arcLength } from '../nurbs/index.ts';
import {
  curveFacts,
  type Diagnostic,
  defineEvaluation,
  drawingFrame,
  type Fact,
  failure,
  type Input,
  inputCurves,
  inputPlane,
  meshWords,
  type ToolContext,
  type ToolResult,
} from '../recipe/index.ts';
import tool from './export-file.ts';

export default defineEvaluation(tool, async (inputs, p, context) => {
  if (p.format === 'svg' || p.format === 'dxf') return writeCurves(inputs, p, context);
  const format = p.format as SpaceFormat;
  const cages = inputs.pieces.flatMap((i) => (i.piece.kind === 'cage' ? [{ name: i.name ?? 'cage', cage: i.piece.cage }] : []));
  // cages alone keep their polygons and creases where the format holds them
  if (format === 'obj' && cages.length && cages.length === inputs.pieces.length) return writeCages(cages, p, context);
  const { parts: all, bare } = partsOf(inputs.pieces, p.grouped, context.modelName);
  const wrong = all.flatMap((x) => {
    const why = unfit(x, format);
    return why ? [`"${x.name}" ${why}`] : [];
  });
  // what does not fit is left out and told, as long as something fits
  const parts = all.filter((x) => !unfit(x, format));
  if (!parts.length && wrong.length) return failure('unfit', wrong[0]);
  if (!parts.length)
    return failure('nothing', 'None of the picked pieces has a shape that goes into a file: pick a skin, a solid, a scan or a curve');
  const diagnostics = [
    ...wrong.map((w) => `Left out: ${w}`),
    ...bare.map((x) => `Left out: ${x} (planes, points and pictures do not go into a file)`),
  ].map((message): Diagnostic => ({ severity: 'warning', code: 'left-out', message }));
  const facts = await before(parts, format, p.chord);
  if ('message' in facts) return failure('mesh', facts.message);
  if (!context.files) return { outputs: {}, facts: facts.list, diagnostics };
  const made = await deliver(
    parts,
    {
      format,
      stem: p.name.trim() || context.modelName || 'part',
      schema: p.schema,
      unit: p.unit,
      chord: p.chord,
      apart: p.apart,
    },
    context.kernel,
    { signal: context.signal, limit: context.limit },
  );
  if (!made.ok) return failure('read-back', made.message);
  return {
    outputs: {},
    facts: [...facts.list, ...afterwards(made.files)],
    diagnostics: [...diagnostics, ...made.notes.map((message): Diagnostic => ({ severity: 'warning', code: 'read-back', message }))],
    files: made.files.flatMap((f) => [{ name: f.name, type: f.type, data: f.data }, ...f.companions]),
  };
});

/** Steps of refinement of a cage that goes into a file of triangles. */
const CAGE_STEPS = 3;

/** Cages as polygons with their creases; what was written is read again and compared to the last bit. */
function writeCages(
  cages: readonly { readonly name: string; readonly cage: Cage }[],
  p: { readonly name: string },
  context: ToolContext,
): ToolResult {
  const count = (label: string, of: (c: Cage) => number): Fact => {
    const n = cages.reduce((sum, c) => sum + of(c.cage), 0);
    return { label, value: formatNumber(n, 0), number: n };
  };
  const creases = (c: Cage) => c.sharpness.reduce((n, x) => n + (x > 0 ? 1 : 0), 0);
  const facts = [count('cages', () => 1), count('faces', (c) => c.shape.faces), count('creased edges', creases)];
  if (!context.files) return { outputs: {}, facts };
  const data = new TextEncoder().encode(writeCageObj(cages));
  const back = readCageObj(data);
  const same =
    back.ok &&
    back.cages.length === cages.length &&
    back.cages.every(
      ({ cage: c }, i) => sameFaces(c.shape, cages[i].cage.shape) && c.points.every((x, k) => x === cages[i].cage.points[k]),
    );
  if (!same)
    return failure('read-back', back.ok ? 'The written file reads back otherwise than it was meant: it is not handed over' : back.message);
  return {
    outputs: {},
    facts: [...facts, { label: 'read back', value: 'the same, to the last bit' }],
    files: [{ name: `${fileStem(p.name.trim() || context.modelName || 'cage')}.obj`, type: 'model/obj', data }],
  };
}

/** Picked pieces as parts with their names, groups and colours. A name that came from an assembly tells the groups it stood in. */
export function partsOf(
  inputs: readonly Input[],
  grouped: boolean,
  modelName: string,
): { readonly parts: readonly OutPart[]; readonly bare: readonly string[] } {
  const bare: string[] = [];
  const parts = inputs.flatMap((i, k): OutPart[] => {
    const words = (i.name ?? (inputs.length > 1 ? `${modelName} ${k + 1}` : modelName || 'part')).split(' / ');
    const common = {
      name: grouped ? (words.at(-1) as string) : words.join(' / '),
      path: grouped ? [...(i.group ? [i.group] : []), ...words.slice(0, -1)] : [],
      colour: i.colour,
    };
    const { piece } = i;
    if (piece.kind === 'skin' || piece.kind === 'solid') return [{ ...common, body: piece.body }];
    if (piece.kind === 'scan') return [{ ...common, mesh: piece.mesh }];
    if (piece.kind === 'cage') return [{ ...common, mesh: smoothTriangles(piece.cage, CAGE_STEPS) }];
    if (piece.kind === 'curve') return [{ ...common, curves: piece.curves }];
    bare.push(`"${words.join(' / ')}"`);
    return [];
  });
  return { parts, bare };
}

/** What will be in the file, told before it is written. */
async function before(parts: readonly OutPart[], format: SpaceFormat, chord: number): Promise<{ list: Fact[] } | { message: string }> {
  const count = (label: string, n: number): Fact => ({ label, value: formatNumber(n, 0), number: n });
  if (isExact(format)) {
    const whole = combineBodies(parts.flatMap((x) => (x.body ? [x.body] : [])));
    const curves = parts.filter((x) => x.curves).length;
    return {
      list: [count('faces', whole.faces.length), count('solids', whole.solids.length), ...(curves ? [count('curves', curves)] : [])],
    };
  }
  const made = await outMeshes(parts, chord, format === 'stl' || format === 'gltf');
  if (!made.ok) return { message: made.message };
  const several = made.solids.length > 1;
  return {
    list: [
      count('parts', made.meshes.length),
      count('triangles', triangleCount(parts, chord)),
      ...made.solids
        .slice(0, 8)
        .map(({ name, verdict }): Fact => ({ label: several ? `mesh of ${name}` : 'mesh', value: meshWords(verdict) })),
    ],
  };
}
/** What was read back, each beside what the model has. */
function afterwards(files: readonly Delivered[]): Fact[] {
  const same = (c: Compared): Fact => {
    const digits = c.limit === 0 ? 0 : 4;
    const [a, b] = [formatNumber(c.model, digits), formatNumber(c.file, digits)];
    const unit = c.unit ? ` ${c.unit}` : '';
    return { label: `${c.what}, read back`, value: a === b ? `${b}${unit}, the same` : `${b}${unit}, was ${a}` };
  };
  const size = files.reduce((n, f) => n + f.data.length, 0);
  const shown: Fact[] =
    files.length === 1
      ? files[0].compared.map(same)
      : files.map((f) => {
          const worst = Math.max(0, ...f.compared.filter((c) => c.limit > 0).map((c) => Math.abs(c.file - c.model) / c.limit));
          return { label: f.name, value: `read back, the same within ${formatNumber(100 * worst, 1)} % of the limits` };
        });
  return [...shown, { label: files.length === 1 ? 'size' : `size of ${files.length} files`, value: `${formatNumber(size / 1024, 1)} kB` }];
}

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
  const stem = fileStem(p.name.trim() || context.modelName);
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
