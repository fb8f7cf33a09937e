import { type Body, combineBodies, massProperties, withShells } from '../core/brep/index.ts';
import { readStep, writeStep } from '../core/exchange/index.ts';
import { evaluateModel, livePieces } from '../core/recipe/index.ts';
import { mendFaults, REPAIR_KINDS } from '../core/repair/index.ts';
import { DAMAGES, damaged, flatFaces } from '../core/testing/damage.ts';
import { randomFrom } from '../core/testing/section-sets.ts';
import { RUNNABLE } from '../core/tools/evaluations.ts';
import { TOOLS } from '../core/tools/index.ts';
import { DEMO_MODELS } from '../demo/index.ts';
import { demoAsset } from '../demo/node.ts';
import { nodeKernel } from '../engine/node.ts';

/**
 * Damages the demo's own exports and repairs them. Every solid of the demo goes out as STEP and comes back; then one face is taken away (a
 * flat one, and a curved one), moved by 0.05 mm, doubled or turned over, and the repair has to give one solid of the same volume again.
 * Usage: npm run damage
 */
const kernel = nodeKernel();
const random = randomFrom(17);
const MOST = 0.1;
const TOLERANCE = 1e-3;
const ALL = new Set(REPAIR_KINDS);
let wrong = 0;
const smallest = (b: Body, list: readonly number[]) =>
  [...list].sort((x, y) => massProperties(b, [x], true).area - massProperties(b, [y], true).area)[0];
for (const demo of DEMO_MODELS) {
  const result = await evaluateModel(demo.model, { tools: RUNNABLE, kernel, limit: 120_000, asset: demoAsset });
  for (const { key, piece } of livePieces(demo.model, result, TOOLS)) {
    if (piece.kind !== 'solid') continue;
    const text = await writeStep([{ name: key, body: piece.body }], kernel, {});
    const read = await readStep(new TextEncoder().encode(text), kernel);
    if (!read.ok) throw new Error(read.message);
    const body: Body =
      read.parts.length === 1 ? read.parts[0].body : withShells({ ...combineBodies(read.parts.map((p) => p.body)), solids: [] });
    const volume = massProperties(body).volume;
    const { area } = massProperties(body);
    const flat = flatFaces(body);
    const curved = body.faces.map((_, i) => i).filter((i) => !flat.includes(i));
    for (const kind of ['none', ...DAMAGES] as const) {
      const choices =
        kind === 'none'
          ? [-1]
          : kind === 'removed'
            ? [flat[Math.floor(random() * flat.length)], smallest(body, curved)]
            : [Math.floor(random() * body.faces.length)];
      for (const face of choices) {
        if (face === undefined) continue;
        const bad = kind === 'none' ? body : damaged(body, kind, face, random, 0.05);
        const start = performance.now();
        const r = mendFaults(bad, { kinds: ALL, most: MOST, tolerance: TOLERANCE, name: 'r' });
        const seconds = (performance.now() - start) / 1000;
        const now = massProperties(r.body).volume;
        const what = kind === 'removed' ? `removed ${flat.includes(face) ? 'flat' : 'curved'}` : kind;
        // the volume may be off by what was agreed to over the whole area; a curved face that is gone is guessed, or left open and told
        const good = what === 'removed curved' || (r.body.solids.length === 1 && Math.abs(now - volume) <= TOLERANCE * area);
        if (!good) wrong++;
        console.log(
          `${demo.slug} ${key} (${body.faces.length} faces) ${what.padEnd(14)} ${r.body.solids.length === 1 ? 'solid' : 'open '} volume ${volume.toFixed(3)} → ${now.toFixed(3)} (${((now / volume - 1) * 100).toExponential(1)} %), moved ${Math.max(0, ...r.changes.map((c) => c.by)).toFixed(4)} mm, ${r.changes.length} changes, faults left ${r.left.filter((d) => d.severity === 'error').length}, ${seconds.toFixed(1)} s${good ? '' : '   WRONG'}`,
        );
      }
    }
  }
}
console.log(wrong ? `${wrong} wrong` : 'all came back, but for curved faces that were taken away: see their lines');
process.exit(wrong ? 1 : 0);
