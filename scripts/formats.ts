import { parseArgs } from 'node:util';
import { bodyBox, combineBodies, isWatertight, massProperties } from '../core/brep/index.ts';
import { deliver, isExact, SPACE_FORMATS, UNIT_MM } from '../core/exchange/index.ts';
import { boxSize } from '../core/math/index.ts';
import { otherSurfaces, otherTriangles } from '../core/testing/independent.ts';
import { randomParts } from '../core/testing/random-parts.ts';
import { nodeKernel } from '../engine/node.ts';

/**
 * Writes random pieces in every format, each read back and compared by the writer itself, and then by libraries of others.
 * Usage: npm run formats -- [--seeds 200] [--from 0] [--quiet]
 */
const { values: given } = parseArgs({
  options: {
    seeds: { type: 'string', default: '200' },
    from: { type: 'string', default: '0' },
    quiet: { type: 'boolean', default: false },
  },
});
const [seeds, from] = [Number(given.seeds), Number(given.from)];
const kernel = nodeKernel();
const units = ['MM', 'INCH', 'M'] as const;
const tally = new Map<string, { written: number; refused: string[]; wrong: string[]; ms: number; area: number; volume: number }>();
for (const f of SPACE_FORMATS) tally.set(f, { written: 0, refused: [], wrong: [], ms: 0, area: 0, volume: 0 });
for (let seed = from; seed < from + seeds; seed++) {
  if (seed % 20 === 0 && !given.quiet) process.stderr.write(`seed ${seed}, ${Math.round(process.memoryUsage().rss / 2 ** 20)} MB\n`);
  const parts = await randomParts(seed);
  if (!parts.length) continue;
  const whole = combineBodies(parts.flatMap((p) => (p.body ? [p.body] : [])));
  const m = massProperties(whole);
  const closed = parts.every((p) => p.body && isWatertight(p.body) && p.body.solids.length);
  const box = bodyBox(whole);
  const chord = Math.max(0.01, boxSize(box) / 4000);
  for (const format of SPACE_FORMATS) {
    const t = tally.get(format) as NonNullable<ReturnType<typeof tally.get>>;
    const unit = units[seed % 3];
    const schema = seed % 2 ? 'AP242' : 'AP214';
    const start = performance.now();
    const made = await deliver(parts, { format, stem: `seed ${seed}`, unit, schema, chord }, kernel, { limit: 60_000 });
    t.ms += performance.now() - start;
    if (!made.ok) {
      t.refused.push(`seed ${seed}: ${made.message}`);
      continue;
    }
    t.written++;
    const [file] = made.files;
    try {
      const other = isExact(format)
        ? await otherSurfaces(file.data, format as 'step' | 'iges', chord)
        : // packed files tell their unit, the others count in the one that was asked for
          await otherTriangles(file.name, file.data, format === 'gltf' ? 1000 : UNIT_MM[unit], file.companions);
      const area = other.reduce((s, p) => s + p.area, 0);
      const volume = other.reduce((s, p) => s + p.volume, 0);
      // exact files are meshed by the other library: within the chord of the surface. Triangles are to be the very ones that were written
      const slack = isExact(format) ? 0.02 : 0.005;
      const written = (what: string) => file.compared.find((c) => c.what === what)?.model;
      const wanted = isExact(format) ? m : { area: written('area') ?? m.area, volume: written('volume') ?? m.volume };
      const [da, dv] = [Math.abs(area / wanted.area - 1), closed ? Math.abs(volume / wanted.volume - 1) : 0];
      t.area = Math.max(t.area, da);
      t.volume = Math.max(t.volume, dv);
      // it tells places of triangles by six digits, and meshes faces of surfaces one by one within the chord
      const far = Math.max(...[...box.min, ...box.max].map(Math.abs));
      const grain = isExact(format) ? chord : 5e-6 * far;
      const roundArea = isExact(format) ? 0 : grain * other.reduce((sum, x) => sum + x.sides, 0);
      const roundVolume = grain * wanted.area;
      if (
        Math.abs(area - wanted.area) > slack * wanted.area + roundArea ||
        (closed && Math.abs(volume - wanted.volume) > slack * Math.abs(wanted.volume) + roundVolume)
      )
        t.wrong.push(`seed ${seed}: another library reads area ${area} (${wanted.area}), volume ${volume} (${wanted.volume})`);
    } catch (e) {
      t.wrong.push(`seed ${seed}: ${(e as Error).message}`);
    }
  }
}
let wrong = 0;
for (const [format, t] of tally) {
  console.log(
    `${format.padEnd(5)} ${t.written} written and read back the same, ${t.refused.length} refused, ${t.wrong.length} read otherwise by another library (area within ${(100 * t.area).toFixed(2)} %, volume within ${(100 * t.volume).toFixed(2)} %), ${(t.ms / Math.max(1, t.written + t.refused.length)).toFixed(0)} ms each`,
  );
  if (!given.quiet) for (const l of [...t.refused, ...t.wrong]) console.log(`  ${l}`);
  wrong += t.refused.length + t.wrong.length;
}
process.exit(wrong ? 1 : 0);
