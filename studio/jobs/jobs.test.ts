import { type ChildProcess, spawn } from 'node:child_process';
import { fileURLToPath } from 'node:url';
import type { KernelService } from '@ample-skin/core/brep';
import { emptyModel, type Model, type Step } from '@ample-skin/core/recipe';
import { itemsOf, type JobRequest, jobSchema, titleOf } from '@ample-skin/engine/job-requests';
import { runItem } from '@ample-skin/engine/jobs';
import { nodeKernel } from '@ample-skin/engine/node';
import { sql } from 'drizzle-orm';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { type OpenDatabase, openDatabase } from '../db/client.ts';
import { postgresPrograms, startPostgres } from '../db/real-postgres.ts';
import { setUp } from '../db/setup.ts';
import { bossQueue } from './boss.ts';
import { localQueue } from './local.ts';
import { alive, cancelJob, claim, createJob, filesOf, listJobs, loadJob, openItems, removeJob, retryJob } from './store.ts';
import { workOn } from './work.ts';

const step = (params: object): Step => ({ id: 'b', tool: 'primitive', version: 1, params: params as Step['params'], inputs: {} });
const ball = (radius: string | number = 'r'): Model => ({
  ...emptyModel('Ball'),
  dials: [{ name: 'r', formula: '10', unit: 'length' }],
  steps: [step({ shape: 'ball', radius })],
});
const sweep = (from: number, to: number, count: number): JobRequest => ({
  kind: 'sweep',
  recipe: ball(),
  ranges: [{ dial: 'r', from, to, count }],
});
/** Quickly computed: a block r wide. */
const block = (width: string | number = 'r'): Model => ({
  ...ball(),
  steps: [step({ shape: 'box', width, depth: 8, height: 5, solid: true })],
});
const blocks = (from: number, to: number, count: number): JobRequest => ({
  kind: 'sweep',
  recipe: block(),
  ranges: [{ dial: 'r', from, to, count }],
});
const volume = (r: number) => (4 / 3) * Math.PI * r ** 3;
const until = async (done: () => Promise<boolean>, seconds = 90): Promise<void> => {
  const end = Date.now() + seconds * 1000;
  while (!(await done())) {
    if (Date.now() > end) throw new Error('it took too long');
    await new Promise((go) => setTimeout(go, 100));
  }
};
const noAsset = async () => undefined;

describe('what may be asked for', () => {
  it('has items with names, or words why not', () => {
    expect(itemsOf(sweep(1, 3, 3))).toEqual(['r 1', 'r 2', 'r 3']);
    expect(itemsOf({ kind: 'sweep', recipe: ball(), ranges: [{ dial: 'q', from: 1, to: 2, count: 2 }] })).toContain('There is no dial "q"');
    expect(titleOf(sweep(1, 3, 3))).toBe('Ball: r swept');
    const two: JobRequest = { kind: 'check', models: [ball(), ball(5)].map((recipe, i) => ({ name: `M${i}`, recipe })) };
    expect([itemsOf(two), titleOf(two)]).toEqual([['M0', 'M1'], 'Check: 2 models']);
    expect(jobSchema.safeParse({ kind: 'export', models: [], format: 'step' }).success).toBe(false);
    expect(jobSchema.safeParse({ ...two, kind: 'export', format: 'doc' }).success).toBe(false);
  });
});
describe('items on the embedded database', () => {
  let open: OpenDatabase;
  let kernel: KernelService & { close: () => Promise<void> };
  beforeAll(async () => {
    open = await openDatabase({ folder: 'memory' });
    await setUp(open);
    kernel = nodeKernel() as never;
  }, 60_000);
  afterAll(async () => {
    await kernel.close();
    await open.close();
  });
  const made = async (r: JobRequest): Promise<string> => {
    const j = await createJob(open.db, r);
    if (typeof j === 'string') throw new Error(j);
    return j.id;
  };
  const work = (id: string, index: number, worker = 'w', run = runItem) =>
    workOn(open.db, id, index, worker, { kernel, asset: noAsset }, run);
  const counts = async (id: string) => (await listJobs(open.db, id))[0].counts;

  it('a sweep: every item a row with the volume of its block', async () => {
    const id = await made(blocks(2, 4, 3));
    expect(await counts(id)).toMatchObject({ waits: 3, done: 0 });
    for (let i = 0; i < 3; i++) expect(await work(id, i)).toBe('done');
    const j = await loadJob(open.db, id);
    expect(j?.items.map((x) => [x.state, x.ok, x.attempts])).toEqual(Array(3).fill(['done', true, 1]));
    for (const [i, x] of (j?.items ?? []).entries()) expect(Math.abs((x.row?.volume ?? 0) / (40 * (2 + i)) - 1)).toBeLessThan(1e-9);
    // an item that is done is left alone
    expect(await work(id, 0)).toBe('left');
  });
  it('a check tells what is wrong; an export writes files that read back', async () => {
    const models = [
      { name: 'Good', recipe: block(5) },
      { name: 'Bad', recipe: block(-1) },
    ];
    const check = await made({ kind: 'check', models });
    for (const i of [0, 1]) await work(check, i);
    expect((await loadJob(open.db, check))?.items.map((x) => x.ok)).toEqual([true, false]);
    expect((await listJobs(open.db, check))[0].bad).toBe(1);
    for (const [format, head] of [
      ['step', 'ISO-10303-21'],
      ['obj', ''],
    ] as const) {
      const out = await made({ kind: 'export', models, format, unit: 'MM', schema: 'AP214', chord: 0.05 });
      for (const i of [0, 1]) await work(out, i);
      const items = (await loadJob(open.db, out))?.items ?? [];
      expect(items.map((x) => x.ok)).toEqual([true, false]);
      expect(items[1].why.length).toBeGreaterThan(0);
      const files = await filesOf(open.db, out);
      expect(files.length).toBe(1);
      expect(files[0].data.length).toBeGreaterThan(500);
      expect(Buffer.from(files[0].data).toString('latin1').slice(0, head.length)).toBe(head);
    }
  });
  it('one that goes wrong is tried three times and then given up; tried again it has all its tries', async () => {
    const id = await made(blocks(2, 3, 1 + 1));
    let tries = 0;
    const bad = async () => {
      tries++;
      throw new Error('no luck');
    };
    expect([await work(id, 0, 'w', bad), await work(id, 0, 'w', bad), await work(id, 0, 'w', bad)]).toEqual(['again', 'again', 'left']);
    expect(tries).toBe(3);
    expect((await loadJob(open.db, id))?.items[0]).toMatchObject({ state: 'failed', why: ['no luck'] });
    expect((await openItems(open.db, id)).map((x) => x.index)).toEqual([1]);
    expect(await retryJob(open.db, id)).toBe(true);
    expect(await work(id, 0)).toBe('done');
  });
  it('two workers never have the same item; one that falls silent loses it, and what it says later does not count', async () => {
    const id = await made(blocks(2, 3, 2));
    expect(await claim(open.db, id, 0, 'a')).toEqual({ attempt: 1 });
    expect(await claim(open.db, id, 0, 'b')).toBeUndefined();
    await open.db.execute(sql`update job_item set changed_at = now() - interval '1 hour' where job_id = ${id} and index = 0`);
    expect((await openItems(open.db, id)).map((x) => x.index)).toEqual([0, 1]);
    expect(await claim(open.db, id, 0, 'b')).toEqual({ attempt: 2 });
    expect(await alive(open.db, id, 0, 'a')).toBe(false);
    expect(await alive(open.db, id, 0, 'b')).toBe(true);
  });
  it('cancelled in the middle: the item ends, the others are never begun, and removed is removed', async () => {
    const id = await made(blocks(2, 3, 2));
    let told: AbortSignal | undefined;
    const long: typeof runItem = (_, __, host) =>
      new Promise((_done, fail) => {
        told = host.signal;
        host.signal?.addEventListener('abort', () => fail(new Error('aborted')));
      });
    const run = work(id, 0, 'w', long);
    await until(async () => !!told, 5);
    expect(await cancelJob(open.db, id)).toBe(true);
    expect(await run).toBe('left');
    expect(await counts(id)).toMatchObject({ cancelled: 2, waits: 0, runs: 0 });
    expect(await work(id, 1)).toBe('left');
    expect([await removeJob(open.db, id), await removeJob(open.db, id), await cancelJob(open.db, 'nobody')]).toEqual([true, false, false]);
  });
  it('in a process beside the server: killed in the middle it loses a try and nothing else', async () => {
    const queue = localQueue(open.db, fileURLToPath(new URL('../../scripts/job-child.mjs', import.meta.url)));
    const id = await made(sweep(2, 7, 6));
    await queue.send(await openItems(open.db, id));
    await queue.send(await openItems(open.db, id));
    await until(async () => (await counts(id)).done >= 2);
    const runs = (await loadJob(open.db, id))?.items.find((x) => x.state === 'runs' || x.state === 'done');
    const pid = Number(runs?.worker?.split(' ').at(-1));
    expect(pid).toBeGreaterThan(0);
    process.kill(pid, 'SIGKILL');
    await until(async () => (await counts(id)).done === 6);
    const items = (await loadJob(open.db, id))?.items ?? [];
    for (const [i, x] of items.entries()) expect(Math.abs((x.row?.volume ?? 0) / volume(2 + i) - 1)).toBeLessThan(1e-9);
    // stopped, what is left is not begun
    const other = await made(sweep(2, 7, 6));
    await queue.send(await openItems(open.db, other));
    await cancelJob(open.db, other);
    queue.stop(other);
    await new Promise((go) => setTimeout(go, 1500));
    expect((await counts(other)).done).toBeLessThan(2);
    await queue.close();
  }, 120_000);
});
describe.skipIf(!postgresPrograms())('on a PostgreSQL server', () => {
  it('two workers share a job; one is killed in the middle and nothing is lost, nothing done twice', async () => {
    const server = await startPostgres();
    const open = await openDatabase({ url: server.url });
    const workers: ChildProcess[] = [];
    const queue = await bossQueue(server.url);
    try {
      await setUp(open);
      const start = () => {
        const w = spawn(process.execPath, [fileURLToPath(new URL('../../scripts/worker.mjs', import.meta.url))], {
          env: { ...process.env, DATABASE_URL: server.url, AMPLE_SILENCE: '4' },
          stdio: ['ignore', 'pipe', 'inherit'],
        });
        const said: string[] = [];
        w.stdout?.on('data', (d) => said.push(String(d)));
        workers.push(w);
        return { w, said };
      };
      const [a, b] = [start(), start()];
      await until(async () => [a, b].every((x) => x.said.join('').includes('is ready')), 60);
      const made = await createJob(open.db, sweep(2, 17, 16));
      if (typeof made === 'string') throw new Error(made);
      await queue.send(await openItems(open.db, made.id));
      const items = async () => (await loadJob(open.db, made.id))?.items ?? [];
      // both are at work, and the first one has an item in its hands when it dies
      await until(async () => (await items()).some((x) => x.state === 'runs' && x.worker?.endsWith(` ${a.w.pid}`)));
      a.w.kill('SIGKILL');
      await until(async () => (await items()).every((x) => x.state === 'done'), 120);
      const all = await items();
      for (const [i, x] of all.entries()) expect(Math.abs((x.row?.volume ?? 0) / volume(2 + i) - 1)).toBeLessThan(1e-9);
      expect(new Set(all.map((x) => x.worker)).size).toBeGreaterThan(0);
      expect(all.reduce((n, x) => n + x.attempts, 0)).toBeLessThanOrEqual(17);
      // told to stop it finishes and goes
      const gone = new Promise<number | null>((done) => b.w.once('exit', (code) => done(code)));
      b.w.kill('SIGTERM');
      expect(await gone).toBe(0);
    } finally {
      for (const w of workers) w.kill('SIGKILL');
      await queue.close();
      await open.close();
      server.stop();
    }
  }, 240_000);
});
