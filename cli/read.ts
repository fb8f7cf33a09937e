import { readFileSync, writeFileSync } from 'node:fs';
import { basename, dirname, extname, resolve } from 'node:path';
import {
  type Compared,
  deliver,
  FORMATS,
  formatOf,
  isScanFile,
  type NamedChain,
  type OutPart,
  type OutUnit,
  readDxf,
  readIges,
  readScan,
  readStep,
  readSvg,
  SCAN_FILES,
  type ScanPart,
  SPACE_FORMATS,
  type StepPart,
  writeDxf,
  writeSvg,
} from '@ample-skin/core/exchange';
import { evaluateFormula, WORLD } from '@ample-skin/core/math';
import { evaluateModel, type Model, type ModelResult, parseModel } from '@ample-skin/core/recipe';
import { mainOf, seenParts } from '@ample-skin/core/report';
import { TOOLS } from '@ample-skin/core/tools';
import { RUNNABLE } from '@ample-skin/core/tools/evaluations';
import { nodeKernel } from '@ample-skin/engine/node';

export class BadCall extends Error {}
export const LIMIT = 120_000;
export const kernel = nodeKernel();

export function load(file: string | undefined): { path: string; data: Uint8Array } {
  if (!file) throw new BadCall('a file is missing');
  const path = resolve(process.env.INIT_CWD ?? process.cwd(), file);
  try {
    return { path, data: readFileSync(path) };
  } catch {
    throw new BadCall(`there is no file "${file}"`);
  }
}

export function recipeOf(data: Uint8Array, name: string): Model {
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

export async function evaluate(model: Model, folder: string, set: readonly string[]): Promise<ModelResult> {
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
    asset: assetsBeside(folder),
  });
}
/** Files that a recipe refers to lie beside it. */
export const assetsBeside = (folder: string) => async (id: string) => {
  try {
    return { name: basename(id), data: readFileSync(resolve(folder, id)) };
  } catch {
    return undefined;
  }
};

const seen = (model: Model, result: ModelResult): OutPart[] => seenParts(model, result, TOOLS);
/** What is checked and written by default: solids when there are any, else all skins. */
export const mainParts = (model: Model, result: ModelResult): StepPart[] => mainOf(seen(model, result));

/** Curves that stand for themselves, with their names. */
export const chainsOf = (model: Model, result: ModelResult): NamedChain[] =>
  seen(model, result).flatMap((p) => (p.curves ? [{ name: p.name, curves: p.curves }] : []));

/** How files are written: what the call says of it. */
export interface Writing {
  readonly tolerance: number;
  readonly unit?: OutUnit;
  readonly schema?: 'AP214' | 'AP242';
  /** A file for each piece. */
  readonly apart?: boolean;
}
/** What was written: the names of the files, and what was compared in each. */
export type Written = readonly { readonly file: string; readonly compared: readonly Compared[] }[];

/** Writes pieces as the ending of the file's name says; every file is read back and compared before it is put down. */
export async function write(file: string, parts: readonly OutPart[], how: Writing, chains: readonly NamedChain[] = []): Promise<Written> {
  const path = resolve(process.env.INIT_CWD ?? process.cwd(), file);
  const kind = extname(path).toLowerCase();
  if (kind === '.svg' || kind === '.dxf') {
    if (!chains.length) throw new NotFine('there is nothing to write: the model has no curve of its own');
    writeFileSync(path, kind === '.svg' ? writeSvg(chains, WORLD).text : writeDxf(chains, undefined));
    return [{ file, compared: [] }];
  }
  const format = SPACE_FORMATS.find((f) => f === formatOf(path)?.id);
  if (!format) throw new BadCall(`"${kind || file}" cannot be written; known: ${WRITABLE}`);
  const lines = format === 'iges' ? chains.map((c): OutPart => ({ name: c.name, curves: c.curves })) : [];
  const all = [...parts, ...lines];
  if (!all.length) throw new NotFine('there is nothing to write: the model has no skin and no solid');
  const made = await deliver(
    all,
    { format, stem: basename(path, extname(path)), chord: how.tolerance, unit: how.unit, schema: how.schema, apart: how.apart },
    kernel,
    { limit: LIMIT },
  );
  if (!made.ok) throw new NotFine(made.message);
  const folder = dirname(path);
  return made.files.map((f) => {
    const name = how.apart ? f.name : basename(path);
    writeFileSync(resolve(folder, name), f.data);
    for (const c of f.companions) writeFileSync(resolve(folder, c.name), c.data);
    return { file: how.apart ? name : file, compared: f.compared };
  });
}
const WRITABLE = FORMATS.filter((f) => f.writes)
  .flatMap((f) => f.endings)
  .join(' ');
export class NotFine extends Error {}

interface Read {
  readonly parts: StepPart[];
  readonly chains: readonly NamedChain[];
  readonly model?: Model;
  readonly result?: ModelResult;
  readonly scans?: readonly ScanPart[];
  /** Scans of a model. */
  readonly meshes?: readonly OutPart[];
  readonly notes: readonly string[];
}
/** Any file that the command line knows, lengths in mm. */
export async function readAny(file: string | undefined, set: readonly string[] = []): Promise<Read> {
  const { path, data } = load(file);
  const kind = extname(path).toLowerCase();
  const name = basename(path);
  const stem = basename(path, extname(path));
  if (data.length === 0) throw new BadCall(`${name} is empty`);
  if (kind === '.json') {
    const model = recipeOf(data, name);
    const result = await evaluate(model, dirname(path), set);
    const all = seen(model, result);
    return {
      parts: mainParts(model, result),
      chains: chainsOf(model, result),
      meshes: all.flatMap((p) => (p.mesh ? [{ ...p, mesh: p.mesh }] : [])),
      model,
      result,
      notes: [],
    };
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
