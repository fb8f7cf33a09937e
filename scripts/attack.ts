import { parseArgs } from 'node:util';
import { attack, complaints } from '../core/testing/attack.ts';
import { RUNNABLE } from '../core/tools/evaluations.ts';

/**
 * Attacks tools with random sources, picks and settings, and lists what came of them and what was wrong with an answer.
 * Usage: npm run attack -- [--tools sweep,tube] [--seeds 50] [--from 0]
 */
const { values: given } = parseArgs({
  options: { tools: { type: 'string' }, seeds: { type: 'string', default: '20' }, from: { type: 'string', default: '0' } },
});
const skins = [...RUNNABLE.values()].filter((t) => t.stage === 'skins' && t.id !== 'scan-skin').map((t) => t.id);
const tools = given.tools?.split(',') ?? skins;
const [seeds, from] = [Number(given.seeds), Number(given.from)];
let wrong = 0;
for (const tool of tools) {
  const tally = new Map<string, number>();
  let slowest = 0;
  const list: string[] = [];
  for (let seed = from; seed < from + seeds; seed++) {
    const a = await attack(tool, seed);
    const { status, diagnostics, ms } = a.result;
    const key = status === 'error' ? `refused: ${diagnostics[0]?.code}` : status;
    tally.set(key, (tally.get(key) ?? 0) + 1);
    slowest = Math.max(slowest, ms);
    list.push(...complaints(a).map((c) => `seed ${seed}: ${c}`));
  }
  console.log(`${tool}: ${[...tally].map(([k, n]) => `${k} ${n}`).join(', ')}; slowest ${(slowest / 1000).toFixed(1)} s`);
  for (const l of list) console.log(`  wrong: ${l}`);
  wrong += list.length;
}
console.log(wrong ? `${wrong} wrong answers` : 'no wrong answer');
process.exit(wrong ? 1 : 0);
