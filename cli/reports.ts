import { writeFileSync } from 'node:fs';
import { basename, dirname, extname, resolve } from 'node:path';
import { formatNumber } from '@ample-skin/core/math';
import { newMemory } from '@ample-skin/core/recipe';
import {
  compareRecipes,
  deviationOf,
  pairShapes,
  parseRange,
  SWEEP_COLUMNS,
  type SweepRow,
  seenBodies,
  sweep,
  sweepCsv,
  sweepPoints,
} from '@ample-skin/core/report';
import { TOOLS } from '@ample-skin/core/tools';
import { RUNNABLE } from '@ample-skin/core/tools/evaluations';
import type { Args } from './args.ts';
import { assetsBeside, BadCall, evaluate, kernel, LIMIT, load, NotFine, recipeOf } from './read.ts';

const print = (text: string) => process.stdout.write(`${text}\n`);

/** A recipe over the values of a dial or of two: a line for each run as it is there, and a table as CSV. */
export async function sweepRecipe(args: Args): Promise<number> {
  const { path, data } = load(args.words[1]);
  const model = recipeOf(data, basename(path));
  if (!args.over.length) throw new BadCall('sweep needs --over dial=FROM..TO:COUNT');
  const ranges = args.over.map((t) => {
    const r = parseRange(t);
    if (typeof r === 'string') throw new BadCall(`--over ${r}`);
    return r;
  });
  const [out] = args.out;
  if (out && extname(out).toLowerCase() !== '.csv') throw new BadCall(`a sweep is written as .csv; "${out}" is none`);
  const points = sweepPoints(model, ranges);
  if (typeof points === 'string') throw new BadCall(points);
  const o = { tools: RUNNABLE, kernel, memory: newMemory(), limit: LIMIT, asset: assetsBeside(dirname(path)) };
  const rows = await sweep(model, points, o, (r) => {
    if (!args.json) print(rowText(r));
  });
  if (out) writeFileSync(resolve(process.env.INIT_CWD ?? process.cwd(), out), sweepCsv(rows));
  if (args.json) print(JSON.stringify({ model: model.name, rows }));
  else if (out) print(`wrote ${out}, ${rows.length} runs`);
  return rows.every((r) => r.ok) ? 0 : 1;
}
function rowText(r: SweepRow): string {
  const at = Object.entries(r.point).map(([k, v]) => `${k} ${formatNumber(v, 6)}`);
  const numbers = SWEEP_COLUMNS.flatMap((c) => {
    const x = r[c.key];
    return x === undefined ? [] : [`${c.label.toLowerCase()} ${formatNumber(x, c.digits)}${c.unit && c.unit !== '°' ? ' ' : ''}${c.unit}`];
  });
  return `${r.ok ? 'fine    ' : 'not fine'}  ${[...at, ...numbers, ...r.why].join(' · ')}`;
}

/** What of a recipe became what in another, and how far their shapes lie apart. Exit code 1 when they differ. */
export async function compareFiles(args: Args): Promise<number> {
  const [, first, second] = args.words;
  if (!first || !second) throw new BadCall('compare needs two recipes');
  const read = async (file: string) => {
    const { path, data } = load(file);
    const model = recipeOf(data, basename(path));
    return { model, result: await evaluate(model, dirname(path), args.set) };
  };
  const [a, b] = [await read(first), await read(second)];
  const differences = compareRecipes(a.model, b.model, TOOLS);
  const pairs = pairShapes(seenBodies(a.model, a.result, TOOLS), seenBodies(b.model, b.result, TOOLS));
  const shapes = pairs.map((p) => ({
    name: (p.b ?? p.a)?.name,
    only: p.a && p.b ? undefined : p.a ? 'first' : 'second',
    ...(p.a && p.b ? { deviation: deviationOf(p.a.body, p.b.body) } : {}),
  }));
  if (args.json) print(JSON.stringify({ first, second, differences, shapes }));
  else {
    for (const d of differences)
      print(
        `${d.kind.padEnd(8)} ${d.what}${d.of ? `, ${d.of}` : ''}${d.before !== undefined ? `: ${d.before}` : ''}${d.after !== undefined ? ` -> ${d.after}` : ''}`,
      );
    if (!differences.length) print('the recipes are the same');
    for (const s of shapes) {
      if (!('deviation' in s) || !s.deviation) {
        print(`shape    ${s.name}: only in the ${s.only}`);
        continue;
      }
      const d = s.deviation;
      const change = (of: readonly [number, number], unit: string) => `${formatNumber(of[0], 3)} -> ${formatNumber(of[1], 3)} ${unit}`;
      print(
        `shape    ${s.name}: apart by ${formatNumber(d.most, 6)} mm at most, ${formatNumber(d.rms, 6)} mm on average · area ${change(d.area, 'mm²')}${
          d.volume ? ` · volume ${change(d.volume, 'mm³')}` : ''
        }`,
      );
    }
  }
  if (!pairs.length) throw new NotFine('neither recipe gives a skin or a solid');
  const apart = shapes.some((s) => s.only || ('deviation' in s && s.deviation && s.deviation.most > a.model.tolerance));
  return differences.length || apart ? 1 : 0;
}
