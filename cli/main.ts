import { readFileSync, writeFileSync } from 'node:fs';
import { basename, dirname, extname, resolve } from 'node:path';
import { type Body, combineBodies, meshBody } from '@ample-skin/core/brep';
import {
  inspectMesh,
  isScanFile,
  type MeshReport,
  type NamedChain,
  readDxf,
  readIges,
  readScan,
  readStep,
  readSvg,
  SCAN_FILES,
  type ScanPart,
  type StepPart,
  writeDxf,
  writeStep,
  writeStl,
  writeSvg,
} from '@ample-skin/core/exchange';
import { evaluateFormula, WORLD } from '@ample-skin/core/math';
import { checkReport } from '@ample-skin/core/proof';
import { evaluateModel, livePieces, type Model, type ModelResult, metaOf, parseModel } from '@ample-skin/core/recipe';
import { TOOLS } from '@ample-skin/core/tools';
import { RUNNABLE } from '@ample-skin/core/tools/evaluations';
import { nodeKernel } from '@ample-skin/engine/node';
import { z } from 'zod';

const HELP = `ample: build, check and convert models without a window

  ample tools [--json]                                   every tool with its parameters
  ample run RECIPE.json [--set dial=value]… [--out FILE]… [--report FILE.json] [--json]
  ample check FILE_OR_RECIPE [--json]                     seams, rims, mass, defects of a recipe, .step, .iges, or a mesh
  ample convert IN OUT [--tolerance mm] [--json]          to .step .stl (skins, solids) or .svg .dxf (curves);
                                                         from a recipe, .step .iges .svg .dxf .stl .obj .ply .3mf .glb

Exit code: 0 fine, 1 not fine, 2 the call or the file is wrong.
`;

class BadCall extends Error {}
const LIMIT = 120_000;
const kernel = nodeKernel();

interface Args {
  readonly words: string[];
  readonly json: boolean;
  readonly set: string[];
  readonly out: string[];
  readonly report?: string;
  readonly tolerance?: string;
}
function parseArgs(argv: readonly string[]): Args {
  const words: string[] = [];
  const set: string[] = [];
  const out: string[] = [];
  let json = false;
  let report: string | undefined;
  let tolerance: string | undefined;
  const value = (i: number, name: string) => {
    if (argv[i] === undefined) throw new BadCall(`${name} needs a value`);
    return argv[i];
  };
  for (let i = 0; i < argv.length; i++) {
    const a = argv[i];
    if (a === '--json') json = true;
    else if (a === '--set') set.push(value(++i, a));
    else if (a === '--out') out.push(value(++i, a));
    else if (a === '--report') report = value(++i, a);
    else if (a === '--tolerance') tolerance = value(++i, a);
    else if (a === '--help' || a === '-h') words.unshift('help');
    else if (a.startsWith('--')) throw new BadCall(`"${a}" is not an option; see: ample help`);
    else words.push(a);
  }
  return { words, json, set, out, report, tolerance };
}

const print = (text: string) => process.stdout.write(`${text}\n`);
function load(file: string | undefined): { path: string; data: Uint8Array } {
  if (!file) throw new BadCall('a file is missing');
  const path = resolve(process.env.INIT_CWD ?? process.cwd(), file);
  try {
    return { path, data: readFileSync(path) };
  } catch {
    throw new BadCall(`there is no file "${file}"`);
  }
}

function recipeOf(data: Uint8Array, name: string): Model {
  let json: unknown;
  try {
    json = JSON.parse(new TextDecoder().decode(data));
  } catch (e) {
    throw new BadCall(`${name} is not JSON: ${(e as Error).message}`);
  }
  const r = parseModel(json);
  if (!r.ok) throw new BadCall(`${name} is not a recipe: at ${r.place}: ${r.message}`);
  return r.model;
}

async function evaluate(model: Model, folder: string, set: readonly string[]): Promise<ModelResult> {
  const overrides = new Map<string, number>();
  for (const s of set) {
    const [name, ...rest] = s.split('=');
    if (!model.dials.some((d) => d.name === name))
      throw new BadCall(`the recipe has no dial "${name}"; it has: ${model.dials.map((d) => d.name).join(', ') || 'none'}`);
    const v = evaluateFormula(rest.join('='));
    if (!v.ok) throw new BadCall(`--set ${s}: ${v.message}`);
    overrides.set(name, v.value);
  }
  return evaluateModel(model, {
    tools: RUNNABLE,
    kernel,
    limit: LIMIT,
    overrides,
    asset: async (id) => {
      try {
        return { name: basename(id), data: readFileSync(resolve(folder, id)) };
      } catch {
        return undefined;
      }
    },
  });
}

function partsOf(model: Model, result: ModelResult): StepPart[] {
  return livePieces(model, result, TOOLS).flatMap(({ piece, step, key }) =>
    piece.kind === 'skin' || piece.kind === 'solid'
      ? [{ name: model.pieces[key]?.name ?? piece.label ?? step.name ?? model.name, body: piece.body }]
      : [],
  );
}
/** What is checked and written by default: solids when there are any, else all skins. */
function mainParts(model: Model, result: ModelResult): StepPart[] {
  const all = partsOf(model, result);
  const solids = all.filter((p) => p.body.solids.length);
  return solids.length ? solids : all;
}

/** Curves that stand for themselves, with their names. */
function chainsOf(model: Model, result: ModelResult): NamedChain[] {
  return livePieces(model, result, TOOLS).flatMap(({ piece, step, key }) =>
    piece.kind === 'curve' ? [{ name: model.pieces[key]?.name ?? piece.label ?? step.name ?? key, curves: piece.curves }] : [],
  );
}

async function write(file: string, parts: readonly StepPart[], tolerance: number, chains: readonly NamedChain[] = []): Promise<void> {
  const path = resolve(process.env.INIT_CWD ?? process.cwd(), file);
  const kind = extname(path).toLowerCase();
  if (kind === '.svg' || kind === '.dxf') {
    if (!chains.length) throw new NotFine('there is nothing to write: the model has no curve of its own');
    writeFileSync(path, kind === '.svg' ? writeSvg(chains, WORLD).text : writeDxf(chains, undefined));
    return;
  }
  if (!parts.length) throw new NotFine('there is nothing to write: the model has no skin and no solid');
  if (kind === '.step' || kind === '.stp') writeFileSync(path, await writeStep(parts, kernel, {}, { limit: LIMIT }));
  else if (kind === '.stl') writeFileSync(path, writeStl(parts.map((p) => meshBody(p.body, { chord: tolerance }))));
  else throw new BadCall(`"${kind || file}" cannot be written; known: .step .stp .stl .svg .dxf`);
}
class NotFine extends Error {}

interface Read {
  readonly parts: StepPart[];
  readonly chains: readonly NamedChain[];
  readonly model?: Model;
  readonly result?: ModelResult;
  readonly scans?: readonly ScanPart[];
  readonly notes: readonly string[];
}
/** Any file that the command line knows, lengths in mm. */
async function readAny(file: string | undefined, set: readonly string[] = []): Promise<Read> {
  const { path, data } = load(file);
  const kind = extname(path).toLowerCase();
  const name = basename(path);
  const stem = basename(path, extname(path));
  if (data.length === 0) throw new BadCall(`${name} is empty`);
  if (kind === '.json') {
    const model = recipeOf(data, name);
    const result = await evaluate(model, dirname(path), set);
    return { parts: mainParts(model, result), chains: chainsOf(model, result), model, result, notes: [] };
  }
  if (isScanFile(name)) {
    const r = await readScan(data, name);
    if (!r.ok) throw new BadCall(`${name}: ${r.message}`);
    const k = r.unit?.mm ?? 1;
    const scans = r.parts.map((p) => ({
      name: p.name || stem,
      mesh: k === 1 ? p.mesh : { ...p.mesh, positions: p.mesh.positions.map((x) => k * x) },
    }));
    return { parts: [], chains: [], scans, notes: r.notes };
  }
  if (kind === '.svg' || kind === '.dxf') {
    const r = (kind === '.svg' ? readSvg : readDxf)(new TextDecoder().decode(data));
    if (!r.ok) throw new BadCall(`${name}: ${r.message}`);
    return { parts: [], chains: r.chains.map((c) => ({ name: c.label, curves: c.curves })), notes: r.notes };
  }
  if (kind === '.iges' || kind === '.igs') {
    const r = await readIges(data, kernel, stem, { limit: LIMIT });
    if (!r.ok) throw new BadCall(`${name}: ${r.message}`);
    return { parts: [...r.parts], chains: r.curves, notes: r.notes };
  }
  if (kind !== '.step' && kind !== '.stp')
    throw new BadCall(
      `"${kind || name}" is not a known kind of file; known: .json .step .stp .iges .igs .svg .dxf ${SCAN_FILES.join(' ')}`,
    );
  const r = await readStep(data, kernel, stem, { limit: 60_000 });
  if (!r.ok) throw new BadCall(`${name}: ${r.message}`);
  return { parts: r.parts, chains: [], notes: r.report.notes };
}

const problems = (model: Model, result: ModelResult) =>
  model.steps.flatMap((s) => (result.steps.get(s.id)?.diagnostics ?? []).map((d) => ({ step: s.id, name: s.name ?? s.tool, ...d })));

async function check(args: Args): Promise<number> {
  const { parts, model, scans, result, notes } = await readAny(args.words[1], args.set);
  if (scans) {
    const reports = scans.map((x) => inspectMesh(x.mesh));
    const total = (get: (m: MeshReport) => number) => reports.reduce((n, m) => n + get(m), 0);
    const watertight = !total((m) => m.open + m.multiple + m.clashing);
    const report = {
      unit: 'mm',
      parts: scans.length,
      triangles: total((m) => m.triangles),
      openEdges: total((m) => m.open),
      crowdedEdges: total((m) => m.multiple),
      turnedNeighbours: total((m) => m.clashing),
      watertight,
      volumeMm3: watertight ? total((m) => m.volume) : undefined,
      notes,
    };
    print(
      args.json
        ? JSON.stringify(report)
        : Object.entries(report)
            .map(([k, v]) => `${k}: ${v}`)
            .join('\n'),
    );
    return watertight ? 0 : 1;
  }
  const body: Body = combineBodies(parts.map((p) => p.body));
  if (!body.faces.length) {
    const bad = model && result ? problems(model, result).filter((d) => d.severity === 'error') : [];
    throw new NotFine(`no skin and no solid came out${bad.length ? `: ${bad.map((d) => `${d.name}: ${d.message}`).join('; ')}` : ''}`);
  }
  const report = await checkReport(body, kernel, model?.tolerance ?? 0.001);
  if (args.json) print(JSON.stringify(report));
  else {
    print(
      `faces ${report.faces} · solids ${report.solids} · ${report.watertight ? 'watertight' : 'open'} · ${report.valid ? 'valid' : 'not valid'}`,
    );
    print(
      `seams ${report.seams.count}: worst gap ${report.seams.worst.gapMm.toPrecision(3)} mm, kink ${report.seams.worst.kinkDeg.toPrecision(3)}°, curvature step ${report.seams.worst.curvatureStepPct.toPrecision(3)} %`,
    );
    print(`rims ${report.rims.count}, ${report.rims.lengthMm.toFixed(3)} mm`);
    print(`area ${report.areaMm2.toFixed(4)} mm² · volume ${report.volumeMm3.toFixed(4)} mm³`);
    for (const d of report.defects) print(`${d.code}: ${d.message} at ${d.place.map((x) => x.toFixed(3)).join(', ')}`);
  }
  return report.watertight && report.valid ? 0 : 1;
}

async function run(args: Args): Promise<number> {
  const { path, data } = load(args.words[1]);
  const model = recipeOf(data, basename(path));
  const start = performance.now();
  const result = await evaluate(model, dirname(path), args.set);
  const parts = mainParts(model, result);
  const list = problems(model, result);
  const errors = list.filter((d) => d.severity === 'error');
  const report = {
    model: model.name,
    ms: performance.now() - start,
    dials: Object.fromEntries([...result.dials].map(([n, v]) => [n, v.ok ? v.value : v.message])),
    steps: model.steps.map((s) => ({
      id: s.id,
      tool: s.tool,
      name: s.name,
      status: result.steps.get(s.id)?.status,
      ms: result.steps.get(s.id)?.ms,
      facts: result.steps.get(s.id)?.facts,
    })),
    diagnostics: list.map(({ suggestions: _, ...d }) => d),
    check: parts.length ? await checkReport(combineBodies(parts.map((p) => p.body)), kernel, model.tolerance) : undefined,
  };
  const tolerance = toleranceOf(args);
  for (const f of args.out) await write(f, parts, tolerance, chainsOf(model, result));
  if (args.report) writeFileSync(resolve(process.env.INIT_CWD ?? process.cwd(), args.report), `${JSON.stringify(report, null, 2)}\n`);
  if (args.json) print(JSON.stringify(report));
  else {
    for (const s of report.steps) print(`${s.status?.padEnd(8)} ${String(Math.round(s.ms ?? 0)).padStart(6)} ms  ${s.name ?? s.tool}`);
    for (const d of list) print(`${d.severity}: ${d.name}: ${d.message}`);
  }
  return errors.length ? 1 : 0;
}
function toleranceOf(args: Args): number {
  if (!args.tolerance) return 0.02;
  const v = evaluateFormula(args.tolerance);
  if (!v.ok || !(v.value > 0)) throw new BadCall(`--tolerance ${args.tolerance}: ${v.ok ? 'it must be greater than zero' : v.message}`);
  return v.value;
}

async function convert(args: Args): Promise<number> {
  const [, from, to] = args.words;
  if (!to) throw new BadCall('convert needs two files: IN and OUT');
  const input = await readAny(from);
  if (input.scans) {
    if (extname(to).toLowerCase() !== '.stl') throw new BadCall('a mesh can only be written as .stl; it has no surfaces');
    writeFileSync(resolve(process.env.INIT_CWD ?? process.cwd(), to), writeStl(input.scans.map((x) => x.mesh)));
  } else await write(to, input.parts, toleranceOf(args), input.chains);
  for (const n of input.notes) process.stderr.write(`ample: ${n}\n`);
  if (args.json)
    print(
      JSON.stringify({ from, to, parts: input.parts.length + (input.scans?.length ?? 0), curves: input.chains.length, notes: input.notes }),
    );
  return 0;
}

function tools(args: Args): number {
  const list = [...TOOLS.values()].map((t) => ({
    id: t.id,
    version: t.version,
    stage: t.stage,
    label: t.label,
    hint: t.hint,
    slots: t.slots,
    params: z.toJSONSchema(t.params, { unrepresentable: 'any' }),
  }));
  if (args.json) print(JSON.stringify(list));
  else
    for (const t of TOOLS.values()) {
      print(`${t.id}  (${t.stage}): ${t.hint}`);
      for (const [n, s] of Object.entries(t.slots))
        print(`    ${n}: ${s.label}, takes ${s.accepts.join(' or ')}${s.min === 0 ? ', may be empty' : ''}`);
      for (const [n, f] of Object.entries(t.params.shape as Record<string, z.ZodType>)) print(`    ${n}: ${metaOf(f).label}`);
    }
  return 0;
}

async function main(): Promise<number> {
  const args = parseArgs(process.argv.slice(2));
  switch (args.words[0]) {
    case 'tools':
      return tools(args);
    case 'run':
      return run(args);
    case 'check':
      return check(args);
    case 'convert':
      return convert(args);
    case 'help':
    case undefined:
      process.stdout.write(HELP);
      return args.words[0] ? 0 : 2;
    default:
      throw new BadCall(`"${args.words[0]}" is not a command; see: ample help`);
  }
}

const wantsJson = process.argv.includes('--json');
main()
  .then((code) => {
    process.exitCode = code;
  })
  .catch((e: Error) => {
    const code = e instanceof NotFine ? 1 : 2;
    if (wantsJson) print(JSON.stringify({ error: e.message }));
    process.stderr.write(`ample: ${e.message}\n`);
    process.exitCode = code;
  })
  .finally(() => kernel.close());
