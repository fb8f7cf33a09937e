import { writeFileSync } from 'node:fs';
import { basename, dirname, extname, resolve } from 'node:path';
import { type Body, combineBodies, type MeshVerdict, meshVerdict } from '@ample-skin/core/brep';
import { inspectMesh, type MeshReport, type OutPart } from '@ample-skin/core/exchange';
import { checkReport } from '@ample-skin/core/proof';
import { applyEdit, type Model, type ModelResult, meshWords, metaOf, type Step } from '@ample-skin/core/recipe';
import { gatherReport, reportHtml, reportPdf } from '@ample-skin/core/report';
import { TOOLS } from '@ample-skin/core/tools';
import { RUNNABLE } from '@ample-skin/core/tools/evaluations';
import { keepVariant, tryOff } from '@ample-skin/core/try-off';
import { z } from 'zod';
import { type Args, parseArgs, writingOf } from './args.ts';
import { BadCall, chainsOf, evaluate, kernel, load, mainParts, NotFine, readAny, recipeOf, type Written, write } from './read.ts';
import { compareFiles, sweepRecipe } from './reports.ts';

const HELP = `ample: build, check and convert models without a window

  ample tools [--json]                                   every tool with its parameters
  ample run RECIPE.json [--set dial=value]… [--out FILE]… [--report FILE.json|.html|.pdf] [--json]
  ample check FILE_OR_RECIPE [--json]                     seams, rims, mass, defects of a recipe, .step, .iges, or a mesh
  ample convert IN OUT [--tolerance mm] [--unit mm|in|m] [--schema AP214|AP242] [--apart] [--json]
                                                         to .step .iges (surfaces), .stl .3mf .obj .ply .glb (triangles),
                                                         .svg .dxf (curves); from a recipe or any of these; every file is
                                                         read back and compared; --apart writes a file for each piece
  ample try-off RECIPE STEP [--keep METHOD --out FILE.json] [--json]
                                                         other methods for what a step fills or bridges, measured alike;
                                                         one kept in its place, the others muted beside it

  ample sweep RECIPE --over dial=FROM..TO:COUNT [--over …] [--out FILE.csv] [--json]
                                                         a recipe over the values of a dial or of two: volume, least wall
                                                         and radius, worst seam, targets, time of each run
  ample compare RECIPE RECIPE [--json]                   what of the first became what in the second, and how far
                                                         their shapes lie apart; exit code 1 when they differ

Pieces that are hidden in a recipe are left out.

Exit code: 0 fine, 1 not fine, 2 the call or the file is wrong.
`;

const print = (text: string) => process.stdout.write(`${text}\n`);
const problems = (model: Model, result: ModelResult) =>
  model.steps.flatMap((s) => (result.steps.get(s.id)?.diagnostics ?? []).map((d) => ({ step: s.id, name: s.name ?? s.tool, ...d })));

async function check(args: Args): Promise<number> {
  const { parts, model, scans, result, notes } = await readAny(args.words[1], args.set);
  if (scans) {
    const reports = scans.map((x) => inspectMesh(x.mesh));
    const total = (get: (m: MeshReport) => number) => reports.reduce((n, m) => n + get(m), 0);
    const watertight = !total((m) => m.open + m.multiple + m.clashing);
    // the mesh library's own word: closed parts lying in one file are parts of their own
    const verdicts: MeshVerdict[] = watertight ? await Promise.all(scans.map((x) => meshVerdict(x.mesh))) : [];
    const solid = watertight && verdicts.every((v) => v.solid);
    const report = {
      unit: 'mm',
      parts: scans.length,
      triangles: total((m) => m.triangles),
      openEdges: total((m) => m.open),
      crowdedEdges: total((m) => m.multiple),
      turnedNeighbours: total((m) => m.clashing),
      watertight,
      solid,
      closedParts: watertight ? verdicts.reduce((n, v) => n + v.parts, 0) : undefined,
      handles: watertight ? verdicts.reduce((n, v) => n + v.genus, 0) : undefined,
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
    if (report.mesh) print(`mesh ${report.mesh.solid ? meshWords(report.mesh) : report.mesh.reason}`);
    print(`area ${report.areaMm2.toFixed(4)} mm² · volume ${report.volumeMm3.toFixed(4)} mm³`);
    for (const d of report.defects) print(`${d.code}: ${d.message} at ${d.place.map((x) => x.toFixed(3)).join(', ')}`);
  }
  return report.watertight && report.valid ? 0 : 1;
}

const REPORTS = ['.json', '.html', '.pdf'];
async function run(args: Args): Promise<number> {
  if (args.report && !REPORTS.includes(extname(args.report).toLowerCase()))
    throw new BadCall(`a report is .json, .html or .pdf; "${args.report}" is none of them`);
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
  const how = writingOf(args);
  const written: Written[number][] = [];
  for (const f of args.out) written.push(...(await write(f, parts, how, chainsOf(model, result))));
  if (args.report) await writeReport(args.report, JSON.stringify(report, null, 2), model, result);
  if (args.json) print(JSON.stringify({ ...report, written }));
  else {
    for (const s of report.steps) print(`${s.status?.padEnd(8)} ${String(Math.round(s.ms ?? 0)).padStart(6)} ms  ${s.name ?? s.tool}`);
    for (const d of list) print(`${d.severity}: ${d.name}: ${d.message}`);
    tellWritten(written);
  }
  return errors.length ? 1 : 0;
}
/** The report in the form its name asks for: numbers to be read by a program, or pages to be read by people. */
async function writeReport(name: string, json: string, model: Model, result: ModelResult): Promise<void> {
  const file = resolve(process.env.INIT_CWD ?? process.cwd(), name);
  const kind = extname(name).toLowerCase();
  if (kind === '.json') return writeFileSync(file, `${json}\n`);
  const date = new Date().toLocaleDateString('en-GB', { day: 'numeric', month: 'long', year: 'numeric' });
  const proof = await gatherReport(model, result, { tools: TOOLS, kernel, date });
  writeFileSync(file, kind === '.html' ? reportHtml(proof) : await reportPdf(proof));
}
async function convert(args: Args): Promise<number> {
  const [, from, to] = args.words;
  if (!to) throw new BadCall('convert needs two files: IN and OUT');
  const how = writingOf(args);
  const input = await readAny(from);
  const meshes: readonly OutPart[] = input.scans?.map((x) => placed(x.name, { mesh: x.mesh })) ?? input.meshes ?? [];
  const exact = ['.step', '.stp', '.iges', '.igs'].includes(extname(to).toLowerCase());
  if (exact && meshes.length && !input.parts.length)
    throw new BadCall('a mesh has no surfaces: it can be written as .stl .3mf .obj .ply or .glb');
  const parts = [...input.parts.map((p) => (p.path ? p : placed(p.name, { body: p.body }))), ...(exact ? [] : meshes)];
  const written = await write(to, parts, how, input.chains);
  for (const n of input.notes) process.stderr.write(`ample: ${n}\n`);
  if (args.json) print(JSON.stringify({ from, to, parts: parts.length, curves: input.chains.length, written, notes: input.notes }));
  else tellWritten(written);
  return 0;
}
/** A name that came from an assembly tells the groups the part stood in. */
const placed = (name: string, shape: Pick<OutPart, 'body' | 'mesh'>): OutPart => {
  const words = name.split(' / ');
  return { name: words.at(-1) as string, path: words.slice(0, -1), ...shape };
};
function tellWritten(written: Written): void {
  for (const w of written) {
    print(`wrote ${w.file}${w.compared.length ? ', read back:' : ''}`);
    for (const c of w.compared) print(`  ${c.what.padEnd(16)} ${c.file}${c.unit ? ` ${c.unit}` : ''} (model ${c.model})`);
  }
}

/** Other methods for what a step of a recipe fills or bridges. */
async function tryOffStep(args: Args): Promise<number> {
  const [, file, wanted] = args.words;
  const { path, data } = load(file);
  const model = recipeOf(data, basename(path));
  const step = model.steps.find((s) => s.id === wanted) ?? model.steps.find((s) => s.name === wanted);
  const able = (s: Step) => TOOLS.get(s.tool)?.tryOff;
  if (!step)
    throw new BadCall(
      `there is no step "${wanted ?? ''}"; these fill or bridge something: ${
        model.steps
          .filter(able)
          .map((s) => s.id)
          .join(', ') || 'none'
      }`,
    );
  const picks = (able(step) ?? []).flatMap((slot) => step.inputs[slot] ?? []);
  if (!picks.length) throw new BadCall(`"${wanted}" neither fills an opening nor bridges two borders`);
  const result = await evaluate(model, dirname(path), args.set);
  const tried = await tryOff(model, picks, result.steps, { tools: RUNNABLE, kernel, limit: 120_000 });
  if (!tried.ok) throw new NotFine(tried.message);
  const rows = tried.variants.map((v) => ({
    method: v.key,
    label: v.label,
    ...(v.made
      ? {
          reached: v.made.numbers.grade,
          gapMm: v.made.numbers.gap,
          kinkDeg: v.made.numbers.kink,
          stepPct: v.made.numbers.step,
          controlPoints: v.made.numbers.points,
          tightestMm: 1 / v.made.numbers.curvature,
          areaMm2: v.made.numbers.area,
          ms: v.made.ms,
        }
      : { why: v.why }),
  }));
  if (args.json) print(JSON.stringify({ what: tried.what, methods: rows }));
  else
    for (const r of rows)
      print(
        'why' in r
          ? `${r.method.padEnd(9)} not built: ${r.why}`
          : `${r.method.padEnd(9)} ${r.reached?.padEnd(5)} gap ${r.gapMm?.toExponential(1)} mm, kink ${r.kinkDeg?.toFixed(4)}°, step ${r.stepPct?.toFixed(3)} %, ${r.controlPoints} points, tightest ${r.tightestMm?.toPrecision(4)} mm, ${Math.round(r.ms ?? 0)} ms`,
      );
  if (!args.keep) return 0;
  const kept = tried.variants.find((v) => v.key === args.keep && v.made);
  if (!kept) throw new BadCall(`"${args.keep}" is none of the methods that were built`);
  const [out] = args.out;
  if (!out || extname(out).toLowerCase() !== '.json') throw new BadCall('--keep needs --out FILE.json for the changed recipe');
  const applied = applyEdit(model, keepVariant(model, kept, tried.variants, TOOLS, step.id));
  if (!applied.ok) throw new NotFine(applied.message);
  writeFileSync(resolve(process.env.INIT_CWD ?? process.cwd(), out), `${JSON.stringify(applied.model, null, 2)}\n`);
  return 0;
}

export function tools(args: Args): number {
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
    case 'sweep':
      return sweepRecipe(args);
    case 'compare':
      return compareFiles(args);
    case 'try-off':
      return tryOffStep(args);
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
