// Damaged files for every reader, for as long as wanted: npm run fuzz -- --minutes 10 --seed 3. Files are read in a process of their own that is
// watched: an exception, a lost process or more than ten seconds is a finding, and the file is kept under .cache/fuzz.
import { type ChildProcess, fork } from 'node:child_process';
import { mkdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { parseArgs } from 'node:util';
import { mutate, readAny, type Sample, samples, seeded } from '../core/testing/mutate.ts';

const SLOW = 10_000;
const reader = (): ChildProcess =>
  fork(fileURLToPath(import.meta.url), ['reader'], { execArgv: ['--import', 'tsx'], serialization: 'advanced' });
if (process.send)
  process.on('message', (s: Sample) =>
    readAny(s).then(
      (r) => process.send?.({ ok: r.ok }),
      (e: Error) => process.send?.({ error: e.stack ?? e.message }),
    ),
  );
else await main();

async function main(): Promise<void> {
  const { values } = parseArgs({ options: { minutes: { type: 'string', default: '1' }, seed: { type: 'string', default: '1' } } });
  const [minutes, seed] = [Number(values.minutes), Number(values.seed)];
  if (!(minutes > 0) || !Number.isInteger(seed)) throw new Error('usage: npm run fuzz -- --minutes 10 --seed 3');
  const folder = join(fileURLToPath(new URL('..', import.meta.url)), '.cache', 'fuzz');
  mkdirSync(folder, { recursive: true });
  const next = seeded(seed);
  const list = await samples();
  const start = performance.now();
  let [read, refused, slowest] = [0, 0, 0];
  const found: string[] = [];
  let worker = reader();
  while (performance.now() - start < minutes * 60_000) {
    const sample = list[Math.floor(next() * list.length)];
    const data = mutate(sample.data, next);
    const began = performance.now();
    const answer = await new Promise<{ ok?: boolean; error?: string }>((done) => {
      const timer = setTimeout(() => done({ error: `no answer within ${SLOW / 1000} s` }), SLOW);
      const end = (a: { ok?: boolean; error?: string }) => {
        clearTimeout(timer);
        worker.removeAllListeners();
        done(a);
      };
      worker.once('message', end);
      worker.once('error', (e: Error) => end({ error: `the process died: ${e.message}` }));
      worker.once('exit', () => end({ error: 'the process ended' }));
      worker.send({ name: sample.name, data });
    });
    slowest = Math.max(slowest, performance.now() - began);
    if (answer.error) {
      const file = join(folder, `${seed}-${read + refused + found.length}-${sample.name}`);
      writeFileSync(file, data);
      found.push(`${file}: ${answer.error}`);
      console.log(found.at(-1));
      worker.kill('SIGKILL');
      worker = reader();
    } else if (answer.ok) read++;
    else refused++;
  }
  worker.kill('SIGKILL');
  console.log(`seed ${seed}: ${read} read, ${refused} refused with a reason, ${found.length} findings; slowest ${Math.round(slowest)} ms`);
  process.exitCode = found.length ? 1 : 0;
}
