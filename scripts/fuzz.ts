// Damaged files for every reader, damaged recipes, and damaged bodies for the server, for as long as wanted: npm run fuzz -- --minutes 10 --seed 3. Files are read in a process of their own that is
// watched: an exception, a lost process or more than ten seconds is a finding, and the file is kept under .cache/fuzz.
import { type ChildProcess, fork } from 'node:child_process';
import { mkdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { parseArgs } from 'node:util';
import { strToU8 } from 'fflate';
import { mutate, readAny, type Sample, samples, seeded } from '../core/testing/mutate.ts';
import { BODIES, type BodyKind, damagedBody, type openServer } from '../studio/testing/api-bodies.ts';

const SLOW = 10_000;
/** A process that has everything loaded before its first file: starting it is nobody's fault. */
const reader = (): Promise<ChildProcess> =>
  new Promise((ready) => {
    const p = fork(fileURLToPath(import.meta.url), ['reader'], { execArgv: ['--import', 'tsx'], serialization: 'advanced' });
    p.once('message', () => ready(p));
  });
/** A body for the server: an answer that blames the server itself is a finding, and so is a model that can no longer be read. */
async function askServer(s: Sample): Promise<{ ok: boolean }> {
  const { openServer } = await import('../studio/testing/api-bodies.ts');
  server ??= openServer();
  const { ask, fresh, model } = await server;
  const id = await fresh();
  const r = await ask(s.name.split('.')[0] as BodyKind, id, new TextDecoder().decode(s.data));
  if (r.status >= 500) throw new Error(`${r.status} ${JSON.stringify(r.answer)}`);
  await model(id);
  return { ok: r.status < 300 };
}
let server: ReturnType<typeof openServer> | undefined;
if (process.send) {
  for (const s of await samples()) await readAny(s);
  await askServer({ name: 'model.body', data: strToU8(JSON.stringify(BODIES[0].body)) });
  process.on('message', (s: Sample) =>
    (s.name.endsWith('.body') ? askServer(s) : readAny(s)).then(
      (r) => process.send?.({ ok: r.ok }),
      (e: Error) => process.send?.({ error: e.stack ?? e.message }),
    ),
  );
  process.send('ready');
} else await main();

async function main(): Promise<void> {
  const { values } = parseArgs({ options: { minutes: { type: 'string', default: '1' }, seed: { type: 'string', default: '1' } } });
  const [minutes, seed] = [Number(values.minutes), Number(values.seed)];
  if (!(minutes > 0) || !Number.isInteger(seed)) throw new Error('usage: npm run fuzz -- --minutes 10 --seed 3');
  const folder = join(fileURLToPath(new URL('..', import.meta.url)), '.cache', 'fuzz');
  mkdirSync(folder, { recursive: true });
  const next = seeded(seed);
  const files = await samples();
  const bodies = BODIES.map((b): Sample => ({ name: `${b.kind}.body`, data: strToU8(JSON.stringify(b.body)) }));
  const list = [...files, ...bodies];
  const start = performance.now();
  let [read, refused, slowest] = [0, 0, 0];
  const found: string[] = [];
  let worker = await reader();
  while (performance.now() - start < minutes * 60_000) {
    const sample = list[Math.floor(next() * list.length)];
    // bodies are damaged as data, now and then as bytes; files always as bytes
    const whole = sample.name.endsWith('.body') && next() < 0.8;
    const data = whole
      ? strToU8(JSON.stringify(damagedBody(JSON.parse(new TextDecoder().decode(sample.data)), next)) ?? '')
      : mutate(sample.data, next);
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
      worker = await reader();
    } else if (answer.ok) read++;
    else refused++;
  }
  worker.kill('SIGKILL');
  console.log(`seed ${seed}: ${read} read, ${refused} refused with a reason, ${found.length} findings; slowest ${Math.round(slowest)} ms`);
  process.exitCode = found.length ? 1 : 0;
}
