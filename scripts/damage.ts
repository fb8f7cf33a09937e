import { type Body, combineBodies, massProperties, withShells } from '../core/brep/index.ts';
import { readIges, readStep, writeStep } from '../core/exchange/index.ts';
import { writeIges } from '../core/exchange/write-iges.ts';
import { evaluateModel, livePieces } from '../core/recipe/index.ts';
import { mendFaults, REPAIR_KINDS } from '../core/repair/index.ts';
import { DAMAGES, type Damage, damaged, flatFaces } from '../core/testing/damage.ts';
import { randomFrom } from '../core/testing/section-sets.ts';
import { RUNNABLE } from '../core/tools/evaluations.ts';
import { TOOLS } from '../core/tools/index.ts';
import { DEMO_MODELS } from '../demo/index.ts';
import { demoAsset } from '../demo/node.ts';
import { nodeKernel } from '../engine/node.ts';

/**
 * Damages the demo's own exports and repairs them. Every solid of the demo goes out as STEP and as IGES (trimmed surfaces) and comes back; then
 * one face is taken away, moved by 0.05 mm, doubled or turned over, and the repair has to give one solid of the same volume again. What a face
 * was that is gone, only its rim tells: large skins between rims are left open and told, or closed otherwise, which is counted by itself.
 * Usage: npm run damage [-- --every] (every face taken away, not only a flat one, the smallest and the largest curved one)
 */
const kernel = nodeKernel();
const every = process.argv.includes('--every');
const MOST = 0.1;
const TOLERANCE = 1e-3;
const ALL = new Set(REPAIR_KINDS);
const tally = { back: 0, open: 0, otherwise: 0, wrong: 0 };
const areaOf = (b: Body, face: number) => massProperties(b, [face], true).area;

async function imported(text: string, iges: Uint8Array | undefined): Promise<Body> {
  const read = iges ? await readIges(iges, kernel) : await readStep(new TextEncoder().encode(text), kernel);
  if (!read.ok) throw new Error(read.message);
  return read.parts.length === 1 ? read.parts[0].body : withShells({ ...combineBodies(read.parts.map((p) => p.body)), solids: [] });
}
function tried(label: string, body: Body, kind: Damage | 'none', face: number, flat: readonly number[]): void {
  const random = randomFrom(17 + face);
  const [volume, { area }] = [massProperties(body).volume, massProperties(body)];
  const bad = kind === 'none' ? body : damaged(body, kind, face, random, 0.05);
  const start = performance.now();
  const r = mendFaults(bad, { kinds: ALL, most: MOST, tolerance: TOLERANCE, name: 'r' });
  const seconds = (performance.now() - start) / 1000;
  const now = massProperties(r.body).volume;
  const solid = r.body.solids.length === 1;
  // the volume may be off by what was agreed to over the whole area
  const back = solid && Math.abs(now - volume) <= TOLERANCE * area;
  const curved = kind === 'removed' && !flat.includes(face);
  const verdict = back ? 'back' : !curved ? 'wrong' : solid ? 'otherwise' : 'open';
  tally[verdict]++;
  const what = kind === 'removed' ? `${body.faces[face].name} removed` : kind;
  console.log(
    `${label} ${what.padEnd(14)} ${solid ? 'solid' : 'open '} volume ${volume.toFixed(3)} → ${now.toFixed(3)} (${((now / volume - 1) * 100).toExponential(1)} %), moved ${Math.max(0, ...r.changes.map((c) => c.by)).toFixed(4)} mm, ${r.changes.length} changes, faults left ${r.left.filter((d) => d.severity === 'error').length}, ${seconds.toFixed(1)} s${back ? '' : `   ${verdict.toUpperCase()}`}`,
  );
}
for (const demo of DEMO_MODELS) {
  const result = await evaluateModel(demo.model, { tools: RUNNABLE, kernel, limit: 120_000, asset: demoAsset });
  for (const { key, piece } of livePieces(demo.model, result, TOOLS)) {
    if (piece.kind !== 'solid') continue;
    const text = await writeStep([{ name: key, body: piece.body }], kernel, {});
    for (const form of ['STEP', 'IGES'] as const) {
      const body = await imported(text, form === 'IGES' ? writeIges([{ name: 'part', body: piece.body }]) : undefined);
      const flat = flatFaces(body);
      const curved = body.faces.map((_, i) => i).filter((i) => !flat.includes(i));
      curved.sort((x, y) => areaOf(body, x) - areaOf(body, y));
      const random = randomFrom(17);
      const gone = every ? body.faces.map((_, i) => i) : [flat[Math.floor(random() * flat.length)], curved[0], curved[curved.length - 1]];
      const label = `${demo.slug} ${key} ${form} (${body.faces.length} faces)`;
      tried(label, body, 'none', 0, flat);
      for (const kind of DAMAGES)
        for (const face of kind === 'removed' ? new Set(gone) : [Math.floor(random() * body.faces.length)])
          if (face !== undefined) tried(label, body, kind, face, flat);
    }
  }
}
console.log(
  `${tally.back} came back; of curved faces that were taken away ${tally.open} stay open and are told, ${tally.otherwise} were closed otherwise; ${tally.wrong} wrong`,
);
process.exit(tally.wrong ? 1 : 0);
